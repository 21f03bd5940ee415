package parameter

import (
	"strconv"
	"strings"

	"pikegate/core/diag"
)

// OneOf joins answers: A; A or B; A, B or C; long lists are cut, none are empty.
func OneOf(texts []string) string {
	const most = 6
	if len(texts) > most {
		return strings.Join(texts[:most-1], ", ") + " or one of " + strconv.Itoa(len(texts)-most+1) + " others"
	}
	return diag.Listed(texts, "or")
}
