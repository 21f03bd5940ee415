package dialect

import (
	"fmt"
	"math"
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
	subqueries:  true,
	mark:        standardQuote,
	blanks:      blanksStandard,
	collate:     func(x string) string { return x + " collate binary" },
	placeholder: func(n int) string { return "?" + strconv.Itoa(n) },
	value:       plainValue,
	selected: func(ref criteria.Ref, quoted string) string {
		if ref.Column.Bytes { // a column holds what it likes, whatever is declared
			return "case typeof(" + quoted + ") when 'blob' then '(' || length(" + quoted + ") || ' bytes)' else " + quoted + " end"
		}
		return quoted
	},
	// Otherwise it merges the queries along an index: the first row comes at once, and the
	// last one after more than twice the time.
	sorted: func(x string) string { return "+" + x },
	list: func(x, placeholder string, _ []any) string {
		return x + " in (select value from json_each(" + placeholder + "))"
	},
	encodeList: func(values []any) any {
		plain := make([]any, len(values))
		for i, v := range values {
			plain[i] = plainValue(v)
		}
		return string(encodeJSON(plain))
	},
	fits: sqliteFits,
	stored: func(c *catalog.Column, x string) string {
		switch {
		case !c.Encoding.IsCount() || c.Stored != catalog.Text:
			return x
		case c.Encoding.IsUnix():
			return "cast(" + x + " as integer)"
		}
		return "cast(" + x + " as real)"
	},
	aggregate: sqliteAggregate,
	windows:   true,
	percentile: func(x, where string, at plan.Place) string {
		return "percentile_of(" + x + ", " + strconv.FormatInt(at.Of10000, 10) + ", " + map[bool]string{false: "0", true: "1"}[at.Above] + ")" + filter(x+" is not null", where)
	},
	number:   func(x string) string { return "(" + x + " + 0)" },
	contains: func(x, placeholder string) string { return "instr(lower(" + x + "), lower(" + placeholder + ")) > 0" },
	clocked:  sqliteClocked,
	moment:   sqliteMoment,
	part:     sqlitePart,
	moved:    sqliteMoved,
	daysBetween: func(from, to string) string {
		return "cast(julianday(" + to + ") - julianday(" + from + ") as integer)"
	},
	steps: halved,
	nth:   chosen,
	times: timesOf,
	dayAt: func(day, n string) string { return "date(" + day + ", (" + n + ") || ' days')" },
	whole: func(x string) string { return x },
	match: func(op, x, y string) string {
		switch op {
		case "contains":
			return "instr(" + x + ", " + y + ") > 0"
		case "starts with":
			return "substr(" + x + ", 1, length(" + y + ")) = " + y
		}
		return "length(" + x + ") >= length(" + y + ") and substr(" + x + ", length(" + x + ") - length(" + y + ") + 1) = " + y
	},
	function: func(name string, args []string) string { // those it lacks the engine brings
		switch name {
		case "split", "pad_left", "pad_right":
			return name + "(" + strings.Join(args, ", ") + ")"
		case "number_of":
			return "number_of(" + args[0] + ", '.')"
		case "number_with_comma":
			return "number_of(" + args[0] + ", ',')"
		case "position":
			return "instr(" + strings.Join(args, ", ") + ")"
		case "text_of":
			return "cast(" + args[0] + " as text)"
		case "digits":
			return "cast(" + args[0] + " as integer)"
		}
		return ""
	},
	seconds: func(from, to string) string {
		return "(cast(strftime('%s', substr(" + to + ", 1, 19)) as integer) - cast(strftime('%s', substr(" + from + ", 1, 19)) as integer))"
	},
	pattern: globPattern,
	wild:    "glob ?",
	divide:  func(x, y string) string { return "(" + x + " * 1.0 / " + y + ")" },
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
		switch { // a whole number never reaches a bound beyond its own
		case f >= math.MaxInt64:
			f = math.Nextafter(f, math.Inf(1))
		case f <= math.MinInt64:
			f = math.Nextafter(f, math.Inf(-1))
		}
		return f
	case bool:
		if v {
			return int64(1)
		}
		return int64(0)
	}
	return v
}

// sqliteFits looks at a date with SQLite's own functions: of text that is no
// real day, date() makes another one or none.
func sqliteFits(c *catalog.Column, x string) string {
	day := func(iso string) string { return iso + " = date(" + iso + ") and " + iso + " >= '" + firstOf(c) + "'" }
	kind := "typeof(" + x + ") = 'integer' and "
	if c.Stored == catalog.Text {
		kind = ""
	}
	switch c.Encoding {
	case catalog.EncDate, catalog.EncISODate:
		return day(x)
	case catalog.EncYMD:
		if c.Stored != catalog.Text { // a number of eight digits is of the year 1000 or later
			return kind + "length(" + x + ") = 8 and date(" + sqliteDay(c, x) + ") = " + sqliteDay(c, x)
		}
		return "length(" + x + ") = 8 and " + day("("+sqliteDay(c, x)+")")
	case catalog.EncYM:
		length := len("202603")
		if c.Hyphened() {
			length = len("2026-03")
		}
		return kind + fmt.Sprintf("length(%s) = %d and ", x, length) + day("("+sqliteDay(c, x)+")")
	case catalog.EncUnixS, catalog.EncUnixMS, catalog.EncUnixUS:
		if c.Stored == catalog.Text {
			return "(" + x + " glob '[0-9]*' or " + x + " glob '-[0-9]*') and substr(" + x + ", 2) not glob '*[^0-9]*' and length(ltrim(" + x + ", '-')) <= 18 and " + within(c, "cast("+x+" as integer)")
		}
		return kind + within(c, x)
	case catalog.EncSerial1900:
		if c.Stored == catalog.Text {
			return x + " glob '[0-9]*' and " + x + " not glob '*[^0-9.]*' and " + x + " not glob '*.*.*' and " + x + " not glob '*.' and " + within(c, "cast("+x+" as real)")
		}
		return "typeof(" + x + ") in ('integer', 'real') and " + within(c, x)
	}
	return "is_date(" + x + ", " + literal(string(c.Encoding)) + ")" // a function of the engine's
}

// sqliteDay is a day kept as digits as ISO text.
func sqliteDay(c *catalog.Column, x string) string {
	switch {
	case c.Encoding == catalog.EncYM && c.Hyphened():
		return x + " || '-01'"
	case c.Encoding == catalog.EncYM:
		return "substr(" + x + ", 1, 4) || '-' || substr(" + x + ", 5, 2) || '-01'"
	}
	return "(substr(" + x + ", 1, 4) || '-' || substr(" + x + ", 5, 2) || '-' || substr(" + x + ", 7, 2))"
}

// sqliteClocked writes a date-time as text by the clocks of a zone. SQLite knows
// none, and text is written in several ways: in general a function of the engine's
// reads it. Where it is known how all are written, and the clocks changed only a
// few times in the time asked for, SQLite's own functions do, which is faster.
func sqliteClocked(m plan.Moment, x string) string {
	c := m.Ref.Column
	laidOut := c.Encoding.IsLayout()
	if !c.Encoding.IsInstant() && !c.Encoding.IsTimedText() && !laidOut {
		return ""
	}
	if laidOut || !m.Sure || m.Yearly != nil || len(m.Shifts) > mostShifts || c.Encoding.IsTimedText() && !usualShape(c.Shape) || c.Stored == catalog.Text && c.Encoding.IsUnix() {
		name := "date_text"
		if m.Fine {
			name = "time_text"
		}
		zone := m.Zone
		if zone == "" {
			zone = "UTC"
		}
		encoding := string(c.Encoding)
		if c.Stored == catalog.Text && c.Encoding.IsUnix() {
			encoding += " as text"
		}
		return name + "(" + x + ", " + literal(encoding) + ", " + literal(zone) + ")"
	}
	second, fraction := "substr("+x+", 1, 19)", "'000000000'"
	switch {
	case c.Encoding.IsUnix():
		second, fraction = sqliteUnix(c, x)
		second += ", 'unixepoch'"
	case strings.Contains(c.Shape, "."):
		fraction = "substr(rtrim(substr(" + x + ", 21), 'Z') || '000000000', 1, 9)"
	}
	by := ""
	if len(m.Shifts) > 0 && !(len(m.Shifts) == 1 && m.Shifts[0].Offset == 0) {
		by = ", " + sqliteShift(m, x)
	}
	switch {
	case m.Fine && (by != "" || c.Encoding.IsUnix() || c.Shape[10] != 'T'):
		return "(strftime('%Y-%m-%dT%H:%M:%S', " + second + by + ") || '.' || " + fraction + ")"
	case m.Fine:
		return "(" + second + " || '.' || " + fraction + ")"
	case by != "" || c.Encoding.IsUnix():
		return "date(" + second + by + ")"
	}
	return "substr(" + x + ", 1, 10)"
}

// mostShifts is how many changes of the clocks are written out.
const mostShifts = 8

// usualShape tells whether date-times written in a way are read by SQLite's own
// functions from their first 19 characters.
func usualShape(shape string) bool {
	return len(shape) >= 19 && (shape[:19] == "0000-00-00T00:00:00" || shape[:19] == "0000-00-00 00:00:00") && !strings.Contains(shape[19:], "+")
}

// sqliteShift writes the offset of an instant from UTC as SQLite's functions take
// it. What it compares with is the zone's and nobody's input, and stands in the
// text, where it can be read.
func sqliteShift(m plan.Moment, x string) string {
	n := len(m.Shifts)
	seconds := func(s plan.Shift) string { return fmt.Sprintf("'%d seconds'", s.Offset) }
	if n == 1 {
		return seconds(m.Shifts[0])
	}
	var b strings.Builder
	b.WriteString("case")
	for _, s := range m.Shifts[:n-1] {
		from := fmt.Sprint(s.From)
		if text, ok := s.From.(string); ok {
			from = literal(text)
		}
		fmt.Fprintf(&b, " when %s >= %s then %s", x, from, seconds(s))
	}
	return b.String() + " else " + seconds(m.Shifts[n-1]) + " end"
}

// sqliteUnix is the whole seconds of a count from 1970, and its fraction: divided
// down, before 1970 as well.
func sqliteUnix(c *catalog.Column, x string) (whole, fraction string) {
	scale := c.Encoding.PerSecond()
	if scale == 1 {
		return x, "'000000000'"
	}
	rest := fmt.Sprintf("((%s %% %d + %d) %% %d)", x, scale, scale, scale)
	return fmt.Sprintf("(%s - %s) / %d", x, rest, scale), fmt.Sprintf("printf('%%09d', %s * %d)", rest, 1_000_000_000/scale)
}

// sqliteMoment writes a date that is no time of a zone as text.
func sqliteMoment(m plan.Moment, x string, _ func(utc string) string) string {
	c := m.Ref.Column
	switch {
	case c.Encoding == catalog.EncYMD || c.Encoding == catalog.EncYM:
		return sqliteDay(c, x)
	case c.Encoding == catalog.EncSerial1900: // days from 1899-12-30, to the nearest second
		args := "cast(round((case when " + x + " < 60 then " + x + " + 1 else " + x + " end) * 86400) as integer) - 2209161600, 'unixepoch'"
		if m.Fine {
			return "strftime('%Y-%m-%dT%H:%M:%S', " + args + ") || '.000000000'"
		}
		return "date(" + args + ")"
	}
	return x
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
				return start + " || '/' || coalesce(date(" + start + ", '+6 days'), '9999-12-31')"
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
// into the next month; years that are not accepted give none.
func sqliteMoved(m plan.Moved, x string) string {
	day := "substr(" + x + ", 1, 10)"
	if m.Months != 0 {
		there := fmt.Sprintf("date(%s, '%+d months')", day, m.Months)
		day = "(case when substr(" + there + ", 9, 2) = substr(" + x + ", 9, 2) then " + there + " else date(" + there + ", 'start of month', '-1 day') end)"
	}
	if m.Days != 0 {
		day = fmt.Sprintf("date(%s, '%+d days')", day, m.Days)
	}
	day = "(case when " + day + " >= '0001' then " + day + " end)"
	if m.Fine {
		return "(" + day + " || substr(" + x + ", 11))"
	}
	return day
}

// sqliteAggregate adds numbers up exactly, by a function of ours.
func sqliteAggregate(name, x, where string, _ plan.Expr) string {
	if name != "sum" && name != "average" {
		return ""
	}
	chosen := filter(where)
	sum := "decimal_sum(" + x + ")" + chosen
	if name == "average" {
		return "(" + sum + " * 1.0 / count(" + x + ")" + chosen + ")"
	}
	return sum
}
