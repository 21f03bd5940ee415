package dialect

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/plan"
)

// MySQL writes for MariaDB 10.6 and MySQL 8 and later. The collation is the one
// of the server that compares by code point and does not disregard blanks at
// the end.
func MySQL(collation string) Dialect {
	return Dialect{
		countsAll:   true,
		mark:        '`',
		collate:     func(x string) string { return x + " collate " + collation },
		convert:     func(x string) string { return "convert(" + x + " using utf8mb4)" },
		blanks:      mysqlBlanks,
		placeholder: func(n int) string { return "\x00" + strconv.Itoa(n) + "\x00" },
		finish:      mysqlFinish,
		value: func(v any) any {
			if d, ok := v.(decimal.Decimal); ok && !(d.IsInteger() && d.BigInt().IsInt64()) {
				return Decimal(d.String())
			}
			return plainValue(v)
		},
		cast: func(v any, placeholder string) string {
			// A decimal bound as a text would be compared as a binary fraction.
			if d, ok := v.(Decimal); ok {
				whole, fraction, _ := strings.Cut(strings.TrimPrefix(string(d), "-"), ".")
				places := min(len(fraction), mysqlPlaces)
				return fmt.Sprintf("cast(%s as decimal(%d, %d))", placeholder, min(len(whole)+places, mysqlDigits), places)
			}
			return placeholder
		},
		repeats:    true,
		unfiltered: true,
		windows:    true, // values at a place of another table's records are refused by the check
		// Beside over (), and over windows of a constant, MariaDB 10.11 gives wrong values
		// of other windows.
		undivided: func(x string) string {
			return "order by " + x + " rows between unbounded preceding and unbounded following"
		},
		widen: func(x string) string { return "(" + x + " + 0.0)" },
		selected: func(ref criteria.Ref, quoted string) string {
			if ref.Column.Bytes {
				return "concat('(', length(" + quoted + "), ' bytes)')"
			}
			return quoted
		},
		list: func(x, placeholder string, values []any) string {
			kind := "longtext character set utf8mb4 collate " + collation
			if _, number := values[0].(decimal.Decimal); number {
				kind = "decimal(65, 20)"
			}
			return x + " in (select list.v from json_table(" + placeholder + ", '$[*]' columns (v " + kind + " path '$')) as list)"
		},
		encodeList: func(values []any) any { return encodeJSON(values) },
		change: func(c civil.YearlyChange, utc string) string {
			day := fmt.Sprintf("concat(left(%s, 4), '-%02d-%02d')", utc, c.Month, c.Day)
			return fmt.Sprintf("date_format(timestamp(%s) + interval (%d - dayofweek(%s)) %% 7 day + interval %d second, '%%Y-%%m-%%dT%%H:%%i:%%s')", day, int(c.Weekday)+8, day, c.Seconds)
		},
		fits: mysqlFits,
		piece: func(x string, n int) string {
			return fmt.Sprintf("substring_index(substring_index(%s, '|', %d), '|', -1)", x, n)
		},
		matches: func(x, pattern string) string { return x + " regexp " + literal(`(?-i)^`+pattern+`\z`) },
		matching: func(x, pattern string) string {
			return "nullif(regexp_substr(" + x + ", " + literal(`(?-i)^`+pattern+`\z`) + "), '')"
		},
		position: func(names, x string) string { return "instr(" + literal(names) + ", " + x + ")" },
		stored: func(c *catalog.Column, x string) string {
			switch {
			case !c.Encoding.IsCount() || c.Stored != catalog.Text:
				return x
			case c.Encoding.IsUnix():
				return "cast(" + x + " as signed)"
			}
			return "cast(" + x + " as decimal(40, 20))"
		},
		aggregate: func(name, x, _ string, of plan.Expr) string {
			c, ok := of.(plan.Column)
			if ok && name == "sum" && (strings.HasPrefix(c.Ref.Column.Declared, "double") || strings.HasPrefix(c.Ref.Column.Declared, "float")) {
				return "sum(cast(" + x + " as decimal(65, 20)))" // the decimals they are written as
			}
			return ""
		},
		contains: func(x, placeholder string) string { return "instr(lower(" + x + "), lower(" + placeholder + ")) > 0" },
		moment:   mysqlMoment,
		part:     mysqlPart,
		moved: func(m plan.Moved, x string) string {
			day := "left(" + x + ", 10)"
			if m.Months != 0 {
				day = fmt.Sprintf("(%s + interval %d month)", day, m.Months)
			}
			if m.Days != 0 {
				day = fmt.Sprintf("(%s + interval %d day)", day, m.Days)
			}
			// Years before the first are none; written so that the day stands once.
			text := "nullif(greatest(cast(" + day + " as char(10)), '0001'), '0001')"
			if m.Fine {
				text = "concat(" + text + ", substr(" + x + ", 11))"
			}
			return text
		},
		steps: func(x string, numbers []int) string { return "interval(" + x + ", " + listed(numbers) + ")" },
		nth:   func(n string, numbers []int) string { return "elt(" + n + " + 1, " + listed(numbers) + ")" },
		times: func(x string, n int) string { return "(" + x + ") div " + strconv.Itoa(n) },
		dayAt: func(day, n string) string {
			return "date_format(date_add(" + day + ", interval (" + n + ") day), '%Y-%m-%d')"
		},
		whole:       func(x string) string { return "cast(" + x + " as signed)" },
		daysBetween: func(from, to string) string { return "datediff(" + to + ", " + from + ")" },
		match: func(op, x, y string) string {
			switch op {
			case "contains":
				return "instr(" + x + ", " + y + ") > 0"
			case "starts with":
				return "left(" + x + ", char_length(" + y + ")) = " + y
			}
			return "char_length(" + x + ") >= char_length(" + y + ") and substr(" + x + ", char_length(" + x + ") - char_length(" + y + ") + 1) = " + y + " or " + y + " = '' and " + x + " is not null"
		},
		function: func(name string, args []string) string {
			switch name {
			case "length":
				return "char_length(" + args[0] + ")"
			case "position":
				return "instr(" + strings.Join(args, ", ") + ")"
			case "nth_part":
				return "substring_index(substring_index(" + strings.Join(args, ", ") + "), " + args[1] + ", -1)"
			case "replace": // what is not found is not replaced by blank there
				return "case when " + args[2] + " is not null then replace(" + strings.Join(args, ", ") + ") end"
			case "text_of":
				return "cast(" + args[0] + " as char)"
			case "digits":
				return "cast(" + args[0] + " as signed)"
			case "digits_of":
				return "cast(" + args[0] + " as decimal(30, 10))"
			case "concat":
				return "concat(" + strings.Join(args, ", ") + ")"
			case "round":
				return "round(" + strings.Join(append([]string{"cast(" + args[0] + " as decimal(50, 15))"}, args[1:]...), ", ") + ")"
			}
			return ""
		},
		seconds: func(from, to string) string {
			return "timestampdiff(second, left(" + from + ", 19), left(" + to + ", 19))"
		},
		pattern: likePattern,
		wild:    "like ? escape '!'",
		divide:  func(x, y string) string { return "((" + x + ") * 1e0 / (" + y + "))" },
	}
}

// Decimal is an exact decimal that is bound as text.
type Decimal string

// The most digits of a decimal, and of those after its point.
const mysqlDigits, mysqlPlaces = 65, 30

// mysqlBlanks orders by whether the key is blank first; blanks come first by
// themselves, going up.
func mysqlBlanks(x, key string, first bool) string {
	if first {
		return x + " is null desc, " + key
	}
	return x + " is null, " + key
}

// mysqlMost is how many values the server takes with one statement.
const mysqlMost = 65_535

var mysqlMark = regexp.MustCompile("\x00([0-9]+)\x00")

// mysqlFinish puts a question mark for each use of a value, and the values in
// the order of their uses: the server knows them by their place only.
func mysqlFinish(q Query) Query {
	var args []any
	text := mysqlMark.ReplaceAllStringFunc(q.SQL, func(mark string) string {
		n, _ := strconv.Atoi(strings.Trim(mark, "\x00"))
		args = append(args, q.Args[n-1])
		return "?"
	})
	for i := range q.Lines {
		q.Lines[i].SQL = mysqlMark.ReplaceAllString(q.Lines[i].SQL, "?")
	}
	q.SQL, q.Args = text, args
	q.tooLong = q.tooLong || len(args) > mysqlMost
	return q
}

// mysqlFits looks at a date: those of the server's own may have a month or day
// of zero.
func mysqlFits(c *catalog.Column, x string) string {
	matches := func(x string) string { return x + ` regexp '^` + pattern(c) + `\z'` }
	switch {
	case c.Encoding.IsNative():
		return x + " >= '" + firstOf(c) + "' and month(" + x + ") > 0 and dayofmonth(" + x + ") > 0"
	case numbered(c):
		return within(c, x)
	case c.Encoding.IsCount():
		cast := "cast(" + x + " as decimal(40, 20))"
		return matches(x) + " and " + within(c, cast)
	case c.Stored != catalog.Text:
		return matches("cast(" + x + " as char)")
	case c.Encoding == catalog.EncISOInstant:
		return matches(x) + " and " + x + " >= '" + firstOf(c) + "'"
	}
	return matches(x)
}

// mysqlMoment writes a date as text. The server may know no zones, so the
// offsets of instants come with the statement.
func mysqlMoment(m plan.Moment, x string, offset func(utc string) string) string {
	c := m.Ref.Column
	format, fraction := "'%Y-%m-%d'", ""
	const seconds = "'%Y-%m-%dT%H:%i:%s'"
	if m.Fine {
		format, fraction = seconds, "'.000000000'"
	}
	shown := func(at string) string {
		text := "date_format(" + at + ", " + format + ")"
		if m.Fine {
			return "concat(" + text + ", " + fraction + ")"
		}
		return text
	}
	shifted := func(at string) string {
		by := offset("date_format(" + at + ", " + seconds + ")")
		if by == "0" {
			return shown(at)
		}
		return shown(at + " + interval (" + by + ") second")
	}
	text := "cast(" + x + " as char)"
	switch {
	case c.Encoding.IsNative():
		if m.Fine && c.Encoding != catalog.EncDate {
			format, fraction = "'%Y-%m-%dT%H:%i:%s.%f'", "'000'"
		}
		if c.Encoding == catalog.EncInstant {
			return shifted(x)
		}
		return shown(x)
	case c.Encoding == catalog.EncYMD:
		return "concat(left(" + text + ", 4), '-', substr(" + text + ", 5, 2), '-', substr(" + text + ", 7, 2))"
	case c.Encoding == catalog.EncYM:
		return "concat(left(" + text + ", 4), '-', right(" + text + ", 2), '-01')"
	case c.Encoding.IsUnix():
		scale := c.Encoding.PerSecond()
		whole := x
		if scale > 1 {
			rest := fmt.Sprintf("((%s %% %d + %d) %% %d)", x, scale, scale, scale)
			whole = fmt.Sprintf("((%s - %s) div %d)", x, rest, scale)
			if m.Fine {
				fraction = fmt.Sprintf("concat('.', lpad(%s * %d, 9, '0'))", rest, 1_000_000_000/scale)
			}
		}
		return shifted("(timestamp'1970-01-01 00:00:00' + interval " + whole + " second)")
	case c.Encoding == catalog.EncSerial1900:
		return shown("(timestamp'1899-12-30 00:00:00' + interval round((case when " + x + " < 60 then " + x + " + 1 else " + x + " end) * 86400) second)")
	case c.Encoding.IsTimedText():
		at := "cast(replace(case when char_length(" + x + ") = 10 then " + x + " when substr(" + x + ", 17, 1) = ':' then left(" + x + ", 19) else left(" + x + ", 16) end, 'T', ' ') as datetime)"
		if m.Fine {
			fraction = "concat('.', rpad(case when substr(" + x + ", 20, 1) = '.' then regexp_substr(substr(" + x + ", 21), '^[0-9]+') else '' end, 9, '0'))"
		}
		if c.Encoding == catalog.EncISOInstant {
			return shifted(at)
		}
		return shown(at)
	}
	return x
}

func mysqlPart(p plan.DatePart, x string) string {
	half := func(first, second string) string {
		return "case when month(" + x + ") < 7 then '" + first + "' else '" + second + "' end"
	}
	start := x
	switch p.Unit {
	case civil.Week:
		start = fmt.Sprintf("date_format(%s - interval ((dayofweek(%s) + %d) %% 7) day, '%%Y-%%m-%%d')", x, x, 6-int(p.WeekStart))
	case civil.Month:
		start = "concat(left(" + x + ", 7), '-01')"
	case civil.Quarter:
		start = "concat(left(" + x + ", 4), '-', lpad(quarter(" + x + ") * 3 - 2, 2, '0'), '-01')"
	case civil.Half:
		start = "concat(left(" + x + ", 4), " + half("-01-01", "-07-01") + ")"
	case civil.Year:
		start = "concat(left(" + x + ", 4), '-01-01')"
	}
	switch p.Form {
	case plan.DayOf:
		return "weekday(" + x + ") + 1"
	case plan.StartOf:
		return start
	case plan.TextOf:
		switch p.Unit {
		case civil.Week:
			if isMonday(p) {
				return "date_format(" + x + ", '%x-W%v')"
			}
			return "concat(" + start + ", '/', coalesce(date_format(" + start + " + interval 6 day, '%Y-%m-%d'), '9999-12-31'))"
		case civil.Month:
			return "left(" + x + ", 7)"
		case civil.Quarter:
			return "concat(left(" + x + ", 4), '-Q', quarter(" + x + "))"
		case civil.Half:
			return "concat(left(" + x + ", 4), " + half("-H1", "-H2") + ")"
		case civil.Year:
			return "left(" + x + ", 4)"
		}
		return x
	}
	switch p.Unit {
	case civil.Week:
		return "week(" + x + ", 3)"
	case civil.Month:
		return "month(" + x + ")"
	case civil.Quarter:
		return "quarter(" + x + ")"
	case civil.Year:
		return "year(" + x + ")"
	}
	return "dayofmonth(" + x + ")"
}
