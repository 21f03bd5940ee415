package dialect

import (
	"encoding/json"
	"fmt"
	"slices"
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
// engine sends the type of each with it. The collation is one of the database
// that knows the capitals of every script; the database's own where it is empty.
func Postgres(capitals string) Dialect {
	cased := func(x string) string {
		if capitals == "" {
			return "(" + x + ")"
		}
		return "((" + x + ") collate " + Dialect{mark: standardQuote}.quote(capitals) + ")"
	}
	return Dialect{
		subqueries:  true,
		null:        nullPostgres,
		mark:        standardQuote,
		blanks:      blanksStandard,
		collate:     func(x string) string { return x + ` collate "C"` },
		placeholder: func(n int) string { return "$" + strconv.Itoa(n) },
		value:       func(v any) any { return v },
		selected: func(ref criteria.Ref, quoted string) string {
			if ref.Column.Bytes {
				return "'(' || octet_length(" + quoted + ") || ' bytes)'"
			}
			return quoted
		},
		list: func(x, placeholder string, values []any) string {
			// A JSON array takes texts and numbers of any length and kind.
			value := "value"
			switch values[0].(type) {
			case int64:
				value = "value::bigint"
			case decimal.Decimal:
				value = "value::numeric"
				if !slices.ContainsFunc(values, func(v any) bool { d, ok := v.(decimal.Decimal); return !ok || !d.IsInteger() || !d.BigInt().IsInt64() }) {
					value = "value::bigint"
				}
			}
			return x + " in (select " + value + " from jsonb_array_elements_text(" + placeholder + ") as list(value))"
		},
		encodeList: func(values []any) any { return encodeJSON(values) },
		contains: func(x, placeholder string) string {
			return "strpos(lower" + cased(x) + ", lower" + cased(placeholder+"::text") + ") > 0"
		},
		text:    func(placeholder string) string { return placeholder + "::text" },
		moment:  postgresMoment,
		change:  nil, // the database knows the zones
		fits:    postgresFits,
		piece:   func(x string, n int) string { return fmt.Sprintf("split_part(%s, '|', %d)", x, n) },
		matches: func(x, pattern string) string { return x + " ~ " + literal("^"+pattern+"$") },
		matching: func(x, pattern string) string {
			return "substring(" + x + " from " + literal("^("+pattern+")$") + ")"
		},
		position: func(names, x string) string { return "strpos(" + literal(names) + ", " + x + ")" },
		stored: func(c *catalog.Column, x string) string {
			if c.Encoding.IsCount() && c.Stored == catalog.Text {
				return "(" + x + ")::numeric"
			}
			return x
		},
		widen: func(x string) string { return "(" + x + " + 0.0)" },
		aggregate: func(name, x, where string, of plan.Expr) string {
			c, ok := of.(plan.Column)
			if ok && name == "sum" && (c.Ref.Column.Declared == "real" || c.Ref.Column.Declared == "double precision") {
				return "sum((" + x + ")::text::numeric)" + filter(where) // the decimals they are written as
			}
			return ""
		},
		percentile: standardPercentile,
		part:       postgresPart,
		moved: func(m plan.Moved, x string) string {
			day := "substr(" + x + ", 1, 10)::date"
			if m.Months != 0 {
				day = fmt.Sprintf("(%s + interval '%d months')", day, m.Months)
			}
			if m.Days != 0 {
				day = fmt.Sprintf("(%s + interval '%d days')", day, m.Days)
			}
			text := "to_char(" + day + ", 'YYYY-MM-DD')"
			if m.Fine {
				text += " || substr(" + x + ", 11)"
			}
			return "(case when " + day + " between date '0001-01-01' and date '9999-12-31' then " + text + " end)"
		},
		daysBetween: func(from, to string) string {
			return "((" + to + ")::date - (" + from + ")::date)"
		},
		steps: func(x string, numbers []int) string {
			return "width_bucket(" + x + ", array[" + listed(numbers) + "])"
		},
		nth:   chosen,
		times: timesOf,
		dayAt: func(day, n string) string { return "to_char(" + day + "::date + (" + n + ")::int, 'YYYY-MM-DD')" },
		whole: func(x string) string { return x },
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
			case name == "lower" || name == "upper":
				return name + cased(args[0])
			case name == "round" && len(args) == 2:
				return "round((" + args[0] + ")::numeric, (" + args[1] + ")::int)"
			case name == "round":
				return "round((" + args[0] + ")::numeric)"
			case name == "position":
				return "strpos(" + strings.Join(args, ", ") + ")"
			case name == "nth_part":
				return "split_part(" + strings.Join(args, ", ") + ")"
			case name == "text_of":
				return "((" + args[0] + ")::text)"
			case name == "digits":
				return "((" + args[0] + ")::int)"
			case name == "digits_of":
				return "((" + args[0] + ")::numeric)"
			}
			return ""
		},
		seconds: func(from, to string) string {
			return "(extract(epoch from substr(" + to + ", 1, 19)::timestamp - substr(" + from + ", 1, 19)::timestamp)::bigint)"
		},
		pattern: likePattern,
		wild:    "like ? escape '!'",
		divide: func(x, y string) string {
			return "((" + x + ")::double precision / nullif((" + y + ")::double precision, 0))"
		},
	}
}

// List is many values bound as one, as JSON.
type List string

func encodeJSON(values []any) List {
	plain := make([]any, len(values))
	for i, v := range values {
		plain[i] = v
		if d, ok := v.(decimal.Decimal); ok {
			plain[i] = json.Number(d.String())
		}
	}
	var text strings.Builder
	encoder := json.NewEncoder(&text)
	encoder.SetEscapeHTML(false)
	if err := encoder.Encode(plain); err != nil {
		panic("dialect: values of a list are text and numbers: " + err.Error())
	}
	return List(text.String())
}

// postgresFits looks at a date: those of the database's own may be infinite, or
// before the year 1.
func postgresFits(c *catalog.Column, x string) string {
	matches := "(" + x + ")::text ~ '^" + pattern(c) + "$'"
	switch {
	case c.Encoding == catalog.EncDate:
		return x + " >= '0001-01-01' and " + x + " <= '9999-12-31'"
	case c.Encoding.IsNative():
		return x + " >= '" + firstOf(c) + "' and " + x + " < '10000-01-01'"
	case numbered(c):
		return within(c, x)
	case c.Encoding.IsCount():
		return "case when " + matches + " then " + within(c, "("+x+")::numeric") + " else false end"
	}
	if c.Encoding == catalog.EncISOInstant {
		return matches + " and " + x + " >= '" + firstOf(c) + "'"
	}
	return matches
}

// postgresMoment writes a date as text; the database knows the zones.
func postgresMoment(m plan.Moment, x string, _ func(string) string) string {
	c := m.Ref.Column
	format, fraction := "'YYYY-MM-DD'", ""
	if m.Fine {
		format, fraction = `'YYYY-MM-DD"T"HH24:MI:SS'`, " || '.000000000'"
	}
	shown := func(local string) string { return "(to_char(" + local + ", " + format + ")" + fraction + ")" }
	local := func(instant string) string { return shown(instant + " at time zone " + literal(m.Zone)) }
	text := "(" + x + ")::text"
	switch c.Encoding {
	case catalog.EncInstant, catalog.EncLocal:
		if m.Fine {
			format, fraction = `'YYYY-MM-DD"T"HH24:MI:SS.US'`, " || '000'"
		}
		if c.Encoding == catalog.EncLocal {
			return shown(x)
		}
		return local(x)
	case catalog.EncDate:
		return shown(x)
	case catalog.EncYMD:
		return "(substr(" + text + ", 1, 4) || '-' || substr(" + text + ", 5, 2) || '-' || substr(" + text + ", 7, 2))"
	case catalog.EncYM:
		return "(substr(" + text + ", 1, 4) || '-' || right(" + text + ", 2) || '-01')"
	case catalog.EncUnixS, catalog.EncUnixMS, catalog.EncUnixUS:
		scale := c.Encoding.PerSecond()
		if scale == 1 {
			return local("to_timestamp(" + x + ")")
		}
		whole := fmt.Sprintf("floor((%s)::numeric / %d)", x, scale)
		if m.Fine {
			fraction = fmt.Sprintf(" || '.' || lpad((((%s)::numeric - %s * %d) * %d)::bigint::text, 9, '0')", x, whole, scale, 1_000_000_000/scale)
		}
		return local("to_timestamp(" + whole + ")")
	case catalog.EncSerial1900:
		return shown("(timestamp '1899-12-30' + round((case when " + x + " < 60 then " + x + " + 1 else " + x + " end)::numeric * 86400) * interval '1 second')")
	case catalog.EncISOLocal, catalog.EncISOInstant:
		base := "(case when length(" + x + ") = 10 then " + x + " when substr(" + x + ", 17, 1) = ':' then substr(" + x + ", 1, 19) else substr(" + x + ", 1, 16) end)"
		if m.Fine {
			fraction = " || '.' || rpad(case when substr(" + x + ", 20, 1) = '.' then substring(" + x + " from '[.]([0-9]+)') else '' end, 9, '0')"
		}
		if c.Encoding == catalog.EncISOLocal {
			return shown(base + "::timestamp")
		}
		return local("(" + base + " || '+00')::timestamptz")
	}
	return x
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
			return "to_char(" + start + ", 'YYYY-MM-DD') || '/' || to_char(least(" + start + " + 6, date '9999-12-31'), 'YYYY-MM-DD')"
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

// nullPostgres is typed: PostgreSQL takes a blank that is in two queries of a union for a text.
func nullPostgres(c *catalog.Column) string {
	kind := c.Declared
	switch {
	case kind != "":
	case c.Type == catalog.Integer:
		kind = "bigint"
	case c.Type == catalog.Decimal:
		kind = "numeric"
	case c.Type == catalog.Boolean:
		kind = "boolean"
	default:
		kind = "text"
	}
	return "null::" + kind
}
