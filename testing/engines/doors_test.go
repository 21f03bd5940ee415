// Package engines tries what only a real server can show: that nothing can be
// written, that values arrive as they are, and what happens when things break.
package engines

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/engine/mysql"
	"pikegate/internal/engine/postgres"
	"pikegate/testing/servers"
)

// kinds are the engines that are servers.
var kinds = map[string]struct {
	start  func(t testing.TB, options ...string) (*servers.Server, *sql.DB)
	engine engine.Engine
	admin  string
}{
	"postgresql": {servers.Postgres, postgres.Engine, "postgres"},
	"mysql":      {servers.MariaDB, mysql.Engine, "root"},
}

// address is that of the reader.
func address(s *servers.Server) engine.Address {
	return engine.Address{Name: "business", At: s.Address, Database: servers.Database, User: servers.Reader, Password: servers.Password, Limit: time.Minute, Connections: 4}
}

// source opens a server for the reader.
func source(t *testing.T, kind string, a engine.Address) engine.Source {
	t.Helper()
	s, err := kinds[kind].engine.Open(a)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	return s
}

func query(s engine.Source, text string, args ...any) ([][]any, error) {
	return engine.Rows(context.Background(), s, text, args...)
}

func code(err error) engine.Code {
	var f *engine.Failure
	if errors.As(err, &f) {
		return f.Code
	}
	return ""
}

// TestNothingCanBeWritten tries every door to change a database, as a reader
// and as the server's own administrator, who may write anywhere else.
func TestNothingCanBeWritten(t *testing.T) {
	t.Parallel()
	doors := map[string][]string{
		"postgresql": {
			"insert into t values (2)", "update t set a = 2", "delete from t", "with x as (delete from t returning *) select * from x",
			"with x as (insert into t values (3) returning a) select * from x", "drop table t", "create table u (a int)", "create temp table u (a int)",
			"truncate t", "select nextval('s')", "select setval('s', 100)", "alter table t add b int", "select * from t for update",
			"select 1; insert into t values (9)", "commit; insert into t values (9)", "select lo_create(0)", "select writes()",
			"copy t from program 'echo 5'", "comment on table t is 'x'", "create index on t (a)", "select * into u from t",
			"do $$ begin insert into t values (9); end $$", "set transaction read write", "vacuum",
			"select set_config('transaction_read_only', 'off', false), writes()",
		},
		"mysql": {
			"insert into t values (2)", "update t set a = 2", "delete from t", "drop table t", "create table u (a int)", "truncate t", "alter table t add b int",
			"select 1; insert into t values (9)", "select writes()", "replace into t values (9)", "call writing()", "load data infile '/etc/passwd' into table t",
			"create temporary table u select * from t", "create index i on t (a)", "insert into t select 5 from (select 1) as x", "lock tables t write",
			"/*!50000 insert into t values (9) */", "do writes()", "handler t open", "analyze table t",
		},
	}
	makes := map[string]string{
		"postgresql": "create table t (a int); insert into t values (1); create sequence s; create function writes() returns int language sql as 'insert into t values (7) returning a'; grant select on t to reader",
		"mysql": "create table t (a int); insert into t values (1); set global log_bin_trust_function_creators = 1; create function writes() returns int begin insert into t values (7); return 1; end;" +
			"create procedure writing() insert into t values (8); grant execute on business.* to reader@'127.0.0.1'",
	}
	for kind, k := range kinds {
		t.Run(kind, func(t *testing.T) {
			server, db := k.start(t)
			_, err := db.Exec(makes[kind])
			require.NoError(t, err)
			admin := address(server)
			admin.User, admin.Password = k.admin, ""
			for who, a := range map[string]engine.Address{"reader": address(server), "administrator": admin} {
				s := source(t, kind, a)
				for _, text := range doors[kind] {
					_, err := query(s, text)
					harmless := strings.HasPrefix(text, "lock") || strings.HasPrefix(text, "handler") || strings.HasPrefix(text, "analyze") || strings.HasPrefix(text, "set transaction") || strings.Contains(text, "lo_create") // undone by the rollback
					if !harmless || who == "reader" && !strings.HasPrefix(text, "handler") && !strings.HasPrefix(text, "set transaction") && !strings.Contains(text, "lo_create") {
						assert.Error(t, err, "%s: %s", who, text)
					}
					var n int
					require.NoError(t, db.QueryRow("select count(*) from t").Scan(&n), "%s: %s", who, text)
					require.Equal(t, 1, n, "%s: %s", who, text)
				}
				rows, err := query(s, "select a from t")
				require.NoError(t, err, "the source still reads")
				assert.Equal(t, [][]any{{int64(1)}}, rows)
			}
			reader := source(t, kind, address(server))
			if kind == "mysql" {
				_, err = query(reader, "select * from t into outfile '/tmp/pikegate-outfile'")
				assert.Error(t, err)
			} else {
				_, err = query(reader, "copy t to program 'true'")
				assert.Error(t, err)
			}
			report, err := reader.Check(t.Context())
			require.NoError(t, err)
			assert.True(t, report.ReadOnly, report.Proof)
			assert.NotEmpty(t, report.Version)
			boss, err := source(t, kind, admin).Check(t.Context())
			require.NoError(t, err)
			assert.True(t, boss.ReadOnly)
			assert.NotEmpty(t, boss.Powers, "what the login could do is said")
		})
	}
}

// hostile are values that want to be more than values.
var hostile = []string{
	"'", "''", "' or 1=1 --", "'; drop table t; --", "\\", "\\'", "\\\\'", "\"", "`", "$$", "$1", "$tag$ x $tag$", "?", "?1", ":word", "::text", "%", "_", "%%", "/*", "*/", "/*!50000 x */", "--", "#",
	"E'\\x'", "criteria()", "null", "NULL", "0", "1e9", "{}", "{\"a\":1}", "[1]", "\t", "a\nb", "\r\n", " ", "Zoë Åkerlund", "日本語", "🚣", "\u202Eabc", "\u00e9", "e\u0301", strings.Repeat("x'", 5000),
}

const hostileQuery = `
kind: query
name: q
source: s
sql: select %s as v, %s as w where %s in :many
parameters: [{name: word, kind: text, required: true}, {name: many, kind: text, many: true, required: true}]
columns: [v, w]
`

// TestValuesArriveAsTheyAre: a bound value comes back as the same text, through
// hand-written SQL and through criteria, alone and in lists.
func TestValuesArriveAsTheyAre(t *testing.T) {
	t.Parallel()
	for kind, k := range kinds {
		t.Run(kind, func(t *testing.T) {
			server, db := k.start(t)
			column := map[string]string{"postgresql": "text", "mysql": "longtext"}[kind]
			_, err := db.Exec("create table t (id int primary key, word " + column + ")")
			require.NoError(t, err)
			for i, word := range hostile {
				place := map[string]string{"postgresql": "$1, $2", "mysql": "?, ?"}[kind]
				_, err := db.Exec("insert into t values ("+place+")", i, word)
				require.NoError(t, err)
			}
			s := source(t, kind, address(server))
			tables, err := s.Catalogue(t.Context())
			require.NoError(t, err)
			typed := map[string]string{"postgresql": ":word::text", "mysql": ":word"}[kind]
			raw := fmt.Sprintf(hostileQuery, typed, "'a:word'", typed)
			byHand := compiled(t, raw, &catalog.Source{Engine: kind})
			for _, criteria := range []string{"word = :word", "word in :many", "word contains :word and length(word) = length(:word)", "word starts with :word and word ends with :word and length(word) <= length(:word)"} {
				c := compiled(t, "kind: query\nname: q\nsource: s\nfrom: t\nparameters: [{name: word, kind: text}, {name: many, kind: text, many: true}]\ncolumns: [word]\ncriteria: "+criteria+"\n", &tables)
				for _, word := range hostile {
					require.Equal(t, [][]any{{word}}, found(t, s, c, word), "%s: %q", criteria, word)
				}
			}
			for _, word := range hostile {
				require.Equal(t, [][]any{{word, "a:word"}}, found(t, s, byHand, word), "%q", word)
			}
			long := make([]string, 3000)
			for i := range long {
				long[i] = fmt.Sprint("none ", i)
			}
			c := compiled(t, "kind: query\nname: q\nsource: s\nfrom: t\nparameters: [{name: word, kind: text}, {name: many, kind: text, many: true}]\ncolumns: [word]\ncriteria: word in :many\n", &tables)
			require.Equal(t, [][]any{{"🚣"}}, found(t, s, c, append(long, "🚣")...), "a list of any length")
		})
	}
}

// found runs a query whose questions are all answered with the words.
func found(t *testing.T, s engine.Source, c *definition.Compiled, words ...string) [][]any {
	t.Helper()
	values := parameter.Values{"word": {Given: true, Texts: words[len(words)-1:]}, "many": {Given: true, Texts: words}}
	statement, problems := plan.Planner{Query: c, Calendar: civil.Calendar{Zone: civil.UTC}}.Records(definition.View{}, values)
	require.Empty(t, problems)
	q := s.Dialect().Write(statement.Statement)
	rows, err := query(s, q.SQL, q.Args...)
	require.NoError(t, err, q.SQL)
	return rows
}

// TestSessionsEnd: what a statement sets, locks or remembers in its session is
// gone with it.
func TestSessionsEnd(t *testing.T) {
	t.Parallel()
	for kind, c := range map[string]struct{ set, look []string }{
		"postgresql": {
			[]string{"select pg_advisory_lock(7)", "select set_config('search_path', 'elsewhere', false)", "select set_config('application_name', 'another', false)"},
			[]string{"select not exists (select 1 from pg_locks where locktype = 'advisory')", "select current_setting('search_path') not like 'elsewhere'", "select current_setting('application_name') = 'pikegate'"},
		},
		"mysql": {
			[]string{"select get_lock('mine', 0)", "select @mine := 5", "select last_insert_id(77)"},
			[]string{"select is_free_lock('mine') = 1", "select @mine is null", "select last_insert_id() <> 77"},
		},
	} {
		t.Run(kind, func(t *testing.T) {
			server, _ := kinds[kind].start(t)
			a := address(server)
			a.Connections = 1 // the next statement has the same connection, if any
			s := source(t, kind, a)
			for i, text := range c.set {
				_, err := query(s, text)
				require.NoError(t, err, text)
				require.Eventually(t, func() bool {
					rows, err := query(s, c.look[i])
					return err == nil && (rows[0][0] == true || rows[0][0] == int64(1))
				}, 10*time.Second, 50*time.Millisecond, text)
			}
		})
	}
}
