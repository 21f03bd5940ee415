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
	"pikegate/internal/engine/sqlite"
)

const march = "p.passed_on >= '2025-03-01' and p.passed_on < '2025-04-01'"

// related are columns and conditions made of a million passages of two thousand
// vessels, and the same as somebody good would write it.
var related = map[string]struct{ columns, criteria, byHand string }{
	"none":    {"name", "no passages where passed_on within :period", "select name from vessels where not exists (select 1 from passages p where p.vessel_id = vessels.id and " + march + ")"},
	"any":     {"name", "any passages where passed_on within :period and toll > 990", "select name from vessels where exists (select 1 from passages p where p.vessel_id = vessels.id and " + march + " and p.toll > 990)"},
	"several": {"name", "at least 3 passages where passed_on within :period", "select name from vessels where exists (select 1 from passages p where p.vessel_id = vessels.id and " + march + " limit 1 offset 2)"},
	"counted": {
		"name", "(count of passages where passed_on within :period) > 10",
		"select name from vessels where (select count(*) from passages p where p.vessel_id = vessels.id and " + march + ") > 10",
	},
	"summed": {
		"{ name: n, value: count of passages where passed_on within :period }, { name: s, value: sum of passages.toll where passed_on within :period }", "vessels.id > 0",
		"select (select count(*) from passages p where p.vessel_id = vessels.id and " + march + "), (select coalesce(sum(toll), 0) from passages p where p.vessel_id = vessels.id and " + march + ") from vessels where vessels.id > 0",
	},
	"all-summed": {
		"{ name: n, value: count of passages where toll > 100 }, { name: s, value: sum of passages.toll where toll > 100 }", "",
		"select coalesce(n, 0), coalesce(s, 0) from vessels left join (select vessel_id, count(*) n, sum(toll) s from passages where toll > 100 group by vessel_id) as p on p.vessel_id = vessels.id",
	},
	"looked-up": {
		"{ name: n, value: count of passages where passed_on within :period }", "name starts with 'Vessel 7'",
		"select (select count(*) from passages p where p.vessel_id = vessels.id and " + march + ") from vessels where name >= 'Vessel 7' and name < 'Vessel 8'",
	},
}

// BenchmarkRelated prints how conditions on the records of another table stand to
// the same SQL by hand, and the plan of each.
func BenchmarkRelated(b *testing.B) {
	path := filepath.Join(b.TempDir(), "million.db")
	db, err := sql.Open("sqlite3", path)
	require.NoError(b, err)
	_, err = db.Exec(`create table vessels (id integer primary key, name text);
		create table passages (id integer primary key, vessel_id integer not null references vessels, passed_on text not null, toll integer not null);
		with recursive n(i) as (select 1 union all select i + 1 from n where i < 2000) insert into vessels select i, 'Vessel ' || i from n;
		with recursive n(i) as (select 1 union all select i + 1 from n where i < 1000000)
			insert into passages select i, 1 + i * 7919 % 2000, date('2023-01-01', (i * 104729 % 1095) || ' days'), i % 1000 from n;
		create index passages_of on passages (vessel_id, passed_on); analyze`)
	require.NoError(b, err)
	require.NoError(b, db.Close())
	source, err := sqlite.Open(engine.Address{Name: "million", At: path})
	require.NoError(b, err)
	defer source.Close()
	tables, err := source.Catalogue(b.Context())
	require.NoError(b, err)
	for i := range tables.Tables {
		require.NoError(b, engine.Survey(b.Context(), source, &tables.Tables[i]))
	}
	calendar := civil.Calendar{Zone: time.UTC, WeekStart: time.Monday}
	spend := func(q dialect.Query) (took time.Duration, rows int) {
		start := time.Now()
		require.NoError(b, source.Stream(b.Context(), q, func([]any) error { rows++; return nil }))
		return time.Since(start), rows
	}
	for name, c := range related {
		b.Run(name, func(b *testing.B) {
			documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: million\nfrom: vessels\nparameters: [{name: period, kind: period, required: true}]\ncolumns: ["+c.columns+"]\nsort: [id]\ncriteria: \""+c.criteria+"\"\n"))
			require.Empty(b, problems)
			compiled, problems := definition.Compile(documents[0].(*definition.Query), &tables, definition.Library{})
			problems = slices.DeleteFunc(problems, func(p diag.Problem) bool { return p.Code == "unused_parameter" })
			require.NoError(b, problems.Err())
			values, problems := parameter.Read(compiled.Questions, nil, parameter.Inputs{"period": parameter.Typed("2025-03")}, parameter.Context{Calendar: calendar})
			require.NoError(b, problems.Err())
			statement, problems := plan.Planner{Query: compiled, Calendar: calendar, Sure: (*catalog.Column).Reliable}.Records(definition.View{}, values)
			require.NoError(b, problems.Err())
			ours, byHand := source.Dialect().Write(statement.Statement), dialect.Query{SQL: c.byHand + " order by vessels.id"}
			for _, q := range []dialect.Query{ours, byHand} {
				shown, err := source.Plan(b.Context(), q)
				require.NoError(b, err)
				b.Log(strings.Join(shown.Text, "\n"))
			}
			const rounds = 15
			for b.Loop() {
				var ratios []float64
				for range rounds {
					first, n := spend(ours)
					second, m := spend(byHand)
					require.Equal(b, m, n)
					ratios = append(ratios, first.Seconds()/second.Seconds())
				}
				slices.Sort(ratios)
				b.ReportMetric(ratios[rounds/2], "times-by-hand")
			}
		})
	}
}
