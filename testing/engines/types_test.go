package engines

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/plan"
	"pikegate/internal/output"
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
