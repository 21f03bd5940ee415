package attacks_test

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/internal/api"
	"pikegate/internal/engine"
	"pikegate/internal/engine/mysql"
	"pikegate/internal/engine/postgres"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/service"
	"pikegate/internal/store"
)

// How long, and by how many, the service is used at once; make soak is longer.
var (
	during  = flag.Duration("during", 5*time.Second, "how long everybody is at it at once")
	runners = flag.Int("runners", 40, "how many run small reports")
	exports = flag.Int("exports", 5, "how many take files away")
)

// prefix is where the interface lives.
const prefix = "/api/v1"

// patience is how long is waited for what takes a moment: all tests together keep
// a small machine busy.
const patience = 90 * time.Second

// gate is a service under attack, and the folder of its records.
type gate struct {
	*testing.T
	web    *httptest.Server
	folder string
	stall  time.Duration
}

// serve starts a service with a small source, tolls, in a file that has a
// rollback journal.
func serve(t *testing.T, limit, stall time.Duration, secrets map[string]string) *gate {
	t.Helper()
	folder := t.TempDir()
	kept, err := store.Open(filepath.Join(folder, "pikegate.db"), nil)
	require.NoError(t, err)
	spool := filepath.Join(folder, "waiting")
	require.NoError(t, os.Mkdir(spool, 0o700))
	log := slog.New(slog.DiscardHandler)
	s, err := service.New(t.Context(), service.Config{
		Store: kept, Engines: []engine.Engine{sqlite.Engine, postgres.Engine, mysql.Engine},
		Calendar: civil.Calendar{Zone: time.UTC, WeekStart: time.Monday}, Now: time.Now, TimeLimit: limit, Log: log, Spool: spool,
		Secret: func(name string) (string, bool) { v, ok := secrets[name]; return v, ok },
	})
	require.NoError(t, err)
	handler := api.New(s, log, "test")
	handler.Stall = stall
	web := httptest.NewServer(handler)
	t.Cleanup(func() {
		web.CloseClientConnections()
		web.Close()
		assert.NoError(t, s.Close())
		assert.NoError(t, kept.Close())
		left, err := os.ReadDir(spool)
		assert.NoError(t, err)
		assert.Empty(t, left, "rows that waited")
	})
	g := &gate{t, web, folder, stall}
	db := g.business("tolls.db")
	_, err = db.Exec(`pragma journal_mode = delete; create table tolls (id integer primary key, day text, note text);
		with recursive n(i) as (select 1 union all select i + 1 from n where i < 20000)
		insert into tolls select i, date('2026-01-01', '+' || (i % 90) || ' days'), substr(hex(zeroblob(200)), 1, 400) from n`)
	require.NoError(t, err)
	g.must("POST", "/sources", map[string]any{"name": "tolls", "engine": "sqlite", "address": filepath.Join(folder, "tolls.db"), "encodings": map[string]string{"tolls.day": "iso-date"}})
	g.publish("kind: query\nname: tolls\nsource: tolls\nfrom: tolls\ncolumns: [id, day, note]\nparameters: [{name: period, kind: period}]\ncriteria: day within :period\nsort: [id]\n---\nkind: report\nname: tolls\nquery: tolls\n", "tolls")
	return g
}

// business opens a file of a business, to be written.
func (g *gate) business(name string) *sql.DB {
	db, err := sql.Open("sqlite3", filepath.Join(g.folder, name)+"?_busy_timeout=100")
	require.NoError(g, err)
	g.Cleanup(func() { db.Close() })
	return db
}

// call sends a request with a body of JSON and gives the status and the answer.
func (g *gate) call(method, path string, body any, header ...string) (int, string) {
	g.Helper()
	sent, err := json.Marshal(body)
	require.NoError(g, err)
	request, err := http.NewRequestWithContext(g.Context(), method, g.web.URL+prefix+path, strings.NewReader(string(sent)))
	require.NoError(g, err)
	request.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(header); i += 2 {
		request.Header.Set(header[i], header[i+1])
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return 0, err.Error()
	}
	defer response.Body.Close()
	content, err := io.ReadAll(response.Body)
	if err != nil {
		return 0, err.Error()
	}
	return response.StatusCode, string(content)
}

func (g *gate) must(method, path string, body any) string {
	g.Helper()
	status, answer := g.call(method, path, body)
	require.Less(g, status, 300, answer)
	require.NotZero(g, status, answer)
	return answer
}

func (g *gate) publish(content string, names ...string) {
	g.Helper()
	g.must("POST", "/definitions", map[string]any{"content": content})
	for _, name := range names {
		g.must("POST", "/definitions/"+name+"/publish", nil)
	}
}

// byHand publishes a report of SQL written by hand.
func (g *gate) byHand(name, text string, columns ...string) {
	g.Helper()
	list, _ := json.Marshal(columns)
	g.publish(fmt.Sprintf("kind: query\nname: %s\nsource: tolls\nsql: %q\ncolumns: %s\n---\nkind: report\nname: %s\nquery: %s\n", name, text, list, name, name), name)
}

// deaf begins a run and takes nothing of what comes.
func (g *gate) deaf(report, format string) net.Conn {
	g.Helper()
	conn, err := net.Dial("tcp", strings.TrimPrefix(g.web.URL, "http://"))
	require.NoError(g, err)
	require.NoError(g, conn.(*net.TCPConn).SetReadBuffer(4096))
	g.Cleanup(func() { conn.Close() })
	_, err = fmt.Fprintf(conn, "POST %s/reports/%s/runs?format=%s HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 2\r\n\r\n{}", prefix, report, format)
	require.NoError(g, err)
	return conn
}

// outcome is how the newest run of a report ended.
func (g *gate) outcome(report string) string {
	var runs []struct{ Outcome string }
	require.NoError(g, json.Unmarshal([]byte(g.must("GET", "/runs?limit=1&report="+report, nil)), &runs))
	if len(runs) == 0 {
		return ""
	}
	return runs[0].Outcome
}

// TestDeafReaders: those who take nothing shut out nobody and hold no lock of
// the database.
func TestDeafReaders(t *testing.T) {
	g := serve(t, time.Minute, time.Hour, nil)
	for range 12 { // more than a source has connections
		g.deaf("tolls", "csv")
	}
	answered := make(chan string)
	go func() {
		_, answer := g.call("POST", "/reports/tolls/runs", map[string]any{"inputs": map[string]any{"period": "2026-01-05"}})
		answered <- answer
	}()
	select {
	case answer := <-answered:
		assert.Contains(t, answer, `"outcome":"done"`)
	case <-time.After(patience):
		t.Fatal("a small run was shut out")
	}
	// Whoever writes the file waits for no reader.
	db := g.business("tolls.db")
	assert.Eventually(t, func() bool {
		_, err := db.Exec("insert into tolls (day) values ('2026-06-01')")
		return err == nil
	}, patience, 20*time.Millisecond)
	// Only those who make files wait for each other.
	assert.Contains(t, g.must("POST", "/reports/tolls/runs", map[string]any{"inputs": map[string]any{"period": "2026-01-06"}}), `"outcome":"done"`)
}

// TestStalled: whoever takes nothing for long is given up.
func TestStalled(t *testing.T) {
	g := serve(t, time.Minute, 500*time.Millisecond, nil)
	g.deaf("tolls", "csv")
	assert.Eventually(t, func() bool { return g.outcome("tolls") == "stalled" }, patience, 50*time.Millisecond)
}

// TestGone: a caller who leaves ends the statement and is told from others.
func TestGone(t *testing.T) {
	g := serve(t, time.Minute, time.Minute, nil)
	g.byHand("endless", "with recursive n(i) as (select 1 union all select i + 1 from n) select i from n", "i")
	conn := g.deaf("endless", "ndjson")
	_, err := bufio.NewReader(conn).ReadString('\n') // what there is comes at once
	require.NoError(t, err)
	require.NoError(t, conn.Close())
	assert.Eventually(t, func() bool { return g.outcome("endless") == "cancelled" }, patience, 20*time.Millisecond)
}

// TestTimeLimit: the limit holds for everything that is asked of a source, and a
// server that says nothing holds up nobody else.
func TestTimeLimit(t *testing.T) {
	g := serve(t, 4*time.Second, time.Minute, nil)
	slow := "with recursive n(i) as (select 1 union all select i + 1 from n) select max(i) as i from n"
	g.byHand("slow", slow, "i")
	silent, err := net.Listen("tcp", "127.0.0.1:0") // it takes connections and says nothing
	require.NoError(t, err)
	defer silent.Close()
	var wait sync.WaitGroup
	for _, c := range []struct {
		method, path string
		body         any
	}{
		{"POST", "/reports/slow/runs", map[string]any{}},
		{"POST", "/reports/slow/runs?format=csv", map[string]any{}},
		{"POST", "/definitions/rows", map[string]any{"content": fmt.Sprintf("kind: query\nname: q\nsource: tolls\nsql: %q\ncolumns: [i]\n", slow)}},
		{"POST", "/sources", map[string]any{"name": "silent-a", "engine": "postgresql", "address": silent.Addr().String(), "database": "d", "user": "u"}},
		{"POST", "/sources", map[string]any{"name": "silent-b", "engine": "mysql", "address": silent.Addr().String(), "database": "d", "user": "u"}},
	} {
		wait.Go(func() {
			start := time.Now()
			status, answer := g.call(c.method, c.path, c.body)
			assert.Less(t, time.Since(start), patience, "%s %s", c.method, c.path)
			assert.True(t, status == 0 || status >= 400 || strings.Contains(answer, "timed_out"), "%s %s: %d %s", c.method, c.path, status, answer) // 0 is a file that broke off
		})
	}
	start := time.Now()
	g.must("GET", "/sources/tolls", nil)
	assert.Less(t, time.Since(start), patience)
	wait.Wait()
}

// TestMemory: no statement takes the memory or the time of all others.
func TestMemory(t *testing.T) {
	g := serve(t, time.Minute, time.Minute, nil)
	for name, c := range map[string]struct{ text, want string }{
		"blob":   {"select length(hex(zeroblob(400000000))) as i", "value_too_large"},
		"text":   {"select replace(hex(zeroblob(8000000)), '0', 'xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx') as i", "value_too_large"},
		"round":  {"select round(1.5, 100000000) as i", "done"},
		"places": {"select round(1.25, -100000000) as i", "done"},
		"group":  {"with recursive n(i) as (select 1 union all select i + 1 from n where i < 100000) select group_concat(hex(zeroblob(20000))) as i from n", "value_too_large"},
	} {
		t.Run(name, func(t *testing.T) {
			g.byHand("heavy-"+name, c.text, "i")
			start := time.Now()
			_, answer := g.call("POST", "/reports/heavy-"+name+"/runs", map[string]any{})
			assert.Less(t, time.Since(start), patience)
			if c.want == "done" {
				assert.Contains(t, answer, `"outcome":"done"`)
				return
			}
			assert.Contains(t, answer, `"outcome":"failed"`)
		})
	}
	assert.Contains(t, g.must("POST", "/reports/tolls/runs", map[string]any{"inputs": map[string]any{"period": "2026-01-05"}}), `"outcome":"done"`)
}

// TestFiles: only files of a business are read: no pipe, no device, nothing the
// service keeps itself by whatever name; a file that was replaced is noticed.
func TestFiles(t *testing.T) {
	g := serve(t, time.Minute, time.Minute, nil)
	pipe := filepath.Join(g.folder, "pipe")
	require.NoError(t, syscall.Mkfifo(pipe, 0o600))
	own, link, hard := filepath.Join(g.folder, "pikegate.db"), filepath.Join(g.folder, "link.db"), filepath.Join(g.folder, "hard.db")
	require.NoError(t, os.Symlink(own, link))
	require.NoError(t, os.Link(own, hard))
	device := filepath.Join(g.folder, "device")
	require.NoError(t, os.Symlink("/dev/zero", device))
	for _, path := range []string{pipe, "/dev/zero", device, "/proc/self/mem", "/proc/self/environ", own, own + "-wal", link, hard, g.folder} {
		start := time.Now()
		status, answer := g.call("POST", "/sources", map[string]any{"name": "robbed", "engine": "sqlite", "address": path})
		assert.GreaterOrEqual(t, status, 400, "%s: %s", path, answer)
		assert.Less(t, time.Since(start), patience, path)
	}

	run := func() string {
		_, answer := g.call("POST", "/reports/tolls/runs", map[string]any{"inputs": map[string]any{"period": "2026-01-05"}})
		return answer
	}
	require.Contains(t, run(), `"outcome":"done"`)
	other := g.business("other.db")
	_, err := other.Exec("create table tolls (id integer primary key, day text, note text); insert into tolls values (1, '2026-01-05', 'the only one')")
	require.NoError(t, err)
	require.NoError(t, os.Rename(filepath.Join(g.folder, "other.db"), filepath.Join(g.folder, "tolls.db")))
	assert.Contains(t, run(), `[1,"2026-01-05","the only one"]`)
	require.NoError(t, os.Remove(filepath.Join(g.folder, "tolls.db")))
	assert.Contains(t, run(), "There is no database file")
}

// TestSecrets: a password goes to the place it was first used at and to no other,
// whoever names it.
func TestSecrets(t *testing.T) {
	g := serve(t, time.Minute, time.Minute, map[string]string{"ledger": "never-to-be-seen"})
	got := make(chan string, 10)
	thief, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer thief.Close()
	go func() {
		for {
			conn, err := thief.Accept()
			if err != nil {
				return
			}
			content := make([]byte, 4096)
			n, _ := conn.Read(content)
			got <- string(content[:n])
			conn.Close()
		}
	}()
	// It is bound as soon as a source that has it is kept.
	kept, err := store.Open(filepath.Join(g.folder, "pikegate.db"), nil)
	require.NoError(t, err)
	require.NoError(t, kept.Bind(t.Context(), "ledger", "postgresql clerk@db.example:5432", time.Now()))
	require.NoError(t, kept.Close())
	for _, engine := range []string{"postgresql", "mysql"} {
		status, answer := g.call("POST", "/sources", map[string]any{"name": "thief", "engine": engine, "address": thief.Addr().String(), "database": "d", "user": "clerk", "secret": "ledger"})
		assert.Equal(t, 422, status, answer)
		assert.Contains(t, answer, "secret_bound")
	}
	status, answer := g.call("POST", "/sources", map[string]any{"name": "thief", "engine": "postgresql", "address": thief.Addr().String(), "database": "d", "user": "clerk", "secret": "ledgr"})
	assert.Equal(t, 502, status, answer)
	assert.Contains(t, answer, "no_secret")
	assert.Empty(t, got, "nobody was even called")
}

// TestPagesOfOthers: what a browser sends for a page of another site does no
// work, even where it only reads; nothing is kept on the way, and every answer
// says so.
func TestPagesOfOthers(t *testing.T) {
	g := serve(t, time.Minute, time.Minute, nil)
	for _, site := range []string{"cross-site", "same-site"} {
		status, answer := g.call("GET", "/sources/tolls", nil, "Sec-Fetch-Site", site, "Sec-Fetch-Mode", "no-cors")
		assert.Equal(t, 403, status, answer)
		status, _ = g.call("GET", "/sources/tolls", nil, "Sec-Fetch-Site", site, "Sec-Fetch-Mode", "navigate", "Sec-Fetch-Dest", "document")
		assert.Equal(t, 403, status)
	}
	for _, site := range []string{"same-origin", "none"} {
		status, answer := g.call("GET", "/sources/tolls", nil, "Sec-Fetch-Site", site)
		assert.Equal(t, 200, status, answer)
	}
	for _, path := range []string{"/", prefix + "/reports", prefix + "/nothing", prefix + "/reports/gone"} {
		for _, host := range []string{"", "pikegate.example"} {
			request, err := http.NewRequest("GET", g.web.URL+path, nil)
			require.NoError(t, err)
			if host != "" {
				request.Host = host
			}
			response, err := http.DefaultClient.Do(request)
			require.NoError(t, err)
			response.Body.Close()
			assert.Equal(t, "nosniff", response.Header.Get("X-Content-Type-Options"), path)
			assert.NotEmpty(t, response.Header.Get("Content-Security-Policy"), path)
			if strings.HasPrefix(path, prefix) {
				assert.Equal(t, "no-store", response.Header.Get("Cache-Control"), path)
			}
		}
	}
}

// TestEverybodyAtOnce: many run, export, publish and change encodings at the same
// time; nobody is refused, every run is recorded as it ended.
func TestEverybodyAtOnce(t *testing.T) {
	g := serve(t, time.Minute, time.Minute, nil)
	ctx, stop := context.WithTimeout(t.Context(), *during)
	defer stop()
	var wait sync.WaitGroup
	var mu sync.Mutex
	done := map[string]int{}
	again := func(kind string, n int, do func(i int) (bool, string)) {
		for i := range n {
			wait.Go(func() {
				for ctx.Err() == nil {
					ok, answer := do(i)
					if !assert.True(t, ok, "%s: %.300s", kind, answer) {
						return
					}
					mu.Lock()
					done[kind]++
					mu.Unlock()
				}
			})
		}
	}
	again("run", *runners, func(i int) (bool, string) {
		status, answer := g.call("POST", "/reports/tolls/runs", map[string]any{"inputs": map[string]any{"period": fmt.Sprintf("2026-01-%02d", i%28+1)}})
		return status == 200 && strings.Contains(answer, `"outcome":"done"`), answer
	})
	again("export", *exports, func(int) (bool, string) {
		status, answer := g.call("POST", "/reports/tolls/runs?format=csv", map[string]any{})
		return status == 200 && strings.Count(answer, "\r\n") == 20001, answer
	})
	again("publish", 3, func(i int) (bool, string) {
		name := fmt.Sprintf("p%d", i)
		status, answer := g.call("POST", "/definitions", map[string]any{"content": fmt.Sprintf("kind: report\nname: %s\nabout: %d\nquery: tolls\n", name, time.Now().UnixNano())})
		if status == 200 {
			status, answer = g.call("POST", "/definitions/"+name+"/publish", nil)
		}
		return status == 200, answer
	})
	again("encoding", 2, func(int) (bool, string) {
		status, answer := g.call("PUT", "/sources/tolls/encodings/tolls.day", map[string]any{"encoding": "iso-date"})
		return status == 200, answer
	})
	again("source", 2, func(i int) (bool, string) {
		status, answer := g.call("PATCH", "/sources/tolls", map[string]any{"address": filepath.Join(g.folder, "tolls.db")})
		return status == 200, answer
	})
	again("look", 3, func(int) (bool, string) {
		status, answer := g.call("GET", "/sources/tolls", nil)
		return status == 200, answer
	})
	wait.Wait()
	t.Log(done)
	assert.NotContains(t, g.must("GET", "/runs?limit=1000&outcome=running", nil), `"run"`)
	assert.NotContains(t, g.must("GET", "/runs?limit=1000&outcome=failed", nil), `"run"`)
}
