package oracle_test

import (
	"context"
	"database/sql"
	"flag"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"runtime"
	"slices"
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
	expressions = flag.Int("expressions", 25_000, "how many random expressions are tried, each on every small table")
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
}

// days are those around which calendars go wrong.
var days = []civil.Date{
	civil.DateOf(2024, 2, 28), civil.DateOf(2024, 2, 29), civil.DateOf(2024, 12, 29), civil.DateOf(2024, 12, 31),
	civil.DateOf(2025, 1, 1), civil.DateOf(2025, 1, 31), civil.DateOf(2025, 3, 29), civil.DateOf(2025, 3, 30),
	civil.DateOf(2025, 3, 31), civil.DateOf(2025, 10, 25), civil.DateOf(2025, 10, 26), civil.DateOf(2025, 10, 27),
}

var words = []string{"", "a", "A", "ab", "Ä", "ä b", "b%", "_", "abc", " c "}

type random struct{ *rand.Rand }

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
	return []any{
		id, world, maybe(r.IntN(9) - 2), r.IntN(7) - 1, maybe(float64(r.IntN(40)-10) / 4), maybe(pick(r, words)), pick(r, words),
		maybe(r.IntN(2)), maybe(pick(r, days).String()), y*10000 + m*100 + d, maybe(instant.String()),
		int64(civil.InstantOf(moment(), zone)), maybe(moment().String()),
	}
}

func (r random) number(depth int) string {
	switch r.IntN(14 - min(depth, 2)*4) {
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
	}
	return "-" + pick(r, []string{"n", "m", "x"})
}

func (r random) text(depth int) string {
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
	switch r.IntN(12 - depth*2) {
	case 0, 1, 2, 3, 4, 5:
		return pick(r, []string{"d", "f", "e", "u", "l"})
	case 6:
		return "date_of(" + pick(r, []string{"e", "u", "l"}) + ")"
	case 7:
		return "start_of(" + pick(r, []string{"day", "week", "month", "quarter", "half", "year"}) + ", " + r.date(depth+1) + ")"
	case 8:
		return "(" + pick(r, []string{"d", "f", "l"}) + pick(r, []string{" + ", " - "}) + pick(r, lengths) + ")"
	case 9:
		return "coalesce(d, f)"
	case 10:
		return "coalesce(date_of(e), d)"
	}
	return "if(" + r.condition(2) + ", d, f)"
}

var periods = []string{
	"2025-03", "2025-03-30", "2024", "2025-Q1", "2024-12-31/2025-01-31", "2024-02-29", "2025-W13", "2025-10-26", "2025-H2", "yesterday", "last month", "since 2025-01-31", "2025-10-25/2025-10-26",
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
		return ":day + " + pick(r, lengths)
	}
	return "'" + pick(r, periods) + "'"
}

func (r random) condition(depth int) string {
	not := pick(r, []string{"", "", "not "})
	op := " " + pick(r, []string{"=", "<>", "<", "<=", ">", ">="}) + " "
	fold := pick(r, []string{"", "", " ignoring case"})
	choice := r.IntN(20)
	if depth >= 3 {
		choice = 4 + r.IntN(11)
	}
	switch choice {
	case 0, 1:
		return "(" + r.condition(depth+1) + " and " + r.condition(depth+1) + ")"
	case 2, 3:
		return "(" + r.condition(depth+1) + " or " + r.condition(depth+1) + ")"
	case 4:
		return pick(r, []string{"n", "m", "x"}) + op + pick(r, []string{"0", "1", "2", "2.5", ":small"})
	case 5:
		return r.number(0) + op + r.number(0)
	case 6:
		return r.text(0) + op + r.text(0) + fold
	case 7:
		return r.text(1) + " " + not + pick(r, []string{"contains", "starts with", "ends with"}) + " " + r.text(1) + fold
	case 8:
		return pick(r, []string{"n", "n / 2", "year(d)"}) + " " + not + "in (1, 2, 2024, 0.5)"
	case 9:
		return pick(r, []string{"s", "t"}) + " " + not + "in " + pick(r, []string{":words", "('a', 'ä b')" + fold})
	case 10, 11:
		return r.date(0) + " " + not + "within " + strings.TrimSuffix(r.stretch(), " + P1Y")
	case 12:
		return r.date(0) + op + r.stretch()
	case 13:
		return r.date(0) + op + r.date(0)
	case 14:
		return pick(r, []string{"n", "s", "e", "x + n", "coalesce(s, t)", "d + 1 day"}) + " is " + not + "blank"
	case 15:
		return pick(r, []string{"b", "b = true", "b <> :yes"})
	case 16:
		return "span(" + pick(r, []string{"d, f", "f, d", "u, e", "e, e"}) + ") " + not + pick(r, []string{"overlaps", "inside", "covers"}) + " " + r.stretch()
	case 17:
		return pick(r, []string{"month", "week", "quarter", "year", "half"}) + " of " + pick(r, []string{"d", "e", "f"}) + op + "'" + pick(r, periods) + "'"
	case 18:
		return r.date(1) + " " + not + "between " + pick(r, []string{"'2024-02-29'", ":day", ":period.from"}) + " and " + pick(r, []string{"'2025-03'", ":period.through"})
	}
	return "not (" + r.condition(depth+1) + ")"
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
}

func (r random) answers() map[string]parameter.Input {
	in := map[string]parameter.Input{}
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
	return in
}

// bench is the small tables in one engine, and the records as they are to be
// read.
type bench struct {
	engine  string
	source  engine.Source
	catalog catalog.Source
	records map[int64]oracle.Record
	ids     []int64
	ctx     civil.Context
}

// newBench makes the small tables in an SQLite file.
func newBench(t *testing.T, r random) *bench {
	b := newRecords()
	path := filepath.Join(t.TempDir(), "small.db")
	db, err := sql.Open("sqlite3", path)
	require.NoError(t, err)
	defer db.Close()
	names := make([]string, len(columns))
	for i, c := range columns {
		names[i] = c.Name
	}
	_, err = db.Exec("create table r (" + strings.Join(names, ", ") + ", primary key (id))")
	require.NoError(t, err)
	b.fill(t, db, "insert into r values (?"+strings.Repeat(", ?", len(columns)-1)+")", r, func(i int, v any) any { return v })
	b.engine, b.catalog = "sqlite", catalog.Source{Name: "small", Tables: []catalog.Table{{Name: "r", Columns: columns, Key: []string{"id"}}}}
	b.source, err = sqlite.Open(engine.Address{Name: "small", At: path})
	require.NoError(t, err)
	t.Cleanup(func() { b.source.Close() })
	return b
}

func newRecords() *bench {
	return &bench{
		records: map[int64]oracle.Record{},
		ctx:     civil.Context{Zone: london, Now: civil.InstantOf(civil.DateOf(2025, 3, 31).Midnight()+5000, london), WeekStart: time.Monday},
	}
}

// fill makes the records; stored is how the engine is given a value.
func (b *bench) fill(t *testing.T, db *sql.DB, insert string, r random, stored func(i int, v any) any) {
	clock := civil.NewClock(london)
	for id := range worlds * records {
		row := r.record(id, id/records)
		record := oracle.Record{}
		for i, c := range columns {
			v := row[i]
			if n, ok := v.(int); ok {
				v = int64(n)
			}
			record[c.Name] = oracle.Typed(c, v, clock)
			if row[i] != nil {
				row[i] = stored(i, row[i])
			}
		}
		_, err := db.Exec(insert, row...)
		require.NoError(t, err)
		b.records[int64(id)] = record
		b.ids = append(b.ids, int64(id))
	}
}

// newServer makes the small tables on a server, with types of its own.
func newServer(t *testing.T, r random, kind string) *bench {
	b := newRecords()
	b.engine = kind
	asText := func(i int, v any) any { // dates in the server's own writing
		if text, ok := v.(string); ok && columns[i].Encoding != "" {
			return strings.NewReplacer("T", " ", "Z", "").Replace(text)
		}
		return v
	}
	var server *servers.Server
	open := postgres.Open
	var db *sql.DB
	if kind == "postgresql" {
		server, db = servers.Postgres(t)
		_, err := db.Exec("create table r (id bigint primary key, world int not null, n smallint, m bigint not null, x numeric(10, 2), s text, t varchar(20) not null, b boolean, d date, f int not null, e timestamptz, u bigint not null, l timestamp)")
		require.NoError(t, err)
		b.fill(t, db, "insert into r values ($1, $2, $3, $4, $5, $6, $7, $8, $9::text::date, $10, ($11::text || '+00')::timestamptz, $12, $13::text::timestamp)", r, func(i int, v any) any {
			if columns[i].Name == "b" {
				return v == 1
			}
			return asText(i, v)
		})
	} else {
		open = mysql.Open
		server, db = servers.MariaDB(t)
		_, err := db.Exec("create table r (id bigint primary key, world int not null, n smallint, m bigint not null, x decimal(10, 2), s varchar(20), t varchar(20) not null, b tinyint(1), d date, f int not null, e timestamp null, u bigint not null, l datetime)")
		require.NoError(t, err)
		b.fill(t, db, "insert into r values (?"+strings.Repeat(", ?", len(columns)-1)+")", r, asText)
	}
	var err error
	b.source, err = open(engine.Address{Name: "small", At: server.Address, Database: servers.Database, User: servers.Reader, Password: servers.Password, Limit: time.Minute, Connections: 4})
	require.NoError(t, err)
	t.Cleanup(func() { b.source.Close() })
	b.catalog, err = b.source.Catalogue(t.Context())
	require.NoError(t, err)
	require.Len(t, b.catalog.Tables, 1)
	require.NoError(t, b.catalog.SetEncoding("r.f", catalog.EncYMD))
	require.NoError(t, b.catalog.SetEncoding("r.u", catalog.EncUnixS))
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
	asked := []parameter.Parameter{}
	byName := map[string]parameter.Parameter{}
	scope := criteria.Scope{Tables: []criteria.Table{{Alias: "r", Table: b.catalog.Tables[0]}}}
	for _, q := range questions {
		scope.Questions = append(scope.Questions, q.Question())
		asked, byName[q.Name] = append(asked, q), q
	}
	if problems := criteria.ResolveCondition(text, e, scope); len(problems) > 0 {
		return "" // of types that do not go together
	}
	values, problems := parameter.Read(asked, nil, in, parameter.Context{Context: b.ctx})
	if len(problems) > 0 {
		return problems.Error()
	}
	compiled := &definition.Compiled{
		Query: query, From: scope.Tables[0], Criteria: e, CriteriaText: text, Questions: asked,
		Columns: []definition.CompiledColumn{{Column: query.Columns[0], Expr: &criteria.Column{Name: "id", Ref: criteria.Ref{Alias: "r", Column: b.catalog.Tables[0].Columns[0]}}, Type: catalog.Integer}},
	}
	statement, problems := plan.Bind(compiled, definition.View{}, values, b.ctx)
	if problems.Failed() {
		return "" // finer than a column can tell
	}
	world := oracle.World{Context: b.ctx, Questions: byName, Answers: values}
	var want, got []int64
	for _, id := range b.ids {
		if result := world.Condition(e, b.records[id]); result == oracle.True || result == oracle.Absent {
			want = append(want, id)
		}
	}
	q := b.source.Dialect().Write(statement)
	err := b.source.Stream(context.Background(), q, func(row []any) error {
		got = append(got, row[0].(int64))
		return nil
	})
	if err != nil {
		return err.Error() + "\n" + q.SQL
	}
	slices.Sort(got)
	if !slices.Equal(want, got) {
		return fmt.Sprintf("expected %v\ngot %v\n%s\n%v", want, got, q.SQL, q.Args)
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
			case at == oracle.Absent:
			case f.Kind == proof.Never && f.With == nil && f.At == whole && at == oracle.True:
				wrong = "is true"
			case f.Kind == proof.Never && f.With != nil && at == oracle.True && world.Condition(f.With, r) == oracle.True:
				wrong = "are both true"
			case f.Kind == proof.Always && at != oracle.True && !slices.ContainsFunc(criteria.Columns(f.At), func(c *criteria.Column) bool { return r[c.Name] == nil }):
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
	t.Run("sqlite", func(t *testing.T) { tryMany(t, *expressions, newBench) })
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
}

func tryMany(t *testing.T, expressions int, open func(*testing.T, random) *bench) {
	workers := runtime.GOMAXPROCS(0)
	var wait sync.WaitGroup
	var lock sync.Mutex
	failed := 0
	for w := range workers {
		b := open(t, random{rand.New(rand.NewPCG(*seed, uint64(w)))})
		wait.Add(1)
		go func() {
			defer wait.Done()
			for i := w; i < expressions; i += workers {
				r := random{rand.New(rand.NewPCG(*seed, uint64(i)))}
				text := r.condition(0)
				if wrong := b.try(text, r.answers()); wrong != "" {
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
