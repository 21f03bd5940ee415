package engines

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/testing/servers"
)

// TestCharacterSets: texts of old tables of MariaDB, of other character sets and collations
// than ours, are compared, ordered, grouped and put below each other as all others are.
func TestCharacterSets(t *testing.T) {
	t.Parallel()
	server, db := servers.MariaDB(t)
	for _, set := range []string{"latin1", "utf8mb3", "ascii", "utf8mb4 collate utf8mb4_unicode_ci", "utf8mb4 collate utf8mb4_general_ci", "enum"} {
		if set == "enum" { // an enum, whose texts have a collation too
			_, err := db.Exec("create table t5 (id int primary key, s enum('a', 'b', 'B') character set latin1 collate latin1_bin, day varchar(10) character set latin1)")
			require.NoError(t, err)
			_, err = db.Exec("insert into t5 values (1, 'B', '2025-03-01'), (2, 'a', '2025-03-02'), (3, 'b', '2025-04-01')")
			require.NoError(t, err)
			continue
		}
		var n int
		require.NoError(t, db.QueryRow("select count(*) from information_schema.tables where table_schema = database() and table_name like 't_'").Scan(&n))
		_, err := db.Exec(fmt.Sprintf("create table t%d (id int primary key, s varchar(20) character set %s, day varchar(10) character set %s)", n, set, set))
		require.NoError(t, err)
		_, err = db.Exec(fmt.Sprintf("insert into t%d values (1, 'B', '2025-03-01'), (2, 'a', '2025-03-02'), (3, 'b', '2025-04-01')", n))
		require.NoError(t, err)
	}
	s := source(t, "mysql", address(server))
	tables, err := s.Catalogue(t.Context())
	require.NoError(t, err)
	for i := range tables.Tables {
		if tables.Tables[i].Name[0] == 't' {
			require.NoError(t, tables.SetEncoding(tables.Tables[i].Name+".day", "iso-date"))
		}
	}
	ask := func(text string) (out [][]any) {
		t.Helper()
		documents, problems := definition.Decode("", []byte(text))
		require.Empty(t, problems)
		library := definition.Library{Query: func(name string) (*definition.Query, bool) {
			of, problems := definition.Decode("", []byte("kind: query\nname: "+name+"\nsource: s\nfrom: "+name+"\ncolumns: [id, s, day]\n"))
			require.Empty(t, problems)
			return of[0].(*definition.Query), true
		}}
		c, problems := definition.Compile(documents[0].(*definition.Query), &tables, library)
		require.NoError(t, problems.Err())
		statement, problems := plan.Planner{Query: c, Calendar: civil.Calendar{Zone: civil.UTC}}.Records(definition.View{}, parameter.Values{})
		require.NoError(t, problems.Err())
		q := s.Dialect().Write(statement.Statement)
		rows, err := query(s, q.SQL, q.Args...)
		require.NoError(t, err, q.SQL)
		reader := statement.NewReader(civil.UTC)
		for _, row := range rows {
			if len(statement.GroupBy) > 0 {
				out = append(out, row)
				continue
			}
			record := reader.Read(row)
			out = append(out, []any{record[0].Int(), record[1].Text()})
		}
		return out
	}
	for n := range 6 {
		head := fmt.Sprintf("kind: query\nname: q\nsource: s\nfrom: t%d\n", n)
		require.Equal(t, [][]any{{int64(1), "B"}, {int64(2), "a"}, {int64(3), "b"}}, ask(head+"columns: [id, s]\nsort: [s]\n"), "%d", n)
		require.Equal(t, [][]any{{int64(3), "b"}}, ask(head+"columns: [id, s]\ncriteria: \"s = 'b' and day within '2025-04' and s in ('b', 'ä') and concat(s, '🚣') = 'b🚣'\"\n"))
		require.Equal(t, [][]any{{int64(1), "B"}, {int64(3), "b"}}, ask(head+"columns: [id, s]\ncriteria: \"s = 'B' ignoring case and s contains 'b' ignoring case and s starts with 'b' ignoring case and s not matches 'ä*'\"\n"))
		require.Equal(t, [][]any{{"B", int64(1)}, {"a", int64(1)}, {"b", int64(1)}}, ask(head+"columns: [s, { name: n, value: count }]\n"))
	}
	var want [][]any
	for _, row := range [][]any{{int64(1), "B"}, {int64(2), "a"}, {int64(3), "b"}} {
		for range 6 {
			want = append(want, row)
		}
	}
	require.Equal(t, want, ask("kind: query\nname: q\nsource: s\nunion: [t0, t1, t2, t3, t4, t5]\ncolumns: [id, s]\nsort: [s]\n"))
}
