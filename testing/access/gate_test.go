// Package access tries who may do what: a service with users, reached over HTTP by
// every kind of caller.
package access

import (
	"context"
	"database/sql"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/internal/api"
	"pikegate/internal/engine"
	"pikegate/internal/engine/files"
	"pikegate/internal/engine/mysql"
	"pikegate/internal/engine/postgres"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/identity"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
	"pikegate/testing/servers"
)

const prefix = "/api/v1"

// password is everybody's.
const password = "nine barges at the lock"

// gate is a service under test.
type gate struct {
	testing.TB
	web     *httptest.Server
	api     *api.Server
	service *service.Service
	store   *store.Store
	folder  string
	now     *clock
}

// clock is moved by hand.
type clock struct{ ahead time.Duration }

func (c *clock) now() time.Time { return time.Now().Add(c.ahead) }

// caller sends requests as somebody: with a session, a token, or nothing.
type caller struct {
	*gate
	name, cookie, token string
}

// answer is what came back.
type answer struct {
	status int
	body   string
	header http.Header
}

// open starts a service that has a source tolls, and no users.
func open(t testing.TB) *gate {
	t.Helper()
	folder := t.TempDir()
	vault, err := identity.NewVault(identity.NewKey())
	require.NoError(t, err)
	key, err := vault.Derived("audit log")
	require.NoError(t, err)
	kept, err := store.Open(filepath.Join(folder, "pikegate.db"), key)
	require.NoError(t, err)
	logged := &strings.Builder{} // one handler writes to it, one line at a time
	log := slog.New(slog.NewTextHandler(io.MultiWriter(t.Output(), logged), &slog.HandlerOptions{Level: slog.LevelDebug}))
	now := &clock{}
	s, err := service.New(t.Context(), service.Config{
		Store: kept, Vault: vault, Engines: []engine.Engine{sqlite.Engine, postgres.Engine, mysql.Engine, files.Engine}, Uploads: t.TempDir(), Now: now.now, Log: log, TimeLimit: time.Minute,
		Calendar: civil.Calendar{Zone: time.UTC, WeekStart: time.Monday},
		Secret:   func(string) (string, bool) { return servers.Password, true },
	})
	require.NoError(t, err)
	server := api.New(s, log, "test")
	web := httptest.NewServer(server)
	t.Cleanup(func() {
		web.CloseClientConnections()
		web.Close()
		assert.NoError(t, s.Close())
		assert.NoError(t, kept.Close())
		assert.False(t, identity.HoldsToken(logged.String()), "no token is logged")
		assert.NotContains(t, logged.String(), password)
	})
	g := &gate{t, web, server, s, kept, folder, now}
	db, err := sql.Open("sqlite3", filepath.Join(folder, "tolls.db"))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(`create table tolls (id integer primary key, day text, lock text, pence integer);
		with recursive n(i) as (select 1 union all select i + 1 from n where i < 90)
		insert into tolls select i, date('2026-01-01', '+' || i || ' days'), 'lock ' || (i % 3), i * 10 from n`)
	require.NoError(t, err)
	anybody := g.nobody()
	anybody.must("POST", "/sources", map[string]any{"name": "tolls", "engine": "sqlite", "address": filepath.Join(folder, "tolls.db"), "encodings": map[string]string{"tolls.day": "iso-date"}})
	anybody.publish(tolls("tolls", "dues"), "tolls")
	anybody.publish(tolls("wages", "office"), "wages")
	anybody.publish(both, "both")
	return g
}

// both is an overview of two reports, one of which not everybody sees who sees the overview.
const both = `kind: overview
name: both
folder: dues
parts:
  - {report: tolls, show: number, of: sum of pence}
  - {report: tolls}
  - {report: wages, title: What they earn, show: number, of: sum of pence}
`

// tolls is a query and a report of a name in a folder.
func tolls(name, folder string) string {
	return strings.NewReplacer("NAME", name, "FOLDER", folder).Replace(`kind: query
name: NAME
folder: FOLDER
source: tolls
from: tolls
columns: [id, day, lock, pence]
parameters:
  - {name: period, kind: period}
  - {name: lock, kind: text, choices: {column: tolls.lock}}
criteria: day within :period and lock = :lock
sort: [id]
---
kind: report
name: NAME
folder: FOLDER
query: NAME
`)
}

func (g *gate) nobody() *caller { return &caller{gate: g, name: "nobody"} }

// administrator makes the first user, which closes the service, and signs them in.
func (g *gate) administrator(name string) *caller {
	g.Helper()
	made, err := g.service.AddUserHere(g.Context(), wire.User{Name: name, Role: identity.Administrator})
	require.NoError(g, err)
	return g.welcome(made.Link, name)
}

// welcome sets a password with a link and signs in with it.
func (g *gate) welcome(link, name string) *caller {
	g.Helper()
	_, secret, _ := strings.Cut(link, "/#/welcome/")
	g.nobody().must("POST", "/welcome/password", map[string]string{"link": secret, "password": password})
	return g.signIn(name)
}

func (g *gate) signIn(name string) *caller {
	g.Helper()
	in := g.nobody().must("POST", "/sign-in", map[string]string{"name": name, "password": password})
	return &caller{gate: g, name: name, cookie: cookieOf(in)}
}

func cookieOf(a answer) string {
	cookie, _, _ := strings.Cut(a.header.Get("Set-Cookie"), ";")
	return cookie
}

// invite has an administrator make a user, and signs them in.
func (c *caller) invite(name, role string, groups ...string) *caller {
	c.Helper()
	var made wire.Invitation
	c.into(c.must("POST", "/users", map[string]any{"name": name, "role": role, "groups": groups}), &made)
	return c.welcome(made.Link, name)
}

// give has an administrator give a right in a folder.
func (c *caller) give(right, folder, user string) {
	c.Helper()
	c.must("POST", "/rights", map[string]any{"right": right, "folder": folder, "user": user})
}

// makeToken makes a token for whoever calls.
func (c *caller) makeToken(body map[string]any) *caller {
	c.Helper()
	var made wire.Token
	c.into(c.must("POST", "/tokens", body), &made)
	return &caller{gate: c.gate, name: c.name + "'s token", token: made.Secret}
}

func (c *caller) publish(definitions, name string) {
	c.Helper()
	c.must("POST", "/definitions", map[string]string{"content": definitions})
	c.must("POST", "/definitions/"+name+"/publish", nil)
}

// request makes a request of this caller.
func (c *caller) request(ctx context.Context, method, path string, body any, header ...string) *http.Request {
	c.Helper()
	content := ""
	switch body := body.(type) {
	case nil:
	case string:
		content = body
	default:
		sent, err := json.Marshal(body)
		require.NoError(c, err)
		content = string(sent)
	}
	r, err := http.NewRequestWithContext(ctx, method, c.web.URL+path, strings.NewReader(content))
	require.NoError(c, err)
	if content != "" {
		r.Header.Set("Content-Type", "application/json")
	}
	if c.cookie != "" {
		r.Header.Set("Cookie", c.cookie)
	}
	if c.token != "" {
		r.Header.Set("Authorization", "Bearer "+c.token)
	}
	for i := 0; i+1 < len(header); i += 2 {
		if header[i] == "Host" {
			r.Host = header[i+1]
		} else {
			r.Header.Set(header[i], header[i+1])
		}
	}
	return r
}

// call sends a request and gives what comes back.
func (c *caller) call(method, path string, body any, header ...string) answer {
	c.Helper()
	if !strings.HasPrefix(path, "/unsubscribe/") { // which stands in mails
		path = prefix + path
	}
	response, err := http.DefaultTransport.RoundTrip(c.request(c.Context(), method, path, body, header...))
	require.NoError(c, err)
	defer response.Body.Close()
	content, err := io.ReadAll(response.Body)
	require.NoError(c, err)
	return answer{response.StatusCode, string(content), response.Header}
}

// must is a call that has to succeed.
func (c *caller) must(method, path string, body any, header ...string) answer {
	c.Helper()
	a := c.call(method, path, body, header...)
	require.Less(c, a.status, 300, "%s: %s %s: %s", c.name, method, path, a.body)
	return a
}

// refused is a call that has to be refused with a status and a code.
func (c *caller) refused(status int, code, method, path string, body any, header ...string) answer {
	c.Helper()
	a := c.call(method, path, body, header...)
	assert.Equal(c, status, a.status, "%s: %s %s: %s", c.name, method, path, a.body)
	assert.Contains(c, a.body, `"code":"`+code+`"`, "%s: %s %s", c.name, method, path)
	return a
}

func (g *gate) into(a answer, value any) {
	g.Helper()
	require.NoError(g, json.Unmarshal([]byte(a.body), value))
}

// beside opens a file of SQLite beside the service.
func beside(t testing.TB, path string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite3", path+"?_busy_timeout=5000")
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return db
}

// business opens the file of the source tolls.
func business(t testing.TB, g *gate) *sql.DB { return beside(t, filepath.Join(g.folder, "tolls.db")) }
