package engines

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/plan"
	"pikegate/internal/output"
	"pikegate/testing/servers"
)

// TestTypesArriveExact: every kind of value is shown as it is, and what cannot
// be shown is said.
func TestTypesArriveExact(t *testing.T) {
	for kind, c := range map[string]struct{ table, columns, want string }{
		"postgresql": {
			`create type mood as enum ('calm', 'rough'); create table t (id int primary key, big bigint, exact numeric(40, 20), half double precision, yes boolean,
			zoned timestamptz, plain timestamp, day date, word text, doc jsonb, code uuid, state mood, span interval, list int[], raw bytea, forever timestamptz, nothing text);
			insert into t values (1, 9223372036854775807, 12345678901234567890.12345678901234567890, 0.1, true, '2025-10-26 01:30+00', '2025-03-30 01:30:00.25', '0044-03-15',
			'Zoë ''🚣''', '{"a": [1, null]}', '00000000-0000-0000-0000-00000000000a', 'rough', '1 day 2 hours', '{1,NULL,3}', '\x00ff', 'infinity', null)`,
			"id, big, exact, half, yes, zoned, plain, day, word, doc, code, state, span, list, raw, forever, nothing",
			`1,9223372036854775807,12345678901234567890.1234567890123456789,0.1,true,2025-10-26T01:30:00+00:00,2025-03-30T01:30:00.25,0044-03-15,Zoë '🚣',"{""a"": [1, null]}",00000000-0000-0000-0000-00000000000a,rough,P1DT2H,"{1,NULL,3}",(2 bytes),infinity,`,
		},
		"mysql": {
			`create table t (id int primary key, big bigint unsigned, exact decimal(40, 20), half double, yes tinyint(1), zoned timestamp null, plain datetime(3), day date,
			word varchar(40), doc json, state enum('calm', 'rough'), took time, y year, raw blob, nothing text);
			insert into t values (1, 18446744073709551615, 12345678901234567890.12345678901234567890, 0.1, 1, '2025-10-26 01:30', '2025-03-30 01:30:00.250', '0044-03-15',
			'Zoë ''🚣''', '{"a": [1, null]}', 'rough', '26:00:00', 2025, x'00ff', null)`,
			"id, big, exact, half, yes, zoned, plain, day, word, doc, state, took, y, raw, nothing",
			`1,18446744073709551615,12345678901234567890.1234567890123456789,0.1,true,2025-10-26T01:30:00+00:00,2025-03-30T01:30:00.25,0044-03-15,Zoë '🚣',"{""a"": [1, null]}",rough,26:00:00,2025,(2 bytes),`,
		},
	} {
		t.Run(kind, func(t *testing.T) {
			server, db := kinds[kind].start(t)
			execute(t, db, c.table)
			s := source(t, kind, address(server))
			tables, err := s.Catalogue(t.Context())
			require.NoError(t, err)
			zone, err := time.LoadLocation("Europe/London")
			require.NoError(t, err)
			q := compiled(t, "kind: query\nname: q\nsource: s\nfrom: t\ncolumns: ["+c.columns+"]\n", &tables)
			statement, problems := plan.Planner{Query: q, Calendar: civil.Calendar{Zone: zone}}.Records(definition.View{}, nil)
			require.Empty(t, problems)
			var out bytes.Buffer
			w, reader := output.CSV.New(&out), statement.NewReader(zone)
			require.NoError(t, w.Begin(output.Header{Location: zone, Columns: statement.Outputs}))
			require.NoError(t, s.Stream(t.Context(), s.Dialect().Write(statement.Statement), func(row []any) error { return w.Row(reader.Read(row)) }))
			require.NoError(t, w.End(output.Summary{}))
			_, row, _ := strings.Cut(out.String(), "\r\n")
			assert.Equal(t, c.want, strings.TrimSuffix(row, "\r\n"))
		})
	}
}

// TestPostgresAsText: what PostgreSQL sends as it is stored is read as what its own cast to
// text writes, from one end of each type to the other.
func TestPostgresAsText(t *testing.T) {
	server, _ := servers.Postgres(t)
	s := source(t, "postgresql", address(server))
	for _, values := range []string{
		"select day::date as v from unnest(array['4713-01-01 BC', '0001-12-31 BC', '0001-01-01', '0999-02-28', '2000-02-29', '9999-12-31', '10000-01-01', '5874897-12-31', 'infinity', '-infinity']) as day",
		"select date '4713-01-01 BC' + (random() * 6000000)::int as v from generate_series(1, 2000)",
		"select at::timestamp as v from unnest(array['4713-01-01 BC', '0001-12-31 23:59:59.999999 BC', '1999-12-31 23:59:59.999999', '2000-01-01', '2025-03-30 01:30:00.25', '294276-12-31 23:59:59.999999', 'infinity', '-infinity']) as at",
		"select timestamp '4713-01-01 BC' + random() * interval '20000 years' as v from generate_series(1, 2000)",
		"select timestamptz '0001-01-01 00:00+00' + random() * interval '9999 years' as v from generate_series(1, 2000)",
		"select timestamptz '1999-12-31 23:59:59+00' + n * interval '100 milliseconds' as v from generate_series(-30, 30) as n",
		"select n::smallint as v from unnest(array[-32768, -1, 0, 32767]) as n",
		"select n::int as v from unnest(array[-2147483648, -1, 0, 2147483647]) as n",
		"select n::bigint as v from unnest(array[-9223372036854775808, -1, 0, 9223372036854775807]) as n",
		"select n::oid as v from unnest(array[0, 4294967295]) as n",
		"select n > 0 as v from unnest(array[0, 1]) as n",
		"select null::date as v union all select date '2025-03-31'",
	} {
		rows, err := query(s, "select v, v::text from ("+values+") as x")
		require.NoError(t, err, values)
		require.NotEmpty(t, rows)
		for _, row := range rows {
			if row[0] == nil {
				require.Nil(t, row[1])
				continue
			}
			require.Equal(t, row[1], fmt.Sprint(row[0]), values)
		}
	}
	for kind, most := range map[string]string{"double precision": "1e300", "real": "1e30"} {
		rows, err := query(s, "select v, v::text from (select ((random() - 0.5) * "+most+")::"+kind+" as v from generate_series(1, 1000) union all select x::"+kind+" from unnest(array['0', '0.1', '-16777217', 'NaN', 'Infinity', '-Infinity']) as x) as y")
		require.NoError(t, err)
		for _, row := range rows {
			want, err := strconv.ParseFloat(row[1].(string), 64)
			require.NoError(t, err)
			require.Equal(t, strconv.FormatFloat(want, 'g', -1, 64), strconv.FormatFloat(row[0].(float64), 'g', -1, 64), kind)
		}
	}
}
