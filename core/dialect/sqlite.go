package dialect

import (
	"encoding/json"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/criteria"
)

// SQLite writes for SQLite 3.30 and later.
var SQLite = Dialect{
	name:        "sqlite",
	placeholder: func(n int) string { return "?" + strconv.Itoa(n) },
	value:       sqliteValue,
	selected: func(ref criteria.Ref, quoted string) string {
		// The driver turns columns declared as dates or booleans into values
		// of its own, slowly and losing the text; a sign hides the declared
		// type and changes nothing else.
		declared := strings.ToLower(ref.Column.Declared)
		if declared == "date" || declared == "datetime" || declared == "timestamp" || declared == "boolean" {
			return "+" + quoted
		}
		return quoted
	},
	list: func(x, placeholder string) string {
		return x + " in (select value from json_each(" + placeholder + "))"
	},
	encodeList: func(values []any) any {
		text, err := json.Marshal(values)
		if err != nil {
			panic("dialect: values of a list are text and numbers: " + err.Error())
		}
		return string(text)
	},
	divide: func(x, y string) string { return "(" + x + " * 1.0 / " + y + ")" },
}

// sqliteValue binds decimals as the engine keeps them: whole or floating.
func sqliteValue(v any) any {
	switch v := v.(type) {
	case decimal.Decimal:
		if v.IsInteger() && v.BigInt().IsInt64() {
			return v.IntPart()
		}
		f, _ := v.Float64()
		return f
	case bool:
		if v {
			return int64(1)
		}
		return int64(0)
	}
	return v
}
