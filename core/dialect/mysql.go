package dialect

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

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
		quote:       func(name string) string { return "`" + strings.ReplaceAll(name, "`", "``") + "`" },
		collate:     func(x string) string { return x + " collate " + collation },
		blanks:      mysqlBlanks,
		placeholder: func(n int) string { return "\x00" + strconv.Itoa(n) + "\x00" },
		finish:      mysqlFinish,
		value:       plainValue,
		selected:    func(_ criteria.Ref, quoted string) string { return quoted },
		list: func(x, placeholder string) string {
			return "json_contains(" + placeholder + ", json_array(" + strings.TrimSuffix(x, " collate "+collation) + "))"
		},
		encodeList: encodeJSON,
		contains:   func(x, placeholder string) string { return "instr(lower(" + x + "), lower(" + placeholder + ")) > 0" },
		moment:     mysqlMoment,
		part:       mysqlPart,
		moved: func(m plan.Moved, x string) string {
			day := "left(" + x + ", 10)"
			if m.Months != 0 {
				day = fmt.Sprintf("(%s + interval %d month)", day, m.Months)
			}
			if m.Days != 0 {
				day = fmt.Sprintf("(%s + interval %d day)", day, m.Days)
			}
			return "concat(" + day + ", substr(" + x + ", 11))"
		},
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
			case "concat":
				return "concat(" + strings.Join(args, ", ") + ")"
			case "round":
				return "round(" + strings.Join(append([]string{"cast(" + args[0] + " as decimal(50, 15))"}, args[1:]...), ", ") + ")"
			}
			return ""
		},
		divide: func(x, y string) string { return "((" + x + ") * 1e0 / (" + y + "))" },
	}
}

// mysqlBlanks orders by whether the key is blank first; blanks come first by
// themselves, going up.
func mysqlBlanks(x, key string, first bool) string {
	if first {
		return x + " is null desc, " + key
	}
	return x + " is null, " + key
}

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
	return Query{text, args, q.Lines}
}

// mysqlMoment writes a date as text. The server may know no zones, so the
// offsets of instants come with the statement.
func mysqlMoment(m plan.Moment, column string, offset func() string) string {
	format := "'%Y-%m-%d'"
	if m.Fine {
		format = "'%Y-%m-%dT%H:%i:%s'"
	}
	shifted := func(x string) string {
		return "date_format(" + x + " + interval (" + offset() + ") second, " + format + ")"
	}
	unix := func(seconds string) string {
		return "date_format(timestamp'1970-01-01 00:00:00' + interval (" + seconds + " + (" + offset() + ")) second, " + format + ")"
	}
	text := "cast(" + column + " as char)"
	switch m.Ref.Column.Encoding {
	case catalog.EncInstant:
		return shifted(column)
	case catalog.EncDate, catalog.EncLocal:
		return "date_format(" + column + ", " + format + ")"
	case catalog.EncISOInstant:
		return shifted("cast(left(" + column + ", 19) as datetime)")
	case catalog.EncYMD:
		return "concat(left(" + text + ", 4), '-', substr(" + text + ", 5, 2), '-', substr(" + text + ", 7, 2))"
	case catalog.EncYM:
		return "concat(left(" + text + ", 4), '-', right(" + text + ", 2), '-01')"
	case catalog.EncUnixS:
		return unix(column)
	case catalog.EncUnixMS:
		return unix("floor(" + column + " / 1000)")
	case catalog.EncUnixUS:
		return unix("floor(" + column + " / 1000000)")
	case catalog.EncSerial1900:
		return "date_format(timestamp'1899-12-30 00:00:00' + interval round(" + column + " * 86400) second, " + format + ")"
	}
	if m.Fine {
		return "date_format(cast(left(" + column + ", 19) as datetime), " + format + ")"
	}
	return "left(" + column + ", 10)"
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
			return "concat(" + start + ", '/', date_format(" + start + " + interval 6 day, '%Y-%m-%d'))"
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
