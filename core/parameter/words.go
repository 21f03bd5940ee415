package parameter

import (
	"strconv"
	"strings"
)

// ReadBack says in words how the answer was understood; the label says of what.
func (q Parameter) ReadBack(v Value) string {
	switch {
	case !v.Given:
		return "any"
	case q.Kind == Period:
		return v.Span.ReadBack()
	}
	return OneOf(v.Texts)
}

// OneOf joins answers: A; A or B; A, B or C; long lists are cut.
func OneOf(texts []string) string {
	const most = 6
	if len(texts) > most {
		return strings.Join(texts[:most-1], ", ") + " or one of " + strconv.Itoa(len(texts)-most+1) + " others"
	}
	if len(texts) == 1 {
		return texts[0]
	}
	return strings.Join(texts[:len(texts)-1], ", ") + " or " + texts[len(texts)-1]
}
