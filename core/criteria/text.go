package criteria

// NumberPattern is what a text looks like that is a number with a decimal mark, as a regular
// expression of POSIX: digits, perhaps in groups of three that the other mark keeps apart.
func NumberPattern(mark string) string {
	decimals, group := "[.]", "[,]"
	if mark == "," {
		decimals, group = group, decimals
	}
	return " *[+-]?([0-9]{1,15}|[0-9]{1,3}(" + group + "[0-9]{3}){1,4})(" + decimals + "[0-9]{1,10})? *"
}

// SecondsIn is how many seconds the unit of hours_between, or of minutes_between, has.
func SecondsIn(function string) int64 {
	if function == "hours_between" {
		return 3600
	}
	return 60
}
