package dialect

import (
	"encoding/json"
	"fmt"
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
	quote:       quoteStandard,
	blanks:      blanksStandard,
	collate:     func(x string) string { return x + " collate binary" },
	placeholder: func(n int) string { return "?" + strconv.Itoa(n) },
	value:       plainValue,
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
	moment:   sqliteMoment,
	part:     sqlitePart,
	moved:    sqliteMoved,
	daysBetween: func(from, to string) string {
		return "cast(julianday(" + to + ") - julianday(" + from + ") as integer)"
	},
	match: func(op, x, y string) string {
		switch op {
		case "contains":
			return "instr(" + x + ", " + y + ") > 0"
		case "starts with":
			return "substr(" + x + ", 1, length(" + y + ")) = " + y
		}
		return "length(" + x + ") >= length(" + y + ") and substr(" + x + ", length(" + x + ") - length(" + y + ") + 1) = " + y
	},
	function: sqliteFunction,
	divide:   func(x, y string) string { return "(" + x + " * 1.0 / " + y + ")" },
}

// plainValue binds what an engine keeps otherwise: decimals as whole or floating
// numbers, yes and no as 1 and 0.
func plainValue(v any) any {
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

// sqliteMoment writes a date as text. Instants are moved to the zone first;
// SQLite knows no zones, so their offsets come with the statement.
func sqliteMoment(m plan.Moment, column string, offset func() string) string {
	dated := func(args string) string {
		if m.Fine {
			return "strftime('%Y-%m-%dT%H:%M:%S', " + args + ")"
		}
		return "date(" + args + ")"
	}
	// whole divides down, before 1970 as well.
	whole := func(scale string) string {
		return "(" + column + " - (" + column + " % " + scale + " + " + scale + ") % " + scale + ") / " + scale
	}
	switch m.Ref.Column.Encoding {
	case catalog.EncYMD:
		text := "cast(" + column + " as text)"
		return "substr(" + text + ", 1, 4) || '-' || substr(" + text + ", 5, 2) || '-' || substr(" + text + ", 7, 2)"
	case catalog.EncYM:
		text := "cast(" + column + " as text)"
		return "substr(" + text + ", 1, 4) || '-' || substr(" + text + ", -2) || '-01'"
	case catalog.EncISOInstant, catalog.EncInstant:
		return dated("substr(" + column + ", 1, 19), (" + offset() + ") || ' seconds'")
	case catalog.EncUnixS:
		return dated(column + " + (" + offset() + "), 'unixepoch'")
	case catalog.EncUnixMS:
		return dated(whole("1000") + " + (" + offset() + "), 'unixepoch'")
	case catalog.EncUnixUS:
		return dated(whole("1000000") + " + (" + offset() + "), 'unixepoch'")
	case catalog.EncSerial1900: // days from 1899-12-30, to the nearest second
		return dated("cast(round(" + column + " * 86400) as integer) - 2209161600, 'unixepoch'")
	}
	if m.Fine {
		return dated("substr(" + column + ", 1, 19)")
	}
	return "substr(" + column + ", 1, 10)"
}

func sqlitePart(p plan.DatePart, x string) string {
	year, month := "substr("+x+", 1, 4)", "cast(substr("+x+", 6, 2) as integer)"
	quarter := "(" + month + " + 2) / 3"
	thursday := "date(" + x + ", '-3 days', 'weekday 4')" // of the same ISO week
	week := "(strftime('%j', " + thursday + ") - 1) / 7 + 1"
	half := func(first, second string) string {
		return "case when " + month + " < 7 then '" + first + "' else '" + second + "' end"
	}
	start := x
	switch p.Unit {
	case civil.Week:
		start = "date(" + x + ", -((strftime('%w', " + x + ") + " + strconv.Itoa(7-int(p.WeekStart)) + ") % 7) || ' days')"
	case civil.Month:
		start = "substr(" + x + ", 1, 7) || '-01'"
	case civil.Quarter:
		start = year + " || '-' || printf('%02d', " + quarter + " * 3 - 2) || '-01'"
	case civil.Half:
		start = year + " || " + half("-01-01", "-07-01")
	case civil.Year:
		start = year + " || '-01-01'"
	}
	switch p.Form {
	case plan.DayOf:
		return "(strftime('%w', " + x + ") + 6) % 7 + 1"
	case plan.StartOf:
		return start
	case plan.TextOf:
		switch p.Unit {
		case civil.Week:
			if !isMonday(p) {
				return start + " || '/' || date(" + start + ", '+6 days')"
			}
			return "strftime('%Y', " + thursday + ") || '-W' || printf('%02d', " + week + ")"
		case civil.Month:
			return "substr(" + x + ", 1, 7)"
		case civil.Quarter:
			return year + " || '-Q' || (" + quarter + ")"
		case civil.Half:
			return year + " || " + half("-H1", "-H2")
		case civil.Year:
			return year
		}
		return x
	}
	switch p.Unit {
	case civil.Week:
		return week
	case civil.Month:
		return month
	case civil.Quarter:
		return quarter
	case civil.Year:
		return "cast(" + year + " as integer)"
	}
	return "cast(substr(" + x + ", 9, 2) as integer)"
}

// sqliteMoved keeps to the month's last day, where SQLite itself would run on
// into the next month.
func sqliteMoved(m plan.Moved, x string) string {
	day := "substr(" + x + ", 1, 10)"
	if m.Months != 0 {
		day = fmt.Sprintf("min(date(%s, '%+d months'), date(%s, 'start of month', '%+d months', '-1 day'))", day, m.Months, day, m.Months+1)
	}
	if m.Days != 0 {
		day = fmt.Sprintf("date(%s, '%+d days')", day, m.Days)
	}
	if m.Fine {
		return day + " || substr(" + x + ", 11)"
	}
	return day
}

// sqliteFunction writes what SQLite lacks.
func sqliteFunction(name string, args []string) string {
	whole := func(x, correction string) string {
		return "(cast(" + x + " as integer) " + correction + " cast(" + x + " as integer)))"
	}
	switch name {
	case "floor":
		return whole(args[0], "- ("+args[0]+" <")
	case "ceil":
		return whole(args[0], "+ ("+args[0]+" >")
	}
	return ""
}
