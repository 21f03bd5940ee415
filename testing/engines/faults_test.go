package engines

import (
	"context"
	"errors"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/dialect"
	"pikegate/internal/engine"
	"pikegate/testing/servers"
)

func compiled(t *testing.T, text string, tables *catalog.Source) *definition.Compiled {
	t.Helper()
	documents, problems := definition.Decode("", []byte(text))
	require.Empty(t, problems)
	c, problems := definition.Compile(documents[0].(*definition.Query), tables, definition.Library{
		Result: func(*definition.Query) (definition.Described, error) {
			return definition.Described{Table: catalog.Table{Name: definition.Result, Columns: []catalog.Column{{Name: "v", Type: catalog.Text}, {Name: "w", Type: catalog.Text}}}}, nil
		},
	})
	for _, p := range problems {
		require.Contains(t, []string{"unused_parameter", "no_index", "not_followed"}, p.Code, "%v", p)
	}
	return c
}

// sleep is a query that takes a while, and busy counts the statements that run.
var (
	sleep = map[string]string{"postgresql": "select pg_sleep(30)", "mysql": "select sleep(30)"}
	busy  = map[string]string{
		"postgresql": "select count(*) from pg_stat_activity where state = 'active' and query like '%pg_sleep%' and pid <> pg_backend_pid()",
		"mysql":      "select count(*) from information_schema.processlist where info like 'select sleep%'",
	}
	slow = map[string]string{"postgresql": sleep["postgresql"], "mysql": "select sum(a.seq * b.seq) from seq_1_to_100000 as a, seq_1_to_100000 as b"}
	many = map[string]string{"postgresql": "select g, repeat('x', 1000) from generate_series(1, 1000000) as g", "mysql": "select seq, repeat('x', 1000) from seq_1_to_1000000"}
)

// TestFaults: what breaks is told by its own error, and nothing is left behind.
func TestFaults(t *testing.T) {
	for kind, k := range kinds {
		t.Run(kind, func(t *testing.T) {
			server, db := k.start(t)
			_, err := db.Exec("create table t (a int)")
			require.NoError(t, err)
			s := source(t, kind, address(server))
			_, err = query(s, "select 1")
			require.NoError(t, err)
			before := runtime.NumGoroutine()
			running := func() (n int) {
				require.NoError(t, db.QueryRow(busy[kind]).Scan(&n))
				return n
			}

			// A caller that goes away stops its statement on the server.
			ctx, cancel := context.WithCancel(t.Context())
			done := make(chan error, 1)
			go func() { done <- s.Stream(ctx, dialect.Query{SQL: sleep[kind]}, func([]any) error { return nil }) }()
			require.Eventually(t, func() bool { return running() == 1 }, 10*time.Second, 10*time.Millisecond)
			cancel()
			require.ErrorIs(t, <-done, context.Canceled)
			require.Eventually(t, func() bool { return running() == 0 }, 10*time.Second, 10*time.Millisecond)

			// A statement longer than the limit is stopped by the server.
			limited := address(server)
			limited.Limit = 200 * time.Millisecond
			_, err = query(source(t, kind, limited), slow[kind])
			assert.Equal(t, engine.TimedOut, code(err), "%v", err)

			// A reader that wants no more rows ends it at once.
			enough := errors.New("enough")
			start := time.Now()
			require.ErrorIs(t, s.Stream(t.Context(), dialect.Query{SQL: many[kind]}, func([]any) error { return enough }), enough)
			assert.Less(t, time.Since(start), 10*time.Second)

			_, err = query(s, "select * from gone")
			assert.Equal(t, engine.NoSuchTable, code(err), "%v", err)
			_, err = query(s, "select selct from where")
			assert.Equal(t, engine.Broken, code(err), "%v", err)
			wrong := address(server)
			wrong.Password = "not-the-password-7391"
			_, err = query(source(t, kind, wrong), "select 1")
			assert.Equal(t, engine.WrongLogin, code(err), "%v", err)
			assert.NotContains(t, err.Error(), wrong.Password)
			assert.NotContains(t, err.Error(), servers.Password)
			nowhere := address(server)
			nowhere.At = "127.0.0.1:1"
			_, err = query(source(t, kind, nowhere), "select 1")
			assert.Equal(t, engine.Unreachable, code(err), "%v", err)
			if kind == "postgresql" {
				_, err = db.Exec("create table hidden (a int); revoke all on hidden from reader")
				require.NoError(t, err)
				_, err = query(s, "select * from hidden")
				assert.Equal(t, engine.NoPermission, code(err), "%v", err)
			}

			// A server that dies in the middle of a stream, and comes back.
			rows := 0
			err = s.Stream(t.Context(), dialect.Query{SQL: many[kind]}, func([]any) error {
				if rows++; rows == 1000 {
					server.Stop()
				}
				return nil
			})
			assert.Equal(t, engine.Unreachable, code(err), "%v", err)
			_, err = query(s, "select 1")
			assert.Equal(t, engine.Unreachable, code(err), "%v", err)
			server.Start(t)
			require.Eventually(t, func() bool { _, err := query(s, "select 1"); return err == nil }, 20*time.Second, 50*time.Millisecond)

			// No connection and no goroutine is left behind.
			require.Eventually(t, func() bool { return runtime.NumGoroutine() <= before+12 }, 20*time.Second, 50*time.Millisecond, "%d goroutines, %d before", runtime.NumGoroutine(), before)
		})
	}
}
