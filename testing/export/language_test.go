package export

import (
	"database/sql"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/engine/mysql"
	"pikegate/internal/engine/postgres"
	"pikegate/internal/engine/sqlite"
	"pikegate/testing/servers"
)

// language are forms of the language on a million passages, and the same as somebody good
// would write it.
var language = map[string]struct{ columns, criteria, sort, byHand string }{
	"union": {
		"id, passed_on, toll", "passed_on within :period or toll < 900", "passed_on",
		"select id, passed_on, toll from (select id, passed_on, toll, 1 as part from passages where toll < 500 and (passed_on >= '2025-03-01' and passed_on < '2025-04-01' or toll < 900) union all select id, passed_on, toll, 2 from passages where toll >= 500 and (passed_on >= '2025-03-01' and passed_on < '2025-04-01' or toll < 900)) as t order by passed_on, part, id",
	},
	"union-of-a-month": {
		"id, passed_on, toll", "passed_on within :period", "passed_on",
		"select id, passed_on, toll from (select id, passed_on, toll, 1 as part from passages where toll < 500 and passed_on >= '2025-03-01' and passed_on < '2025-04-01' union all select id, passed_on, toll, 2 from passages where toll >= 500 and passed_on >= '2025-03-01' and passed_on < '2025-04-01') as t order by passed_on, part, id",
	},
	"partial": {
		"vessel_id, { name: n, value: count where toll > 500 }, { name: s, value: sum of toll where toll > 500 }", "", "vessel_id",
		"select vessel_id, count(case when toll > 500 then 1 end), coalesce(sum(case when toll > 500 then toll end), 0) from passages group by vessel_id order by vessel_id",
	},
	"two-periods": {
		"vessel_id, { name: s, value: sum of toll where passed_on within :period }, { name: b, value: sum of toll where passed_on within :period - 1 year }", "passed_on within :period or passed_on within :period - 1 year", "vessel_id",
		"select vessel_id, coalesce(sum(case when passed_on >= '2025-03-01' and passed_on < '2025-04-01' then toll end), 0), coalesce(sum(case when passed_on >= '2024-03-01' and passed_on < '2024-04-01' then toll end), 0) from passages where passed_on >= '2025-03-01' and passed_on < '2025-04-01' or passed_on >= '2024-03-01' and passed_on < '2024-04-01' group by vessel_id order by vessel_id",
	},
	"first": {
		"id", "first 3 by vessel_id", "passed_on",
		"select id from (select id, passed_on, row_number() over (partition by vessel_id order by passed_on, id) as n from passages) as t where n <= 3 order by passed_on, id",
	},
	"latest": {
		"id", "passed_on within :period and greatest 1 of passed_on by vessel_id", "id",
		"select id from (select id, row_number() over (partition by vessel_id order by passed_on desc, id) as n from passages where passed_on >= '2025-03-01' and passed_on < '2025-04-01') as t where n = 1 order by id",
	},
	"rank":     {"id, { name: r, value: rank of toll by vessel_id }", "", "id", "select id, rank() over (partition by vessel_id order by toll desc) from passages order by id"},
	"share":    {"id, { name: s, value: share of toll in vessel_id }", "", "id", "select id, toll * 1.0 / nullif(sum(toll) over (partition by vessel_id), 0) from passages order by id"},
	"running":  {"id, { name: s, value: running sum of toll by vessel_id }", "", "id", "select id, sum(toll) over (partition by vessel_id order by id) from passages order by id"},
	"previous": {"id, { name: s, value: toll - previous toll by vessel_id }", "", "id", "select id, toll - lag(toll) over (partition by vessel_id order by id) from passages order by id"},
	"of-all":   {"id", "toll > average of p.toll + 400 from all passages as p", "id", "select id from passages where toll > (select avg(toll + 400) from passages) order by id"},
	"median": {
		"vessel_id, { name: m, value: median of toll }", "", "vessel_id",
		"select vessel_id, avg(toll) from (select vessel_id, toll, row_number() over (partition by vessel_id order by toll) as n, count(*) over (partition by vessel_id) as c from passages) as p where n * 2 between c and c + 2 group by vessel_id order by vessel_id",
	},
}

// halves are the queries of a union.
func halves(name string) (*definition.Query, bool) {
	text := map[string]string{
		"low":  "columns: [id, passed_on, toll]\ncriteria: toll < 500\n",
		"high": "columns: [id, passed_on, toll]\ncriteria: toll >= 500\n",
	}[name]
	documents, _ := definition.Decode("", []byte("kind: query\nname: "+name+"\nsource: million\nfrom: passages\n"+text))
	return documents[0].(*definition.Query), true
}

// manyPassages makes a million passages of two thousand vessels on an engine.
func manyPassages(b *testing.B, kind string) engine.Source {
	date := "date"
	address := engine.Address{Name: "million", Database: servers.Database, User: servers.Reader, Password: servers.Password, Limit: 5 * time.Minute, Connections: 4}
	open := sqlite.Open
	var db *sql.DB
	var err error
	var fill []string
	switch kind {
	case "postgresql":
		server, opened := servers.Postgres(b)
		open, address.At, db = postgres.Open, server.Address, opened
		fill = []string{"insert into passages select i, 1 + i::bigint * 7919 % 2000, date '2023-01-01' + (i::bigint * 104729 % 1095)::int, i % 1000 from generate_series(1, 1000000) as n(i)", "create index passages_of on passages (vessel_id, passed_on)", "create index passages_on on passages (passed_on)", "analyze passages"}
	case "mysql":
		server, opened := servers.MariaDB(b)
		open, address.At, db = mysql.Open, server.Address, opened
		fill = []string{"insert into passages select seq, 1 + seq * 7919 % 2000, date '2023-01-01' + interval (seq * 104729 % 1095) day, seq % 1000 from seq_1_to_1000000", "create index passages_of on passages (vessel_id, passed_on)", "create index passages_on on passages (passed_on)", "analyze table passages"}
	default:
		date = "text"
		address.At = filepath.Join(b.TempDir(), "million.db")
		db, err = sql.Open("sqlite3", address.At)
		require.NoError(b, err)
		fill = []string{"with recursive n(i) as (select 1 union all select i + 1 from n where i < 1000000) insert into passages select i, 1 + i * 7919 % 2000, date('2023-01-01', (i * 104729 % 1095) || ' days'), i % 1000 from n", "create index passages_of on passages (vessel_id, passed_on)", "create index passages_on on passages (passed_on)", "analyze"}
	}
	for _, statement := range append([]string{"create table passages (id integer primary key, vessel_id integer not null, passed_on " + date + " not null, toll integer not null)"}, fill...) {
		_, err = db.Exec(statement)
		require.NoError(b, err, statement)
	}
	source, err := open(address)
	require.NoError(b, err)
	b.Cleanup(func() { source.Close() })
	return source
}

// BenchmarkLanguage prints how each form of the language stands to the same SQL by hand on
// each engine, its rows read, and the plan of each.
func BenchmarkLanguage(b *testing.B) {
	for _, kind := range []string{"sqlite", "postgresql", "mysql"} {
		b.Run(kind, func(b *testing.B) {
			source := manyPassages(b, kind)
			tables, err := source.Catalogue(b.Context())
			require.NoError(b, err)
			for i := range tables.Tables {
				require.NoError(b, engine.Survey(b.Context(), source, &tables.Tables[i]))
			}
			calendar := civil.Calendar{Zone: time.UTC, WeekStart: time.Monday}
			for name, c := range language {
				b.Run(name, func(b *testing.B) {
					from := "from: passages"
					if strings.HasPrefix(name, "union") {
						from = "union: [low, high]"
					}
					documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: million\n"+from+"\nparameters: [{name: period, kind: period, required: true}]\ncolumns: ["+c.columns+"]\nsort: ["+c.sort+"]\ncriteria: \""+c.criteria+"\"\n"))
					require.Empty(b, problems)
					compiled, problems := definition.Compile(documents[0].(*definition.Query), &tables, definition.Library{Query: halves})
					problems = slices.DeleteFunc(problems, func(p diag.Problem) bool { return p.Code == "unused_parameter" })
					require.NoError(b, problems.Err())
					values, problems := parameter.Read(compiled.Questions, nil, parameter.Inputs{"period": parameter.Typed("2025-03")}, parameter.Context{Calendar: calendar})
					require.NoError(b, problems.Err())
					statement, problems := plan.Planner{Query: compiled, Calendar: calendar, Sure: (*catalog.Column).Reliable}.Records(definition.View{}, values)
					if len(problems) > 0 && problems[0].Code != "no_effect" {
						require.NoError(b, problems.Err())
					}
					statement.Whole = true
					ours, byHand := source.Dialect().Write(statement.Statement), dialect.Query{SQL: c.byHand}
					for _, q := range []dialect.Query{ours, byHand} {
						shown, err := source.Plan(b.Context(), q)
						require.NoError(b, err)
						b.Log(q.SQL + "\n" + strings.Join(shown.Text, "\n"))
					}
					spend := func(q dialect.Query, next func(row []any)) (took time.Duration, rows int) {
						start := time.Now()
						require.NoError(b, source.Stream(b.Context(), q, func(row []any) error { rows++; next(row); return nil }))
						return time.Since(start), rows
					}
					const rounds = 5
					for b.Loop() {
						var ratios []float64
						for range rounds {
							reader := statement.NewReader(time.UTC)
							first, n := spend(ours, reader.Next)
							second, m := spend(byHand, func([]any) {})
							require.Equal(b, m, n)
							ratios = append(ratios, first.Seconds()/second.Seconds())
						}
						slices.Sort(ratios)
						b.ReportMetric(ratios[rounds/2], "times-by-hand")
					}
				})
			}
		})
	}
}
