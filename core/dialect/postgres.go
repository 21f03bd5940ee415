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

// Postgres writes for PostgreSQL 13 and later. Values are bound without casts
// around them, which would keep a bound from being handed on to a shard: the
// engine sends the type of each with it.
var Postgres = Dialect{
	quote:       quoteStandard,
	blanks:      blanksStandard,
	collate:     func(x string) string { return x + ` collate "C"` },
	placeholder: func(n int) string { return "$" + strconv.Itoa(n) },
	value:       func(v any) any { return v },
	selected:    func(_ criteria.Ref, quoted string) string { return quoted },
	list: func(x, placeholder string) string {
		// A JSON array takes texts and numbers of any length and kind.
		return x + " in (select value from jsonb_array_elements_text(" + placeholder + ") as list(value))"
	},
	encodeList: encodeJSON,
	contains:   func(x, placeholder string) string { return "strpos(lower(" + x + "), lower(" + placeholder + ")) > 0" },
	moment:     postgresMoment,
	part:       postgresPart,
	moved: func(m plan.Moved, x string) string {
		day := "substr(" + x + ", 1, 10)::date"
		if m.Months != 0 {
			day = fmt.Sprintf("(%s + interval '%d months')", day, m.Months)
		}
		if m.Days != 0 {
			day = fmt.Sprintf("(%s + interval '%d days')", day, m.Days)
		}
		return "to_char(" + day + ", 'YYYY-MM-DD') || substr(" + x + ", 11)"
	},
	daysBetween: func(from, to string) string {
		return "((" + to + ")::date - (" + from + ")::date)"
	},
	match: func(op, x, y string) string {
		switch op {
		case "contains":
			return "strpos(" + x + ", " + y + ") > 0"
		case "starts with":
			return "left(" + x + ", length(" + y + ")) = " + y
		}
		return "length(" + x + ") >= length(" + y + ") and right(" + x + ", length(" + y + ")) = " + y + " or " + y + " = '' and " + x + " is not null"
	},
	function: func(name string, args []string) string {
		switch {
		case name == "round" && len(args) == 2:
			return "round((" + args[0] + ")::numeric, (" + args[1] + ")::int)"
		case name == "round":
			return "round((" + args[0] + ")::numeric)"
		}
		return ""
	},
	divide: func(x, y string) string {
		return "((" + x + ")::double precision / nullif((" + y + ")::double precision, 0))"
	},
}

// List is many values bound as one, as JSON.
type List string

func encodeJSON(values []any) any {
	plain := make([]any, len(values))
	for i, v := range values {
		plain[i] = v
		if d, ok := v.(decimal.Decimal); ok {
			plain[i] = json.Number(d.String())
		}
	}
	text, err := json.Marshal(plain)
	if err != nil {
		panic("dialect: values of a list are text and numbers: " + err.Error())
	}
	return List(text)
}

// postgresMoment writes a date as text; the database knows the zones.
func postgresMoment(m plan.Moment, column string, _ func() string) string {
	format := "'YYYY-MM-DD'"
	if m.Fine {
		format = `'YYYY-MM-DD"T"HH24:MI:SS'`
	}
	local := func(instant string) string {
		return "to_char(" + instant + " at time zone " + literal(m.Zone) + ", " + format + ")"
	}
	text := "(" + column + ")::text"
	switch m.Ref.Column.Encoding {
	case catalog.EncInstant:
		return local(column)
	case catalog.EncDate, catalog.EncLocal:
		return "to_char(" + column + ", " + format + ")"
	case catalog.EncISOInstant:
		return local("(substr(" + column + ", 1, 19) || '+00')::timestamptz")
	case catalog.EncYMD:
		return "to_char(to_date(" + text + ", 'YYYYMMDD'), 'YYYY-MM-DD')"
	case catalog.EncYM:
		return "substr(" + text + ", 1, 4) || '-' || right(" + text + ", 2) || '-01'"
	case catalog.EncUnixS:
		return local("to_timestamp(" + column + ")")
	case catalog.EncUnixMS:
		return local("to_timestamp(floor(" + column + " / 1000.0))")
	case catalog.EncUnixUS:
		return local("to_timestamp(floor(" + column + " / 1000000.0))")
	case catalog.EncSerial1900:
		return "to_char(timestamp '1899-12-30' + round((" + column + ")::numeric * 86400) * interval '1 second', " + format + ")"
	}
	if m.Fine {
		return "to_char(substr(" + column + ", 1, 19)::timestamp, " + format + ")"
	}
	return "substr(" + column + ", 1, 10)"
}

// literal writes a text that is the product's own, never a user's.
func literal(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

var postgresUnits = map[civil.Unit]string{civil.Day: "day", civil.Month: "month", civil.Quarter: "quarter", civil.Year: "year"}

func postgresPart(p plan.DatePart, x string) string {
	day := "(" + x + ")::date"
	month := "extract(month from " + day + ")::int"
	start := ""
	switch p.Unit {
	case civil.Week:
		start = fmt.Sprintf("%s - (extract(dow from %s)::int + %d) %% 7", day, day, 7-int(p.WeekStart))
	case civil.Half:
		start = "make_date(extract(year from " + day + ")::int, case when " + month + " < 7 then 1 else 7 end, 1)"
	default:
		start = "date_trunc('" + postgresUnits[p.Unit] + "', " + day + ")::date"
	}
	format := func(text string) string { return "to_char(" + day + ", '" + text + "')" }
	switch p.Form {
	case plan.DayOf:
		return "extract(isodow from " + day + ")::int"
	case plan.StartOf:
		return "to_char(" + start + ", 'YYYY-MM-DD')"
	case plan.TextOf:
		switch p.Unit {
		case civil.Week:
			if isMonday(p) {
				return format(`IYYY"-W"IW`)
			}
			return "to_char(" + start + ", 'YYYY-MM-DD') || '/' || to_char(" + start + " + 6, 'YYYY-MM-DD')"
		case civil.Month:
			return format("YYYY-MM")
		case civil.Quarter:
			return format(`YYYY"-Q"Q`)
		case civil.Half:
			return format("YYYY") + " || case when " + month + " < 7 then '-H1' else '-H2' end"
		case civil.Year:
			return format("YYYY")
		}
		return x
	}
	unit := map[civil.Unit]string{civil.Day: "day", civil.Week: "week", civil.Month: "month", civil.Quarter: "quarter", civil.Year: "year"}[p.Unit]
	return "extract(" + unit + " from " + day + ")::int"
}
