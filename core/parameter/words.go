package parameter

import (
	"strconv"
	"strings"
)

// OneOf joins answers: A; A or B; A, B or C; long lists are cut, none are empty.
func OneOf(texts []string) string {
	const most = 6
	if len(texts) > most {
		return strings.Join(texts[:most-1], ", ") + " or one of " + strconv.Itoa(len(texts)-most+1) + " others"
	}
	switch len(texts) {
	case 0:
		return ""
	case 1:
		return texts[0]
	}
	return strings.Join(texts[:len(texts)-1], ", ") + " or " + texts[len(texts)-1]
}
