package output

import "strconv"

// Counted is a number with the words that go with it: of one, or of any other
// number.
func Counted(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Thousands(n) + " " + many
}

// Thousands is a whole number with its thousands parted.
func Thousands(n int64) string {
	text := strconv.FormatInt(n, 10)
	for i := len(text) - 3; i > 0 && text[i-1] != '-'; i -= 3 {
		text = text[:i] + "," + text[i:]
	}
	return text
}
