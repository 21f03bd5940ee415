package engines

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/dialect"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/output"
	"pikegate/testing/servers"
)

// TestTypesArriveExact: every kind of value is shown as it is, and what cannot
// be shown is said.
func TestTypesArriveExact(t *testing.T) {
	t.Parallel()
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

// passing is what a query returns to whoever lets its rows pass, times as the text that the
// source gives of them otherwise. Each value is looked at while its row is there, and spoiled
// after it by the next one where the source uses its memory again.
func passing(t *testing.T, s engine.Source, text string) (rows [][]any) {
	t.Helper()
	require.NoError(t, s.Stream(t.Context(), dialect.Query{SQL: text, Passing: true}, func(row []any) error {
		kept := make([]any, len(row))
		for i, v := range row {
			switch v := v.(type) {
			case string:
				kept[i] = strings.Clone(v)
			case catalog.Micros:
				kept[i] = string(v.AppendText(nil))
			case catalog.InstantMicros:
				kept[i] = string(v.AppendText(nil))
			case int64:
				kept[i] = v
			case float64:
				kept[i] = v
			case []byte:
				kept[i] = bytes.Clone(v)
			default:
				kept[i] = v
			}
		}
		rows = append(rows, kept)
		return nil
	}), text)
	return rows
}

// TestPostgresAsText: what PostgreSQL sends as it is stored is read as what its own cast to
// text writes, from one end of each type to the other.
func TestPostgresAsText(t *testing.T) {
	t.Parallel()
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
		text := "select v, v::text from (" + values + ") as x"
		rows, err := query(s, text)
		require.NoError(t, err, values)
		require.NotEmpty(t, rows)
		for _, row := range append(rows, passing(t, s, text)...) {
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

// TestMariaDBPackets: what is read from packets by ourselves is what the driver reads behind
// TLS, from one end of each type to the other, in rows larger than a packet too; a result that
// fails in the middle or is left leaves the connection as it was.
func TestMariaDBPackets(t *testing.T) {
	t.Parallel()
	cert, key := newAuthority(t).certificate(t, "mysql", "localhost")
	server, db := servers.MariaDB(t, "--ssl-cert="+cert, "--ssl-key="+key, "--max-allowed-packet=64M")
	execute(t, db, `create table t (id int primary key, tiny tinyint, byte tinyint unsigned, small smallint, word smallint unsigned, medium mediumint, mediumu mediumint unsigned, whole int, wholeu int unsigned,
		big bigint, bigu bigint unsigned, single float, real_ double, exact decimal(40, 20), bits bit(12), yes boolean, made year, day date, at datetime, at3 datetime(3), at6 datetime(6), stamp timestamp(2) null,
		took time, took4 time(4), fixed char(5), word_ varchar(50), raw varbinary(50), file blob, note text, state enum('calm', 'rough'), flags set('a', 'b'), doc json, place point)`)
	execute(t, db, "set sql_mode = ''")
	execute(t, db, `insert into t values
		(1, -128, 255, -32768, 65535, -8388608, 16777215, -2147483648, 4294967295, -9223372036854775808, 18446744073709551615, 0.1, 1e300, 12345678901234567890.12345678901234567890, b'101', true, 2025, '2025-03-31', '2025-03-31 08:30:15', '2025-03-31 08:30:15.250', '2025-03-31 08:30:15.000001', '2025-03-31 08:30:15.25',
		'-838:59:59', '26:00:00.1234', 'ab', 'Zoë 🚣', x'00ff', x'', '', 'rough', 'a,b', '{"a": 1}', point(1, 2)),
		(2, 127, 0, 32767, 0, 8388607, 0, 2147483647, 0, 9223372036854775807, 9223372036854775808, -16777217, -0.5, -0.5, b'0', false, 1901, '0000-00-00', '0000-00-00', '9999-12-31 23:59:59.999', '2025-00-10 00:00:00', null,
		'00:00:00', '-00:00:00.5', '', '', '', x'ff', repeat('x', 70000), 'calm', '', '[]', null),
		(3, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null, null)`)
	open := func(tls string) engine.Source {
		a := address(server)
		a.TLS, a.Connections = tls, 1
		return source(t, "mysql", a)
	}
	plain, encrypted := open("off"), open("")
	both := func(text string) (rows [][]any) {
		t.Helper()
		want, err := query(encrypted, text)
		require.NoError(t, err, text)
		rows, err = query(plain, text)
		require.NoError(t, err, text)
		require.Equal(t, want, rows, text)
		require.Equal(t, want, passing(t, plain, text), text)
		return rows
	}
	ssl := "select variable_value <> '' from information_schema.session_status where variable_name = 'Ssl_cipher'"
	for s, want := range map[engine.Source]int64{plain: 0, encrypted: 1} {
		rows, err := query(s, ssl)
		require.NoError(t, err)
		require.Equal(t, [][]any{{want}}, rows)
	}
	require.Len(t, both("select * from t order by id"), 3)
	both("select 1, null, 'text', 1.50, now() is null, cast('08:30' as time), cast('2025-03-31 08:30:15.5' as datetime(1)), timestamp('2025-03-31'), x'00', 1e0, cast(1 as unsigned), date '2025-03-31' + interval 90 minute, count(*), sum(exact), avg(whole), group_concat(word_) from t")
	both("select * from t where id > 3")
	both("select id, day from t union all select seq, '2025-01-01' + interval seq div 50 day from seq_10_to_5000")
	for _, n := range []int{250, 251, 65535, 65536, 256<<10 - 9, 256 << 10, 1<<24 - 10, 1<<24 - 6, 1<<24 - 5, 20 << 20} { // the steps of lengths, of our buffer and of packets
		require.Len(t, both(fmt.Sprintf("select repeat('x', %d) union all select 'end'", n))[0][0], n)
	}
	const failing = "select seq, if(seq = 40000, (select 1 union select 2), 'text') from seq_1_to_50000"
	for range 2 {
		n := 0
		err := plain.Stream(t.Context(), dialect.Query{SQL: failing}, func([]any) error { n++; return nil })
		require.ErrorContains(t, err, "more than 1 row")
		require.Greater(t, n, 1000)
		enough := errors.New("enough")
		require.ErrorIs(t, plain.Stream(t.Context(), dialect.Query{SQL: "select seq from seq_1_to_500000"}, func([]any) error { return enough }), enough)
		ctx, stop := context.WithCancel(t.Context())
		require.ErrorIs(t, plain.Stream(ctx, dialect.Query{SQL: "select seq from seq_1_to_50000000"}, func([]any) error { stop(); return nil }), context.Canceled)
		both("select id from t order by id")
	}
}
