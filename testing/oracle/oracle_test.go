package oracle_test

import (
	"context"
	"database/sql"
	"flag"
	"fmt"
	"maps"
	"math/rand/v2"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3"
	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/core/proof"
	"pikegate/internal/engine"
	"pikegate/internal/engine/mysql"
	"pikegate/internal/engine/postgres"
	"pikegate/internal/engine/sqlite"
	"pikegate/testing/oracle"
	"pikegate/testing/servers"
)

var (
	expressions = flag.Int("expressions", 1_000, "how many random expressions are tried, each on every small table")
	seed        = flag.Uint64("seed", 1, "seed of the random expressions")
)

// The small tables are parts of one, told apart by the column world, so that
// one statement answers for all of them.
const (
	worlds  = 8
	records = 10 // of each world
)

var columns = []catalog.Column{
	{Name: "id", Type: catalog.Integer},
	{Name: "world", Type: catalog.Integer},
	{Name: "n", Type: catalog.Integer, Nullable: true},
	{Name: "m", Type: catalog.Integer},
	{Name: "x", Type: catalog.Decimal, Nullable: true},
	{Name: "s", Type: catalog.Text, Nullable: true},
	{Name: "t", Type: catalog.Text},
	{Name: "b", Type: catalog.Boolean, Nullable: true},
	{Name: "d", Type: catalog.Date, Encoding: catalog.EncISODate, Stored: catalog.Text, Nullable: true},
	{Name: "f", Type: catalog.Date, Encoding: catalog.EncYMD, Stored: catalog.Integer},
	{Name: "e", Type: catalog.DateTime, Encoding: catalog.EncISOInstant, Stored: catalog.Text, Nullable: true},
	{Name: "u", Type: catalog.DateTime, Encoding: catalog.EncUnixS, Stored: catalog.Integer},
	{Name: "l", Type: catalog.DateTime, Encoding: catalog.EncISOLocal, Stored: catalog.Text, Nullable: true},
	// Dates as people keep them: written in several ways, early and late, and
	// some that are none.
	{Name: "z", Type: catalog.DateTime, Encoding: catalog.EncISOInstant, Stored: catalog.Text, Nullable: true},
	{Name: "v", Type: catalog.DateTime, Encoding: catalog.EncISOLocal, Stored: catalog.Text, Nullable: true},
	{Name: "w", Type: catalog.Date, Encoding: catalog.EncISODate, Stored: catalog.Text, Nullable: true},
	{Name: "y", Type: catalog.Date, Encoding: catalog.EncYMD, Stored: catalog.Text, Nullable: true},
	{Name: "k", Type: catalog.DateTime, Encoding: catalog.EncUnixMS, Stored: catalog.Integer},
	{Name: "a", Type: catalog.DateTime, Encoding: catalog.EncUnixS, Stored: catalog.Text, Nullable: true},
	{Name: "g", Type: catalog.DateTime, Encoding: catalog.EncSerial1900, Stored: catalog.Decimal, Nullable: true},
	// Texts in layouts of their own: of one field order and another, with names, with what may
	// be left out, with half days and years of two digits, and one that sorts.
	{Name: "c", Type: catalog.Date, Encoding: "D.M.Y", Stored: catalog.Text, Nullable: true},
	{Name: "p", Type: catalog.DateTime, Encoding: "D. Mon Y[ h:m[:s]] in german", Stored: catalog.Text, Nullable: true},
	{Name: "q", Type: catalog.DateTime, Encoding: "M/D/YY h:m am from 1970", Stored: catalog.Text},
	{Name: "h", Type: catalog.DateTime, Encoding: "Y/MM/DD hh:m:s", Stored: catalog.Text, Nullable: true},
}

// dated are the names of those with dates.
var dated = func() (names []string) {
	for _, c := range columns {
		if c.Encoding != "" {
			names = append(names, c.Name)
		}
	}
	return names
}()

// farDays are early and late ones.
var farDays = []civil.Date{
	civil.DateOf(1, 1, 1), civil.DateOf(1890, 6, 15), civil.DateOf(1900, 1, 15), civil.DateOf(1955, 7, 1), civil.DateOf(1969, 12, 31), civil.DateOf(1970, 1, 1),
	civil.DateOf(2061, 7, 4), civil.DateOf(2061, 3, 27), civil.DateOf(9999, 12, 1), civil.DateOf(9999, 12, 31),
}

// Values that are no dates, of texts and of whole numbers. A native one is
// whatever the engine has of the kind.
var (
	unfitTexts = []any{
		"", "n/a", "21.01.2025", "2025-02-29", "2025-13-01", "0000-01-01", "2025-03-30T24:00", "2025-03-30T08:61:00Z", "2025-03-30T08:30:00+02:00",
		"2025-03-30T08:30:60Z", "2025-03-30T08:30:00.Z", "2025-03-30T08:30:00.0000000001Z", "2025-03-30x", "2025-3-30", "20250230", "2025033", "1e9", "12.5.1", "0",
	}
	unfitLaidOut = []any{
		"31.02.2025", "1.1.25", "3.13.2025", "29.02.2100", "32.1.2025", "1.1.0000", "01.01.10000", "1.1.2025 ", "31. Foo 2025", "31. märz2025", "29. FEBRUAR 2025", "1. MäRZ 2025", "1. März 2025 24:00",
		"1. März 2025 8:5", "12/31/25 0:30 AM", "12/31/25 13:00 PM", "2/30/25 1:00 am", "12/31/25 1:00", "2025/3/1 08:00:00", "2025/02/29 08:00:00", "2025/03/01 08:60:00", "2025-03-01 08:00:00", "2025/03/01", "|", "",
	}
	unfitWholes = []any{0, 99999999, 20250230, 2025033}
)

type native struct{}

// days are those around which calendars go wrong.
var days = []civil.Date{
	civil.DateOf(2024, 2, 28), civil.DateOf(2024, 2, 29), civil.DateOf(2024, 12, 29), civil.DateOf(2024, 12, 31),
	civil.DateOf(2025, 1, 1), civil.DateOf(2025, 1, 31), civil.DateOf(2025, 3, 29), civil.DateOf(2025, 3, 30),
	civil.DateOf(2025, 3, 31), civil.DateOf(2025, 10, 25), civil.DateOf(2025, 10, 26), civil.DateOf(2025, 10, 27),
}

var words = []string{"", "a", "A", "ab", "Ä", "ä b", "b%", "_", "abc", " c ", "a&b", "é", "É", "<&>", "12", "1.234,5", " -7.25 ", "31.3.2025", "1.1.2025", "a-b--c", "[a]*", "0012"}

type random struct {
	*rand.Rand
	// related tells that another table is asked about already.
	related bool
}

// none is the same function, unless no dates of the engine's own are to be none.
func (r random) none(f func(i int) any) func(i int) any {
	if plainNative {
		return nil
	}
	return f
}

// plainNative keeps dates of an engine's own that are none out of the tables:
// each engine shows its own.
var plainNative bool

func pick[T any](r random, from []T) T { return from[r.IntN(len(from))] }

func (r random) record(id, world int) []any {
	zone := london
	moment := func() civil.DateTime {
		return pick(r, days).Midnight() + civil.DateTime(pick(r, []int{0, 0, 1, 3600, 5400, 12 * 3600, 24*3600 - 1}))
	}
	maybe := func(v any) any {
		if r.IntN(4) == 0 {
			return nil
		}
		return v
	}
	instant := civil.InstantOf(moment(), zone)
	y, m, d := pick(r, days).YMD()
	ymd := y*10000 + m*100 + d
	anyDay := func() civil.Date {
		if r.IntN(4) == 0 {
			return pick(r, farDays)
		}
		return pick(r, days)
	}
	// written is a date-time as text in one of the ways there are.
	written := func(zones ...string) string {
		at := anyDay().Midnight() + civil.DateTime(pick(r, []int{0, 1, 3600, 8*3600 + 30*60, 8*3600 + 30*60 + 15, 24*3600 - 1}))
		text := string(at.AppendTo(nil, pick(r, []byte{'T', ' '})))
		switch {
		case at.IsMidnight() && r.IntN(2) == 0:
			return text[:10]
		case at.Seconds()%60 == 0 && r.IntN(2) == 0:
			text = text[:16]
		case r.IntN(2) == 0:
			text += pick(r, []string{".5", ".25", ".500", ".000000001"})
		}
		return text + pick(r, zones)
	}
	unfit := func(v any, others []any) any {
		if r.IntN(6) == 0 {
			return pick(r, others)
		}
		return v
	}
	far := func() int64 {
		return int64(civil.InstantOf(anyDay().Midnight()+civil.DateTime(r.IntN(86400)), civil.UTC))
	}
	yy, ym, yd := anyDay().YMD()
	serial := maybe([]any{1.0, 59.0, 61.0, 45000.0, 45000.25, 45746.354340278, 2958465.0}[r.IntN(7)])
	at := func() (time.Time, bool) {
		t := anyDay().Midnight() + civil.DateTime(pick(r, []int{0, 0, 60, 3600, 8*3600 + 30*60, 8*3600 + 30*60 + 15, 12 * 3600, 13*3600 + 60, 24*3600 - 1}))
		return time.Unix(int64(t), 0).UTC(), t.IsMidnight()
	}
	day, _ := at()
	named, midnight := at()
	german := oracle.German[named.Month()]
	text := named.Format(pick(r, []string{"2", "02"})) + ". " + pick(r, []string{german[0], german[1], strings.ToUpper(german[0]), strings.ToLower(german[0]), german[1] + "."}) + named.Format(" 2006")
	switch {
	case !midnight && named.Second() == 0:
		text += named.Format(" 15:04")
	case !midnight || r.IntN(2) == 0:
		text += named.Format(pick(r, []string{" 15:04:05", " 15:04"}))
	}
	american, _ := at()
	year, _ := at()
	return []any{
		id, world, maybe(r.IntN(9) - 2), r.IntN(7) - 1, maybe(float64(r.IntN(40)-10) / 4), maybe(pick(r, words)), pick(r, words),
		maybe(r.IntN(2)), unfit(maybe(pick(r, days).String()), []any{native{}}), unfit(ymd, unfitWholes), unfit(maybe(instant.String()), []any{native{}}),
		int64(civil.InstantOf(moment(), zone)), unfit(maybe(moment().String()), []any{native{}}),
		unfit(maybe(written("Z", "Z", "", "+00:00")), unfitTexts), unfit(maybe(written("")), unfitTexts), unfit(maybe(anyDay().String()), unfitTexts),
		unfit(maybe(fmt.Sprintf("%04d%02d%02d", yy, ym, yd)), unfitTexts), unfit(far()*1000+int64(r.IntN(3)*250), []any{int64(253402300800000), int64(1) << 60}),
		unfit(maybe(strconv.FormatInt(far(), 10)), unfitTexts), unfit(serial, []any{-1.0, 3e6}),
		unfit(maybe(day.Format(pick(r, []string{"02.01.2006", "2.1.2006", "2.01.2006"}))), unfitLaidOut), unfit(maybe(text), unfitLaidOut),
		unfit(american.Format(pick(r, []string{"1/2/06 3:04 PM", "01/02/06 03:04 pm"})), unfitLaidOut), unfit(maybe(year.Format("2006/01/02 15:04:05")), unfitLaidOut),
	}
}

func (r random) number(depth int) string {
	if r.IntN(20) == 0 {
		return "working_days(" + r.date(2) + ", " + r.date(2) + ")"
	}
	switch r.IntN(24) {
	case 0:
		return "number_of(" + pick(r, []string{"s", "t"}) + pick(r, []string{")", ", ',')", ", '.')"})
	case 1:
		return "position(" + r.text(2) + ", " + pick(r, []string{"'b'", "'a'", "'-'", "''", "s", ":word"}) + ")"
	case 2:
		return pick(r, []string{"hour", "minute"}) + "(" + pick(r, []string{"e", "u", "l", "z", "v", "k", "p", "q", "h"}) + ")"
	case 3:
		return pick(r, []string{"hours_between", "minutes_between"}) + "(" + pick(r, []string{"e, u", "u, k", "l, v", "z, e", "l, u", "k, z"}) + ")"
	}
	switch r.IntN(15 - min(depth, 2)*4) {
	case 0, 1:
		return pick(r, []string{"n", "m", "x"})
	case 2:
		return pick(r, []string{"0", "1", "2", "3", "5", "0.5", "2.25", "-1"})
	case 3:
		return pick(r, []string{":small", ":count"})
	case 4:
		return pick(r, []string{"year", "quarter", "month", "week", "day", "weekday"}) + "(" + r.date(2) + ")"
	case 5:
		return "length(" + r.text(2) + ")"
	case 6:
		return "(" + r.number(depth+1) + pick(r, []string{" + ", " - ", " * "}) + r.number(depth+1) + ")"
	case 7:
		return r.number(2) + " / " + pick(r, []string{"2", "4", "-0.5"})
	case 8:
		return pick(r, []string{"abs", "floor", "ceil", "round"}) + "(" + r.number(depth+1) + ")"
	case 9:
		return "round(" + pick(r, []string{"x / 4", "x", "x * 1.5"}) + ", " + pick(r, []string{"0", "1", "2"}) + ")"
	case 10:
		return r.date(2) + " - " + r.date(2)
	case 11:
		return "coalesce(n, " + r.number(depth+1) + ")"
	case 12:
		return "if(" + r.condition(depth+2) + ", " + r.number(depth+1) + ", " + r.number(depth+1) + ")"
	case 13:
		if !r.related {
			return r.ofRelated(depth)
		}
	}
	return "-" + pick(r, []string{"n", "m", "x"})
}

func (r random) text(depth int) string {
	switch r.IntN(24) {
	case 0:
		return "part(" + r.text(2) + pick(r, []string{", 1, 1)", ", 2)", ", 1, 2)", ", 2, 3)", ", 9)"})
	case 1:
		return "replace(" + r.text(2) + ", " + pick(r, []string{"'a'", "'b'", "' '", "'--'", "'Ä'"}) + ", " + pick(r, []string{"''", "'x'", "s"}) + ")"
	case 2:
		return "split(" + r.text(2) + ", " + pick(r, []string{"'-'", "' '", "'b'", "'.'"}) + pick(r, []string{", 1)", ", 2)", ", 4)"})
	case 3:
		return pick(r, []string{"pad_left", "pad_right"}) + "(" + r.text(2) + pick(r, []string{", 4, '0')", ", 1, ' ')", ", 6, 'é')"})
	case 4:
		return "text_of(" + pick(r, []string{"n", "m", "n", "day(d)", "length(t)"}) + ")"
	case 5:
		return "time_of(" + pick(r, []string{"e", "u", "l", "z", "v", "k"}) + ")"
	}
	switch r.IntN(10 - depth*2) {
	case 0, 1, 2:
		return pick(r, []string{"s", "t"})
	case 3, 4:
		return "'" + pick(r, words) + "'"
	case 5:
		return ":word"
	case 6:
		return pick(r, []string{"lower", "upper", "trim"}) + "(" + r.text(depth+1) + ")"
	case 7:
		return "concat(" + r.text(depth+1) + ", " + r.text(depth+1) + ")"
	case 8:
		return "coalesce(s, " + r.text(depth+1) + ")"
	}
	return "if(" + r.condition(2) + ", s, " + r.text(depth+1) + ")"
}

var lengths = []string{"1 day", "30 days", "2 weeks", "1 month", "P1Y", "3 months"}

func (r random) date(depth int) string {
	switch r.IntN(30) {
	case 0:
		return "date_in(" + pick(r, []string{"s", "t"}) + ", 'D.M.Y')"
	case 1:
		return "(" + pick(r, []string{"d", "f", "l", "v", "w", "date_of(e)"}) + pick(r, []string{" + ", " - "}) + pick(r, []string{"n", "m", "(n * m)", "length(t)", "day(f)"}) + " days)"
	}
	if depth < 2 && r.IntN(20) == 0 {
		return "(" + pick(r, []string{"d", "f", "l", "v", "w", "y", "date_of(e)", "date_of(u)", "date_of(k)", "(d - 2 workdays)", "(l + 1 month)", "start_of(month, z)"}) + pick(r, []string{" + ", " - "}) + pick(r, []string{"1 working day", "3 working days", "20 working days", "300 workdays"}) + ")"
	}
	switch r.IntN(13 - depth*2) {
	case 0, 1, 2, 3, 4, 5:
		return pick(r, dated)
	case 6:
		return "date_of(" + pick(r, []string{"e", "u", "l", "z", "v", "k", "a", "p", "q", "h"}) + ")"
	case 7:
		return "start_of(" + pick(r, []string{"day", "week", "month", "quarter", "half", "year"}) + ", " + r.date(depth+1) + ")"
	case 8:
		return "(" + pick(r, []string{"d", "f", "l", "v", "w", "c", "p"}) + pick(r, []string{" + ", " - "}) + pick(r, lengths) + ")"
	case 9:
		return "coalesce(d, f)"
	case 10:
		return "coalesce(date_of(e), d)"
	case 11:
		if !r.related {
			return "(" + pick(r, []string{"least", "greatest"}) + " of o." + pick(r, dated) + " from " + r.others(depth) + ")"
		}
	}
	return "if(" + r.condition(2) + ", d, f)"
}

var periods = []string{
	"2025-03", "2025-03-30", "2024", "2025-Q1", "2024-12-31/2025-01-31", "2024-02-29", "2025-W13", "2025-10-26", "2025-H2", "yesterday", "last month", "since 2025-01-31", "2025-10-25/2025-10-26",
	"9999-12-31", "after 9999-12-31", "through 9999-12-31", "1955-07", "2061", "before 1970-01-01", "0001-01-01", "2025-03-30T08:30", "2025-03-30T08:30:15/2025-03-31T08:30", "2024-12-31T23:59:59",
}

// stretch is an operand that is a period or a day.
func (r random) stretch() string {
	switch r.IntN(8) {
	case 0, 1:
		return ":period"
	case 2:
		return ":period." + pick(r, []string{"from", "through", "until"})
	case 3:
		return pick(r, []string{":day", ":open"})
	case 4:
		return ":day + " + pick(r, append(lengths, "2 working days", "11 working days"))
	}
	return "'" + pick(r, periods) + "'"
}

func (r random) condition(depth int) string {
	not := pick(r, []string{"", "", "not "})
	op := " " + pick(r, []string{"=", "<>", "<", "<=", ">", ">="}) + " "
	fold := pick(r, []string{"", "", " ignoring case"})
	if r.IntN(20) == 0 {
		return not + pick(r, []string{"is_holiday", "is_working_day"}) + "(" + r.date(min(depth, 2)) + ")"
	}
	choice := r.IntN(21)
	if depth >= 3 {
		choice = 4 + r.IntN(11)
	}
	switch choice {
	case 0, 1:
		return "(" + r.condition(depth+1) + " and " + r.condition(depth+1) + ")"
	case 2, 3:
		return "(" + r.condition(depth+1) + " or " + r.condition(depth+1) + ")"
	case 4:
		if r.IntN(8) == 0 {
			return "part(t, 1, 2) = " + pick(r, []string{"'ab'", "'a'", "'1.'"})
		}
		return pick(r, []string{"n", "m", "x"}) + op + pick(r, []string{"0", "1", "2", "2.5", ":small"})
	case 5:
		return r.number(0) + op + r.number(0)
	case 6:
		return r.text(0) + op + r.text(0) + fold
	case 7:
		return r.text(1) + " " + not + pick(r, []string{"contains " + r.text(1), "starts with " + r.text(1), "ends with " + r.text(1), "matches " + pick(r, []string{"'a*'", "'*b*'", "'?'", "'a?*'", "'* *'", "'[a]*'", "'*%'", "'_'", "'ab'", "'É'", ":word"})}) + fold
	case 8:
		return pick(r, []string{"n", "n / 2", "year(d)"}) + " " + not + "in (1, 2, 2024, 0.5)"
	case 9:
		if r.IntN(3) == 0 { // more values than are bound one by one
			return pick(r, []string{"s " + not + "in :list", "n " + not + "in :numbers", "x " + not + "in :decimals", "m - 1 " + not + "in :numbers"})
		}
		return pick(r, []string{"s", "t"}) + " " + not + "in " + pick(r, []string{":words", "('a', 'ä b')" + fold})
	case 10, 11:
		return r.date(0) + " " + not + "within " + strings.TrimSuffix(r.stretch(), " + P1Y")
	case 12:
		return r.date(0) + op + r.stretch()
	case 13:
		return r.date(0) + op + r.date(0)
	case 14:
		return pick(r, []string{"n", "s", "e", "x + n", "coalesce(s, t)", "d + 1 day", "z", "w", "f", "d", "date_of(v)", "y", "l", "(n > 1)"}) + " is " + not + "blank"
	case 15:
		return pick(r, []string{"b", "b = true", "b <> :yes", ":yes", "not :yes", "(n < 0) = (m > 1)", "b = (n > 1)", "(x > 1 or n = 2) <> b", "coalesce(b, n > 1)", "if(n > 1, b, m > 2) = b", "(d within :period) = (n > 0)", "(b and n > 1) in (true, b)"})
	case 16:
		if r.IntN(3) == 0 {
			return "span(" + pick(r, []string{"d, f", "f, d", "u, e", "d, w", "l, v"}) + ") " + not + "covers " + r.date(1)
		}
		return "span(" + pick(r, []string{"d, f", "f, d", "u, e", "e, e", "d, w", "l, v", "k, z"}) + ") " + not + pick(r, []string{"overlaps", "inside", "covers"}) + " " + r.stretch()
	case 17:
		return pick(r, []string{"month", "week", "quarter", "year", "half", "closure", "winter tides", "fiscal year", "fiscal quarter", "fiscal period"}) + " of " + pick(r, []string{"d", "e", "f", "z", "w", "k"}) + op + "'" + pick(r, periods) + "'"
	case 19: // the other records of the table that belong to a record in some way
		if r.related {
			break
		}
		return "(" + not + pick(r, []string{"any", "no", "at least 2", "at most 1", "exactly :small", "at least :count"}) + " " + r.others(depth) + ")"
	case 18:
		return r.date(1) + " " + not + "between " + pick(r, []string{"'2024-02-29'", ":day", ":period.from"}) + " and " + pick(r, []string{"'2025-03'", ":period.through"})
	}
	return "not (" + r.condition(depth+1) + ")"
}

// ofRelated is a number made of the other records that belong to a record.
func (r random) ofRelated(depth int) string {
	of := pick(r, []string{"sum of o.x", "sum of o.n * 2", "average of o.m", "least of o.x - 1", "greatest of o.n", "count distinct of o.s", "sum of if(o.b, o.m, 0)", "median of o.m", "percentile 60 of o.x"})
	return "(" + pick(r, []string{"count of ", of + " from "}) + r.others(depth) + ")"
}

// others says which of the other records belong to a record.
func (r random) others(depth int) string {
	r.related = true // one inside another would name the same table
	if r.IntN(6) == 0 {
		return "all r as o" + pick(r, []string{"", " where o.n > 1", " where o.d within :period", " where o.x < 2 and (" + r.condition(depth+1) + ")"})
	}
	how := pick(r, []string{"o.m = r.m", "o.id < r.id", "o.b = r.b and o.id <> r.id", "o.n = r.m", "r.s = o.s", "o.d <= r.f"})
	return "r as o where " + how + pick(r, []string{"", " and " + r.condition(depth+1), " and (" + r.condition(depth+1) + ")"})
}

var london, _ = time.LoadLocation("Europe/London")

var questions = []parameter.Parameter{
	{Name: "period", Kind: parameter.Period, Required: true, Limits: parameter.Limits{Ends: parameter.EndsClosed, Earliest: "2024"}},
	{Name: "open", Kind: parameter.Period, Limits: parameter.Limits{Ends: parameter.EndsOpen}},
	{Name: "day", Kind: parameter.Date, Required: true, Limits: parameter.Limits{Latest: "2025-12-31"}},
	{Name: "small", Kind: parameter.Integer, Required: true, Limits: parameter.Limits{Least: "0", Most: "3"}},
	{Name: "count", Kind: parameter.Integer},
	{Name: "word", Kind: parameter.Text, WhenBlank: parameter.MatchBlank},
	{Name: "words", Kind: parameter.Text, Many: true, IncludeBlanks: true},
	{Name: "yes", Kind: parameter.YesNo},
	{Name: "list", Kind: parameter.Text, Many: true, Required: true},
	{Name: "numbers", Kind: parameter.Integer, Many: true, Required: true},
	{Name: "decimals", Kind: parameter.Decimal, Many: true, Required: true},
}

func (r random) answers(text string) map[string]parameter.Input {
	in := parameter.Inputs{}
	give := func(name string, required bool, texts ...string) {
		if required || r.IntN(3) > 0 {
			in[name] = parameter.Input{Texts: []string{pick(r, texts)}}
		}
	}
	give("period", true, "2025-03", "2024-12-29/2025-01-01", "2025-03-30", "2024", "yesterday")
	give("open", false, "since 2025-01-31", "before 2025-03-30", "all", "2025")
	give("day", true, "2025-03-30", "2024-02-29", "2025-01-31", "2024-12-31")
	give("small", true, "0", "1", "3")
	give("count", false, "2", "-1")
	give("word", false, "a", "Ä", "abc")
	give("words", false, "a", "A", "b%")
	give("yes", false, "yes", "no")
	var list, numbers, decimals parameter.Input
	n := 1
	if strings.Contains(text, ":list") || strings.Contains(text, ":numbers") || strings.Contains(text, ":decimals") {
		n = 250
	}
	for i := range n {
		list.Texts = append(list.Texts, fmt.Sprintf("%s%d", pick(r, words), i))
		numbers.Texts = append(numbers.Texts, strconv.Itoa(i+3))
		decimals.Texts = append(decimals.Texts, strconv.Itoa(i)+".25")
	}
	in["list"], in["numbers"], in["decimals"] = parameter.Input{Texts: append(list.Texts, "a&b", "é", "A")}, numbers, decimals
	return in
}

// bench is the small tables in one engine, and the records as they are to be
// read.
type bench struct {
	engine  string
	source  engine.Source
	address engine.Address // of what newEmpty made
	catalog catalog.Source
	records map[int64]oracle.Record
	open    func(t *testing.T)
	// none is what the engine has in a column of its own dates that is none.
	none func(i int) any
	// clean, where set, makes dates of a record that fit, those of a column written
	// alike.
	clean func(row []any)
	ids   []int64
	ctx   civil.Calendar
}

// newBench makes the small tables in an SQLite file, newClean such with dates that
// fit, each column's written alike.
func newBench(t *testing.T, r random) *bench { return newFile(t, r, nil) }

func newClean(t *testing.T, r random) *bench { return newFile(t, r, cleaner(r)) }

func newFile(t *testing.T, r random, clean func(row []any)) *bench {
	b := newRecords()
	b.clean = clean
	path := filepath.Join(t.TempDir(), "small.db")
	b.none = r.none(func(int) any { return "no date" })
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer db.Close()
	names := make([]string, len(columns))
	for i, c := range columns {
		names[i] = c.Name
		if c.Stored == catalog.Text || c.Type == catalog.Text {
			names[i] += " text"
		}
	}
	_, err = db.Exec("create table r (" + strings.Join(names, ", ") + ", primary key (id))")
	require.NoError(t, err)
	b.fill(t, db, "insert into r values (?"+strings.Repeat(", ?", len(columns)-1)+")", r, func(i int, v any) any { return v })
	b.engine, b.catalog = "sqlite", catalog.Source{Name: "small", Engine: "sqlite", Traits: sqlite.Engine.Traits, Tables: []catalog.Table{{Name: "r", Columns: columns, Key: []string{"id"}}}}
	b.source, err = sqlite.Open(engine.Address{Name: "small", At: path})
	require.NoError(t, err)
	t.Cleanup(func() { b.source.Close() })
	b.survey(t)
	return b
}

// survey looks at how the dates are stored, as the service does. Trees point to the columns of
// the catalogue, which is to stay as it is then.
func (b *bench) survey(t *testing.T) {
	tables := slices.Clone(b.catalog.Tables)
	tables[0].Columns = slices.Clone(tables[0].Columns)
	b.catalog.Tables = tables
	require.NoError(t, engine.Survey(t.Context(), b.source, &tables[0]))
	before := b.catalog.Clone()
	t.Cleanup(func() { require.Equal(t, before, b.catalog, "somebody changed the catalogue") })
}

// newEmpty makes a table in an engine, to be filled by the connection; open then
// opens it as a source.
func newEmpty(t *testing.T, kind, table string) (*bench, *sql.DB) {
	b := newRecords()
	b.engine = kind
	var db *sql.DB
	address := engine.Address{Name: "small", Password: servers.Password, Limit: time.Minute, Connections: 4}
	open := sqlite.Open
	var err error
	switch kind {
	case "sqlite":
		address.At = filepath.Join(t.TempDir(), "small.db")
		db, err = sql.Open("sqlite3", address.At)
	case "postgresql":
		open = postgres.Open
		address.At, address.Database, address.User, db = servers.Shared(t, kind)
	default:
		open = mysql.Open
		address.At, address.Database, address.User, db = servers.Shared(t, kind)
	}
	require.NoError(t, err)
	_, err = db.Exec(table)
	require.NoError(t, err)
	b.address = address
	b.open = func(t *testing.T) {
		b.source, err = open(address)
		require.NoError(t, err)
		t.Cleanup(func() { b.source.Close() })
		b.catalog, err = b.source.Catalogue(t.Context())
		require.NoError(t, err)
	}
	return b, db
}

func newRecords() *bench {
	return &bench{
		records: map[int64]oracle.Record{},
		ctx:     civil.Calendar{Zone: london, Now: civil.InstantOf(civil.DateOf(2025, 3, 31).Midnight()+5000, london), WeekStart: time.Monday, FiscalStart: 4, Almanac: worked()},
	}
}

// worked is a calendar with a short week, holidays around the days that are tried, and some
// far away.
func worked() *civil.Almanac {
	a := &civil.Almanac{Name: "small", Off: [7]bool{0: true, 5: true, 6: true}, First: civil.DateOf(1955, 1, 1), Last: civil.DateOf(2061, 5, 31)}
	for _, d := range days {
		a.Holidays = append(a.Holidays, civil.Holiday{Day: d + 1}, civil.Holiday{Day: d + 3}, civil.Holiday{Day: d + 9})
	}
	for year := 1955; year <= 2061; year += 10 {
		for _, day := range []civil.Date{civil.DateOf(year, 1, 1), civil.DateOf(year, 3, 31), civil.DateOf(year, 12, 25)} {
			a.Holidays = append(a.Holidays, civil.Holiday{Day: day})
		}
	}
	a.Periods = []civil.NamedPeriod{
		{Name: "closure", Of: []civil.Stretch{{Year: 2024, First: civil.DateOf(2024, 12, 29), Last: civil.DateOf(2025, 1, 31)}, {Year: 2025, First: civil.DateOf(2025, 2, 1), Last: civil.DateOf(2025, 3, 30)}}},
		{Name: "winter tides", Every: &civil.Yearday{FromMonth: 10, FromDay: 26, ThroughMonth: 2, ThroughDay: 28}},
	}
	return a.Seal()
}

// executer is what records are put into: a connection of database/sql, or files to be.
type executer interface {
	Exec(query string, args ...any) (sql.Result, error)
}

// fill makes the records; stored is how the engine is given a value.
func (b *bench) fill(t *testing.T, db executer, insert string, r random, stored func(i int, v any) any) {
	for id := range worlds * records {
		row := r.record(id, id/records)
		if b.clean != nil {
			b.clean(row)
		}
		record := oracle.Record{}
		for i, c := range columns {
			v := row[i]
			if n, ok := v.(int); ok {
				v = int64(n)
			}
			if v == (native{}) {
				if row[i] = nil; b.none != nil {
					row[i], v = b.none(i), "none"
				} else {
					v = nil
				}
			} else if row[i] != nil {
				row[i] = stored(i, row[i])
			}
			record[c.Name] = oracle.Typed(c, v, london)
		}
		_, err := db.Exec(insert, row...)
		require.NoError(t, err)
		b.records[int64(id)] = record
		b.ids = append(b.ids, int64(id))
	}
}

// cleaner writes the dates of most columns in one way each; of the others it keeps
// those that fit.
func cleaner(r random) func(row []any) {
	layouts := make([]string, len(columns))
	for i, c := range columns {
		if c.Encoding.IsTimedText() && r.IntN(3) > 0 {
			layouts[i] = "2006-01-02" + pick(r, []string{"T", " "}) + "15:04:05" + pick(r, []string{"", ".000", ".000000000"})
			if c.Encoding == catalog.EncISOInstant {
				layouts[i] += pick(r, []string{"Z", ""})
			}
		}
	}
	return func(row []any) {
		for i, c := range columns {
			stored := row[i]
			if n, ok := stored.(int); ok {
				stored = int64(n)
			}
			if c.Encoding == "" || stored == nil {
				continue
			}
			at, ok := oracle.Time(c, stored)
			switch _, unfit := oracle.Typed(c, stored, london).(oracle.Unfit); {
			case ok && !unfit && layouts[i] != "":
				row[i] = at.Format(layouts[i])
			case ok && !unfit:
			case c.Nullable:
				row[i] = nil
			case c.Encoding == catalog.EncYMD:
				row[i] = 20250331
			case c.Name == "q":
				row[i] = "3/31/25 8:30 am"
			default:
				row[i] = at2025.Unix() * c.Encoding.PerSecond()
			}
		}
	}
}

var at2025 = time.Date(2025, 3, 30, 0, 59, 59, 0, time.UTC)

// planner makes the statements of a query; dates that are known to be clean are
// taken to be so, as a run takes them.
func (b *bench) planner(compiled *definition.Compiled, ctx civil.Calendar) plan.Planner {
	return plan.Planner{Query: compiled, Calendar: ctx, Sure: func(c *catalog.Column) bool {
		return b.engine == "sqlite" && c.Reliable()
	}}
}

// onEveryEngine makes the small tables with the same records on each engine.
func onEveryEngine(t *testing.T, stream uint64) []*bench {
	same := func() random { return random{Rand: rand.New(rand.NewPCG(*seed, stream))} }
	return []*bench{newBench(t, same()), newServer(t, same(), "postgresql"), newServer(t, same(), "mysql"), newFolder(t, same(), "kept"), newFolder(t, same(), "csv")}
}

// compile compiles a query on the small tables.
func (b *bench) compile(t *testing.T, text string) *definition.Compiled {
	t.Helper()
	documents, problems := definition.Decode("", []byte(text))
	require.Empty(t, problems, text)
	compiled, problems := definition.Compile(documents[0].(*definition.Query), &b.catalog, definition.Library{})
	require.NoError(t, problems.Err(), text)
	return compiled
}

func TestMain(m *testing.M) { servers.Main(m) }

// newServer makes the small tables on a server, with types of its own.
func newServer(t *testing.T, r random, kind string) *bench {
	b := newRecords()
	b.engine = kind
	asText := func(i int, v any) any { // dates in the server's own writing
		if text, ok := v.(string); ok && slices.Contains([]string{"d", "e", "l"}, columns[i].Name) {
			return strings.NewReplacer("T", " ", "Z", "").Replace(text)
		}
		return v
	}
	address := engine.Address{Name: "small", Password: servers.Password, Limit: time.Minute, Connections: 4}
	open := postgres.Open
	var db *sql.DB
	if kind == "postgresql" {
		address.At, address.Database, address.User, db = servers.Shared(t, kind)
		b.none = r.none(func(i int) any { return pick(r, []any{"infinity", "-infinity", "0044-03-15 BC"}) })
		_, err := db.Exec("create table r (id bigint primary key, world int not null, n smallint, m bigint not null, x numeric(10, 2), s text, t varchar(20) not null, b boolean, d date, f int not null, e timestamptz, u bigint not null, l timestamp, z text, v varchar(60), w text, y varchar(40), k bigint not null, a text, g numeric(20, 9), c text, p varchar(60), q text not null, h text)")
		require.NoError(t, err)
		b.fill(t, db, "insert into r values ($1, $2, $3, $4, $5, $6, $7, $8, $9::text::date, $10, ($11::text || '+00')::timestamptz, $12, $13::text::timestamp, $14, $15, $16, $17, $18, $19, $20, $21, $22, $23, $24)", r, func(i int, v any) any {
			if columns[i].Name == "b" {
				return v == 1
			}
			return asText(i, v)
		})
	} else {
		open = mysql.Open
		address.At, address.Database, address.User, db = servers.Shared(t, kind)
		b.none = r.none(func(i int) any {
			if columns[i].Name == "e" {
				return "0000-00-00 00:00:00"
			}
			return pick(r, []any{"0000-00-00", "2025-00-00", "2025-03-00"})
		})
		db.SetMaxOpenConns(1)
		_, err := db.Exec("set session sql_mode = ''")
		require.NoError(t, err)
		_, err = db.Exec("create table r (id bigint primary key, world int not null, n smallint, m bigint not null, x decimal(10, 2), s varchar(20), t varchar(20) not null, b tinyint(1), d date, f int not null, e timestamp null, u bigint not null, l datetime, z varchar(60), v text, w varchar(40), y varchar(40), k bigint not null, a varchar(40), g decimal(20, 9), c varchar(40), p text, q varchar(40) not null, h varchar(40))")
		require.NoError(t, err)
		b.fill(t, db, "insert into r values (?"+strings.Repeat(", ?", len(columns)-1)+")", r, asText)
	}
	var err error
	b.source, err = open(address)
	require.NoError(t, err)
	t.Cleanup(func() { b.source.Close() })
	b.catalog, err = b.source.Catalogue(t.Context())
	require.NoError(t, err)
	require.Len(t, b.catalog.Tables, 1)
	require.NoError(t, b.catalog.SetEncoding("r.f", catalog.EncYMD))
	for _, c := range columns[slices.IndexFunc(columns, func(c catalog.Column) bool { return c.Name == "z" }):] {
		require.NoError(t, b.catalog.SetEncoding("r."+c.Name, c.Encoding))
	}
	require.NoError(t, b.catalog.SetEncoding("r.u", catalog.EncUnixS))
	b.survey(t)
	for i, c := range b.catalog.Tables[0].Columns {
		require.Equal(t, columns[i].Type, c.Type, "%s: %s", kind, c.Name)
		require.Equal(t, columns[i].Nullable, c.Nullable, "%s: %s", kind, c.Name)
	}
	return b
}

// try compares one expression with the oracle, and what is proved of it with
// every record; it returns what is wrong.
func (b *bench) try(text string, in map[string]parameter.Input) string {
	query := &definition.Query{Head: definition.Head{Kind: "query", Name: "q"}, Source: "small", From: "r", Criteria: definition.Text{Value: text, Line: 1}}
	query.Columns = []definition.Column{{Name: "id", Value: definition.Text{Value: "id"}}}
	e, problems := criteria.Parse(text)
	if len(problems) > 0 {
		return problems.Error()
	}
	byName := map[string]parameter.Parameter{}
	scope := b.scope()
	for _, q := range questions {
		byName[q.Name] = q
	}
	if problems := criteria.ResolveCondition(text, e, scope); len(problems) > 0 {
		return "" // of types that do not go together
	}
	values, problems := parameter.Read(questions, nil, in, parameter.Context{Calendar: b.ctx})
	if len(problems) > 0 {
		return problems.Error()
	}
	compiled := &definition.Compiled{
		Query: query, From: scope.Tables[0], Traits: b.catalog.Traits, Criteria: e, CriteriaText: text, Questions: questions,
		Columns: []definition.CompiledColumn{{Column: query.Columns[0], Expr: &criteria.Column{Name: "id", Ref: criteria.Ref{Alias: "r", Column: &b.catalog.Tables[0].Columns[0]}}, Type: catalog.Integer}},
	}
	statement, problems := b.planner(compiled, b.ctx).Records(definition.View{}, values)
	if problems.Failed() {
		return "" // finer than a column can tell
	}
	world := oracle.World{Calendar: b.ctx, Questions: byName, Answers: values, Tables: b.tables()}
	var want, got []int64
	for _, id := range b.ids {
		if result := world.Condition(e, b.records[id]); result == oracle.True || result == oracle.Absent {
			want = append(want, id)
		}
	}
	q := b.source.Dialect().Write(statement.Statement)
	err := b.source.Stream(context.Background(), q, func(row []any) error {
		if fitting(statement.Statement, row) {
			got = append(got, row[0].(int64))
		}
		return nil
	})
	if err != nil {
		return err.Error() + "\n" + q.SQL
	}
	slices.Sort(got)
	if !slices.Equal(want, got) {
		first := b.ids[slices.IndexFunc(b.ids, func(id int64) bool { return slices.Contains(want, id) != slices.Contains(got, id) })]
		return fmt.Sprintf("expected %v\ngot %v\nfirst different: %v\n%s\n%v", want, got, b.records[first], q.SQL, q.Args)
	}
	// What is proved with the answers, and before there are any.
	for _, c := range statement.Where {
		if c.Bare != nil {
			if wrong := b.claims(c.Bare, proof.Analyse(c.Bare, proof.Questions{}), world); wrong != "" {
				return wrong
			}
		}
	}
	settled, findings := proof.Open(e, proof.Questions{Of: openly})
	return b.claims(settled, findings, world)
}

// tables are the records that conditions can ask about.
func (b *bench) tables() map[string][]oracle.Record {
	return map[string][]oracle.Record{"r": slices.Collect(maps.Values(b.records))}
}

// scope is what names mean in the criteria.
func (b *bench) scope() criteria.Scope {
	scope := criteria.Scope{Tables: []criteria.Table{{Alias: "r", Table: b.catalog.Tables[0]}}, Related: b.catalog.Table, Unplaced: b.catalog.Traits.Unplaced}
	for _, q := range questions {
		scope.Questions = append(scope.Questions, q.Question())
	}
	return scope
}

// fitting tells whether a record passes that a statement returned.
func fitting(s plan.Statement, row []any) bool {
	if split := s.Splitter(); split != nil {
		part, own := split.Of(row)
		return fitting(s.Union[part].Statement, own)
	}
	return !slices.ContainsFunc(s.Fit, func(i int) bool {
		_, ok := s.Fetch[i].Column.Decode(row[i], civil.NewClock(london))
		return !ok
	})
}

// openly tells what the limits of the questions say.
func openly(name string) proof.Question {
	q := proof.Question{Earliest: civil.Start, Latest: civil.End}
	switch name {
	case "period":
		q.Certain, q.Earliest = true, civil.DateOf(2024, 1, 1).Midnight()
	case "day":
		q.Certain, q.Latest = true, civil.DateOf(2026, 1, 1).Midnight()
	case "small":
		q.Certain, q.Least, q.Most = true, decimalOf(0), decimalOf(3)
	}
	return q
}

// claims holds every finding against every record.
func (b *bench) claims(whole criteria.Expr, findings []proof.Finding, world oracle.World) string {
	for _, f := range findings {
		parent := parentOf(whole, f.At)
		for _, id := range b.ids {
			r := b.records[id]
			at := world.Condition(f.At, r)
			wrong := ""
			switch {
			case f.Whole && f.Kind == proof.Never && world.Condition(whole, r) == oracle.True:
				wrong = "is said to keep all records out, and one is in"
			case f.Whole && f.Kind == proof.Always && world.Condition(whole, r) == oracle.False:
				wrong = "is said to let all records in, and one is out"
			case at == oracle.Absent:
			case f.Kind == proof.Never && f.With == nil && f.At == whole && at == oracle.True:
				wrong = "is true"
			case f.Kind == proof.Never && f.With != nil && at == oracle.True && world.Condition(f.With, r) == oracle.True:
				wrong = "are both true"
			case f.Kind == proof.Always && at != oracle.True && !(at == oracle.Unknown && world.Blanks(f.At, r)):
				wrong = "is not true"
			case parent == nil || f.Kind == proof.Always:
			case f.Kind == proof.Never && !parent.Or:
				if world.Condition(parent, r) == oracle.True {
					wrong = "is there, and the whole is true"
				}
			default: // it changes nothing
				without := *parent
				without.Terms = slices.DeleteFunc(slices.Clone(parent.Terms), func(e criteria.Expr) bool { return e == f.At })
				rest := world.Condition(&without, r)
				if rest != oracle.Absent && (rest == oracle.True) != (world.Condition(parent, r) == oracle.True) {
					wrong = "makes a difference"
				}
			}
			if wrong != "" {
				return fmt.Sprintf("%s claimed of %s, but it %s for %v", f.Kind, criteria.Print(f.At), wrong, r)
			}
		}
	}
	return ""
}

func parentOf(whole, part criteria.Expr) *criteria.Logic {
	var parent *criteria.Logic
	criteria.Walk(whole, func(e criteria.Expr) {
		if l, ok := e.(*criteria.Logic); ok && slices.Contains(l.Terms, part) {
			parent = l
		}
	})
	return parent
}

// TestRandomCriteria: what an engine returns for random criteria is what the
// oracle says record by record, and nothing is claimed that does not hold.
func TestRandomCriteria(t *testing.T) {
	t.Parallel()
	t.Run("sqlite", func(t *testing.T) { tryMany(t, *expressions, newBench) })
	t.Run("clean", func(t *testing.T) { tryMany(t, *expressions/2, newClean) })
	for _, kind := range []string{"postgresql", "mysql"} {
		t.Run(kind, func(t *testing.T) {
			var one *bench
			tryMany(t, *expressions/10, func(t *testing.T, r random) *bench {
				if one == nil {
					one = newServer(t, r, kind)
				}
				return one
			})
		})
	}
	for form, part := range map[string]int{"parquet": 40, "kept": 40, "csv": 40, "workbook": 80} {
		t.Run(form, func(t *testing.T) {
			var one *bench
			tryMany(t, *expressions/part, func(t *testing.T, r random) *bench {
				if one == nil {
					one = newFolder(t, r, form)
				}
				return one
			})
		})
	}
}

func tryMany(t *testing.T, expressions int, open func(*testing.T, random) *bench) {
	workers := runtime.GOMAXPROCS(0)
	var wait sync.WaitGroup
	var lock sync.Mutex
	failed := 0
	for w := range workers {
		b := open(t, random{Rand: rand.New(rand.NewPCG(*seed, uint64(w)))})
		wait.Add(1)
		go func() {
			defer wait.Done()
			for i := w; i < expressions; i += workers {
				r := random{Rand: rand.New(rand.NewPCG(*seed, uint64(i)))}
				text := r.condition(0)
				if wrong := b.try(text, r.answers(text)); wrong != "" {
					lock.Lock()
					if failed++; failed <= 5 {
						t.Errorf("expression %d: %s\n%s", i, text, wrong)
					}
					lock.Unlock()
				}
			}
		}()
	}
	wait.Wait()
}

func decimalOf(n int64) *decimal.Decimal {
	d := decimal.New(n, 0)
	return &d
}
