package sqlite

import (
	"strconv"
	"strings"

	"github.com/shopspring/decimal"
)

// functions take the place of SQLite's own: those know capitals in ASCII only,
// and round what a binary fraction happens to be instead of the number it
// stands for.
var functions = map[string]any{
	"lower": func(v any) any { return onText(v, strings.ToLower) },
	"upper": func(v any) any { return onText(v, strings.ToUpper) },
	"round": round,
}

func onText(v any, change func(string) string) any {
	if text, ok := v.(string); ok {
		return change(text)
	}
	return v
}

// round rounds halves away from zero, to so many decimal places or none.
func round(v any, places ...any) any {
	f, ok := v.(float64)
	if !ok {
		return v // whole already, or blank
	}
	d, err := decimal.NewFromString(strconv.FormatFloat(f, 'f', -1, 64))
	if err != nil {
		return v
	}
	n := int64(0)
	if len(places) > 0 {
		n, _ = places[0].(int64)
	}
	rounded, _ := d.Round(int32(n)).Float64()
	return rounded
}
