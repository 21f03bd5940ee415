package dialect

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/plan"
)

// DuckDB writes for DuckDB 1.4 and later with its ICU extension, which knows the zones. It
// keeps to much of what PostgreSQL does.
func DuckDB() Dialect {
	d := Postgres("")
	d.countsAll = true
	d.collate = func(x string) string { return x } // texts are compared by code point
	d.value = func(v any) any {
		n, ok := v.(decimal.Decimal)
		switch {
		case !ok:
			return v
		case n.IsInteger() && n.BigInt().IsInt64():
			return n.IntPart()
		}
		return Decimal(n.String())
	}
	d.cast = func(v any, placeholder string) string {
		n, ok := v.(Decimal)
		if !ok {
			return placeholder
		}
		whole, fraction, _ := strings.Cut(strings.TrimPrefix(string(n), "-"), ".")
		if len(whole)+len(fraction) > duckDigits {
			return "cast(" + placeholder + " as double)"
		}
		return fmt.Sprintf("cast(%s as decimal(%d, %d))", placeholder, max(len(whole)+len(fraction), 1), len(fraction))
	}
	d.list = func(x, placeholder string, values []any) string {
		kind := "VARCHAR"
		switch values[0].(type) {
		case int64:
			kind = "BIGINT"
		case decimal.Decimal:
			kind = "DECIMAL(38, 15)"
		}
		return x + " in (select unnest(from_json(" + placeholder + `, '["` + kind + `"]')))`
	}
	d.encodeList = func(values []any) any { return string(encodeJSON(values)) }
	d.contains = func(x, placeholder string) string {
		return "contains(lower(" + x + "), lower(" + placeholder + "))"
	}
	d.text = func(placeholder string) string { return "cast(" + placeholder + " as varchar)" }
	d.moment = duckMoment
	d.fits = duckFits
	d.matches = func(x, pattern string) string {
		return "regexp_full_match(" + x + ", " + literal(pattern) + ")"
	}
	d.matching = func(x, pattern string) string {
		return "nullif(regexp_extract(" + x + ", " + literal("^("+pattern+")$") + "), '')"
	}
	d.stored = func(c *catalog.Column, x string) string {
		switch {
		case !c.Encoding.IsCount() || c.Stored != catalog.Text:
			return x
		case c.Encoding.IsUnix():
			return "cast(" + x + " as bigint)"
		}
		return "cast(" + x + " as decimal(38, 20))"
	}
	d.aggregate = func(name, x, where string, of plan.Expr) string {
		c, ok := of.(plan.Column)
		if ok && name == "sum" && (c.Ref.Column.Declared == "double" || c.Ref.Column.Declared == "float") {
			return "sum(cast(cast(" + x + " as varchar) as decimal(38, 15)))" + filter(where) // the decimals they are written as
		}
		return ""
	}
	d.part = duckPart
	d.moved = func(m plan.Moved, x string) string {
		day := "cast(substr(" + x + ", 1, 10) as date)"
		if m.Months != 0 {
			day = fmt.Sprintf("(%s + to_months(%d))", day, m.Months)
		}
		if m.Days != 0 {
			day = fmt.Sprintf("(%s + to_days(%d))", day, m.Days)
		}
		text := "strftime(" + day + ", '%Y-%m-%d')"
		if m.Fine {
			text += " || substr(" + x + ", 11)"
		}
		return "(case when " + day + " between date '0001-01-01' and date '9999-12-31' then " + text + " end)"
	}
	d.daysBetween = func(from, to string) string {
		return "date_diff('day', cast(" + from + " as date), cast(" + to + " as date))"
	}
	d.steps = halved
	d.times = func(x string, n int) string { return "((" + x + ") // " + strconv.Itoa(n) + ")" }
	d.dayAt = func(day, n string) string {
		return "strftime(cast(" + day + " as date) + cast((" + n + ") as integer), '%Y-%m-%d')"
	}
	d.whole = func(x string) string { return "cast(" + x + " as bigint)" }
	d.match = func(op, x, y string) string {
		return map[string]string{"contains": "contains", "starts with": "starts_with", "ends with": "suffix"}[op] + "(" + x + ", " + y + ")"
	}
	d.function = func(name string, args []string) string {
		switch name {
		case "position":
			return "strpos(" + strings.Join(args, ", ") + ")"
		case "nth_part":
			return "split_part(" + strings.Join(args, ", ") + ")"
		case "text_of":
			return "cast(" + args[0] + " as varchar)"
		case "digits":
			return "cast(" + args[0] + " as bigint)"
		case "digits_of":
			return "cast(" + args[0] + " as decimal(38, 10))"
		case "round":
		default:
			return ""
		}
		x := "cast(" + args[0] + " as decimal(38, 15))"
		if len(args) == 1 {
			return "round(" + x + ")"
		}
		return "round(" + x + ", cast(" + args[1] + " as integer))"
	}
	d.seconds = func(from, to string) string {
		return "date_diff('second', cast(substr(" + from + ", 1, 19) as timestamp), cast(substr(" + to + ", 1, 19) as timestamp))"
	}
	d.divide = func(x, y string) string {
		return "(cast(" + x + " as double) / nullif(cast(" + y + " as double), 0))"
	}
	return d
}

// duckDigits is the most digits of a decimal.
const duckDigits = 38

// duckFits looks at a date: those of the engine's own may be infinite, or before the year 1.
func duckFits(c *catalog.Column, x string) string {
	matches := "regexp_full_match(cast(" + x + " as varchar), " + literal(pattern(c)) + ")"
	switch {
	case c.Encoding == catalog.EncDate:
		return x + " >= '0001-01-01' and " + x + " <= '9999-12-31'"
	case c.Encoding.IsNative():
		return x + " >= '" + firstOf(c) + "' and " + x + " < '10000-01-01'"
	case numbered(c):
		return within(c, x)
	case c.Encoding.IsCount():
		return "case when " + matches + " then " + within(c, "cast("+x+" as decimal(38, 9))") + " else false end"
	case c.Encoding == catalog.EncISOInstant:
		return matches + " and " + x + " >= '" + firstOf(c) + "'"
	}
	return matches
}

// duckMoment writes a date as text; the engine knows the zones.
func duckMoment(m plan.Moment, x string, _ func(string) string) string {
	c := m.Ref.Column
	shown := func(local string) string {
		if m.Fine {
			return "(strftime(" + local + ", '%Y-%m-%dT%H:%M:%S.%f') || '000')"
		}
		return "strftime(" + local + ", '%Y-%m-%d')"
	}
	local := func(utc string) string {
		return shown("((" + utc + ") at time zone 'UTC') at time zone " + literal(m.Zone))
	}
	text := "cast(" + x + " as varchar)"
	switch c.Encoding {
	case catalog.EncInstant:
		return shown(x + " at time zone " + literal(m.Zone))
	case catalog.EncDate, catalog.EncLocal:
		return shown(x)
	case catalog.EncYMD:
		return "(substr(" + text + ", 1, 4) || '-' || substr(" + text + ", 5, 2) || '-' || substr(" + text + ", 7, 2))"
	case catalog.EncYM:
		return "(substr(" + text + ", 1, 4) || '-' || right(" + text + ", 2) || '-01')"
	case catalog.EncUnixS, catalog.EncUnixMS, catalog.EncUnixUS:
		return local(fmt.Sprintf("make_timestamp(cast(%s as bigint) * %d)", x, 1_000_000/c.Encoding.PerSecond()))
	case catalog.EncSerial1900:
		return shown("(timestamp '1899-12-30' + to_seconds(cast(round(cast(case when " + x + " < 60 then " + x + " + 1 else " + x + " end as decimal(38, 12)) * 86400) as bigint)))")
	case catalog.EncISOLocal, catalog.EncISOInstant:
		base := "cast(case when length(" + x + ") = 10 then " + x + " when substr(" + x + ", 17, 1) = ':' then substr(" + x + ", 1, 19) else substr(" + x + ", 1, 16) || ':00' end as timestamp)"
		day := shown(base)
		if c.Encoding == catalog.EncISOInstant {
			day = local(base)
		}
		if m.Fine { // the fraction as it is written, to the nanosecond
			return "(substr(" + day + ", 1, 20) || rpad(case when substr(" + x + ", 20, 1) = '.' then regexp_extract(" + x + ", '[.]([0-9]+)', 1) else '' end, 9, '0'))"
		}
		return day
	}
	return x
}

func duckPart(p plan.DatePart, x string) string {
	day := "cast(" + x + " as date)"
	month := "month(" + day + ")"
	start := ""
	switch p.Unit {
	case civil.Week:
		start = fmt.Sprintf("%s - cast((dayofweek(%s) + %d) %% 7 as integer)", day, day, 7-int(p.WeekStart))
	case civil.Half:
		start = "make_date(year(" + day + "), case when " + month + " < 7 then 1 else 7 end, 1)"
	default:
		start = "cast(date_trunc('" + postgresUnits[p.Unit] + "', " + day + ") as date)"
	}
	format := func(text string) string { return "strftime(" + day + ", '" + text + "')" }
	switch p.Form {
	case plan.DayOf:
		return "isodow(" + day + ")"
	case plan.StartOf:
		return "strftime(" + start + ", '%Y-%m-%d')"
	case plan.TextOf:
		switch p.Unit {
		case civil.Week:
			if isMonday(p) {
				return format("%G-W%V")
			}
			return "strftime(" + start + ", '%Y-%m-%d') || '/' || strftime(least(" + start + " + 6, date '9999-12-31'), '%Y-%m-%d')"
		case civil.Month:
			return format("%Y-%m")
		case civil.Quarter:
			return format("%Y") + " || '-Q' || quarter(" + day + ")"
		case civil.Half:
			return format("%Y") + " || case when " + month + " < 7 then '-H1' else '-H2' end"
		case civil.Year:
			return format("%Y")
		}
		return x
	}
	unit := map[civil.Unit]string{civil.Day: "day", civil.Week: "week", civil.Month: "month", civil.Quarter: "quarter", civil.Year: "year"}[p.Unit]
	return unit + "(" + day + ")"
}
