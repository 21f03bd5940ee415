package dialect

import (
	"encoding/json"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/plan"
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
	contains: func(x, placeholder string) string { return "instr(lower(" + x + "), lower(" + placeholder + ")) > 0" },
	bucket:   sqliteBucket,
	divide:   func(x, y string) string { return "(" + x + " * 1.0 / " + y + ")" },
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

// sqliteBucket cuts the text of a civil day to the unit. Instants are moved to
// the zone first; SQLite knows no zones, so their offsets come with the
// statement.
func sqliteBucket(b plan.Bucket, column, offset string) string {
	day := ""
	switch b.Ref.Column.Encoding {
	case catalog.EncYMD, catalog.EncYM:
		text := "cast(" + column + " as text)"
		if b.Ref.Column.Encoding == catalog.EncYM {
			day = "substr(" + text + ", 1, 4) || '-' || substr(" + text + ", -2)"
		} else {
			day = "substr(" + text + ", 1, 4) || '-' || substr(" + text + ", 5, 2) || '-' || substr(" + text + ", 7, 2)"
		}
	case catalog.EncISOInstant, catalog.EncInstant:
		day = "date(substr(" + column + ", 1, 19), (" + offset + ") || ' seconds')"
	case catalog.EncUnixS:
		day = "date(" + column + " + (" + offset + "), 'unixepoch')"
	case catalog.EncUnixMS:
		day = "date(" + column + " / 1000 + (" + offset + "), 'unixepoch')"
	case catalog.EncUnixUS:
		day = "date(" + column + " / 1000000 + (" + offset + "), 'unixepoch')"
	case catalog.EncSerial1900:
		day = "date(" + column + " + 2415018.5)" // the Julian day of 1899-12-30
	default:
		day = "substr(" + column + ", 1, 10)"
	}
	switch b.Unit {
	case civil.Year:
		return "substr(" + day + ", 1, 4)"
	case civil.Month:
		return "substr(" + day + ", 1, 7)"
	}
	return day
}
