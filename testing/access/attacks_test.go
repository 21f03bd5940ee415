package access

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/api"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// TestClosed: with the first user nothing of the open state is left, what it had under
// way included, although the user was made beside the running service.
func TestClosed(t *testing.T) {
	t.Parallel()
	g := open(t)
	watched, stop := context.WithCancel(t.Context())
	defer stop()
	go g.service.People.Watch(watched)
	anybody := g.nobody()
	anybody.must("GET", "/reports", nil)
	g.fill()
	export := newReader(anybody, "POST", "/reports/tolls/runs?format=csv", "{}")
	defer export.close()
	made, err := g.service.AddUserHere(t.Context(), wire.User{Name: "ada", Role: "administrator"})
	require.NoError(t, err)
	for _, path := range []string{"/reports", "/me", "/sources", "/runs", "/users", "/audit", "/schema"} {
		anybody.refused(401, "not_signed_in", "GET", path, nil)
	}
	export.breaksOff()
	ada := g.welcome(made.Link, "ada")
	ada.must("GET", "/reports", nil)
	_, err = g.service.AddUserHere(t.Context(), wire.User{Name: "bo", Role: "reader"})
	assert.NoError(t, err, "at the machine, later ones too")
}

// TestFirstUser: the first user is an administrator and is never made over HTTP.
func TestFirstUser(t *testing.T) {
	t.Parallel()
	g := open(t)
	g.nobody().refused(403, "not_allowed", "POST", "/users", map[string]any{"name": "eve", "role": "administrator"})
	_, err := g.service.AddUserHere(t.Context(), wire.User{Name: "ada", Role: "reader"})
	assert.ErrorContains(t, err, "administrator")
	ada := g.administrator("ada")
	ada.refused(422, "last_administrator", "PATCH", "/users/ada", map[string]any{"disabled": true})
	ada.refused(422, "last_administrator", "PATCH", "/users/ada", map[string]any{"role": "reader"})
}

// TestEnumeration: neither the words nor the time of a refusal tell whether a name is
// there, or what was wrong.
func TestEnumeration(t *testing.T) {
	g := open(t)
	ada := g.administrator("ada")
	ada.invite("rita", "reader")
	ada.invite("gone", "reader")
	ada.must("PATCH", "/users/gone", map[string]any{"disabled": true})
	body := func(name string) answer {
		return g.nobody().call("POST", "/sign-in", map[string]string{"name": name, "password": "guess"})
	}
	wrong := body("rita")
	assert.Equal(t, 401, wrong.status)
	for _, name := range []string{"nobody-there", "gone", "ada", "RITA ", "", "'; drop table users", strings.Repeat("x", 199)} {
		if a := body(name); name != "" {
			assert.Equal(t, wrong.body, a.body, name)
		}
	}
	// Medians of alternated tries, which a hash for each makes as long as each other.
	var times [2][]time.Duration
	for i := range 16 {
		g.now.ahead += time.Hour // so that tries are not held against anybody
		started := time.Now()
		body([]string{"rita", "nobody-there"}[i%2])
		times[i%2] = append(times[i%2], time.Since(started))
	}
	a, b := median(times[0]), median(times[1])
	assert.Less(t, max(a, b).Seconds()/min(a, b).Seconds(), 1.5, "%s and %s", a, b)
}

func median(d []time.Duration) time.Duration {
	slices.Sort(d)
	return d[len(d)/2]
}

// TestHiddenNames: what is hidden is refused as what was never there: in the same words
// and in the same time.
func TestHiddenNames(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	rob := ada.invite("rob", "reader")
	ada.give("run", "dues", "rob")
	say := func(name string, c call) string {
		a := rob.call(c.method, strings.ReplaceAll(c.path, "NAME", name), c.body)
		return fmt.Sprint(a.status, strings.ReplaceAll(a.body, name, "NAME"))
	}
	calls := []call{
		{"GET", "/reports/NAME", nil},
		{"POST", "/reports/NAME/runs", map[string]any{}},
		{"POST", "/reports/NAME/preview", map[string]any{}},
		{"GET", "/reports/NAME/answers", nil},
		{"POST", "/reports/NAME/runs", map[string]any{"draft": true}},
	}
	for _, c := range calls {
		assert.Equal(t, say("wagez", c), say("wages", c), c.path)
		assert.NotContains(t, say("wagez", c), "wages", "a hint")
	}
	for _, door := range []call{{"GET", "/reports", nil}, {"GET", "/overviews/both", nil}, {"POST", "/overviews/both/parts/3/number", map[string]any{}}, {"POST", "/overviews/both/runs?format=html", map[string]any{}}} {
		assert.NotContains(t, rob.call(door.method, door.path, door.body).body, "wages", door.path)
	}
	assert.Contains(t, rob.must("POST", "/overviews/both/runs?format=html", map[string]any{}).body, "There is no report for this part that you may see.")
	var times [2][]time.Duration
	for i := range 2000 {
		started := time.Now()
		say([]string{"wages", "wagez"}[i%2], calls[0])
		times[i%2] = append(times[i%2], time.Since(started))
	}
	a, b := median(times[0]), median(times[1])
	assert.Less(t, max(a, b).Seconds()/min(a, b).Seconds(), 1.25, "%s and %s", a, b)
}

type call struct {
	method, path string
	body         any
}

// TestTries: what fails is slowed down, by account and by address, whether the name is
// there or not; who signs in rightly is let in.
func TestTries(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	ada.invite("rita", "reader")
	for _, name := range []string{"rita", "nobody-there"} {
		for range 10 {
			g.nobody().refused(401, "wrong_sign_in", "POST", "/sign-in", map[string]string{"name": name, "password": "guess"})
		}
		refused := g.nobody().refused(429, "too_many_tries", "POST", "/sign-in", map[string]string{"name": name, "password": password})
		assert.NotEmpty(t, refused.header.Get("Retry-After"))
	}
	g.signIn("ada")
	g.now.ahead = time.Minute
	g.signIn("rita")
	// Many at once get no further than one after the other.
	g.now.ahead = 24 * time.Hour
	var wait sync.WaitGroup
	statuses := make([]int, 40)
	for i := range statuses {
		wait.Go(func() {
			statuses[i] = g.nobody().call("POST", "/sign-in", map[string]string{"name": "rita", "password": "guess"}).status
		})
	}
	wait.Wait()
	tried := 0
	for _, s := range statuses {
		if s == 401 {
			tried++
		}
	}
	assert.LessOrEqual(t, tried, 10)
}

// TestSessions: what a browser has is no guess, changes at sign-in, ends with time, with
// a new password, and when its user is disabled; only its hash is kept.
func TestSessions(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	rita := ada.invite("rita", "reader")
	// Fixation: a cookie of somebody else's making is worth nothing, and sign-in gives another.
	planted := &caller{gate: g, name: "planted", cookie: "pikegate-session=planted"}
	planted.refused(401, "not_signed_in", "GET", "/me", nil)
	in := planted.must("POST", "/sign-in", map[string]string{"name": "rita", "password": password})
	assert.NotContains(t, cookieOf(in), "planted")
	for _, attribute := range []string{"HttpOnly", "SameSite=Lax", "Path=/"} {
		assert.Contains(t, in.header.Get("Set-Cookie"), attribute)
	}
	_, secret, _ := strings.Cut(rita.cookie, "=")
	kept, err := g.store.Sessions(t.Context(), "rita")
	require.NoError(t, err)
	for _, k := range kept {
		assert.NotContains(t, secret, k.Hash)
		(&caller{gate: g, name: "by its hash", cookie: "pikegate-session=" + k.Hash}).refused(401, "not_signed_in", "GET", "/me", nil)
	}
	// Time.
	g.now.ahead = 11 * time.Hour
	rita.must("GET", "/me", nil)
	g.now.ahead = 22 * time.Hour
	rita.must("GET", "/me", nil)
	g.now.ahead = 22*time.Hour + 12*time.Hour + time.Minute
	rita.refused(401, "not_signed_in", "GET", "/me", nil)
	rita = g.signIn("rita")
	for range 16 { // used all the time
		g.now.ahead += 11 * time.Hour
		if g.now.ahead > 8*24*time.Hour+10*time.Hour {
			break
		}
		rita.call("GET", "/me", nil)
	}
	rita.refused(401, "not_signed_in", "GET", "/me", nil)
	// Another password, and being disabled.
	rita, other := g.signIn("rita"), g.signIn("rita")
	other.must("PUT", "/me/password", map[string]string{"old": password, "password": password + " again"})
	rita.refused(401, "not_signed_in", "GET", "/me", nil)
	other.refused(401, "not_signed_in", "GET", "/me", nil)
	// One's own can be ended one by one, and no other's.
	ada = g.signIn("ada")
	second := g.signIn("ada")
	var list []wire.Session
	g.into(ada.must("GET", "/me/sessions", nil), &list)
	for _, s := range list {
		if !s.This {
			ada.must("DELETE", "/me/sessions/"+s.ID, nil)
		}
	}
	second.refused(401, "not_signed_in", "GET", "/me", nil)
	ada.must("POST", "/sign-out", nil)
	ada.refused(401, "not_signed_in", "GET", "/me", nil)
}

// reader reads an answer as slowly as is wanted.
type reader struct {
	testing.TB
	body io.ReadCloser
	stop context.CancelFunc
}

func newReader(c *caller, method, path string, body any) *reader {
	ctx, stop := context.WithCancel(c.Context())
	response, err := http.DefaultTransport.RoundTrip(c.request(ctx, method, prefix+path, body))
	require.NoError(c, err)
	require.Equal(c, 200, response.StatusCode)
	_, err = io.ReadFull(response.Body, make([]byte, 1000))
	require.NoError(c, err)
	return &reader{c, response.Body, stop}
}

func (r *reader) close() {
	r.stop()
	r.body.Close()
}

// breaksOff: what is read ends before all of it is there, and soon.
func (r *reader) breaksOff() {
	r.Helper()
	started := time.Now()
	n, err := io.Copy(io.Discard, r.body)
	assert.Error(r, err, "the export is broken off")
	assert.Less(r, n, int64(40<<20))
	assert.Less(r, time.Since(started), 20*time.Second)
}

// fill makes an export of the tolls one that takes long: more than pipes hold.
func (g *gate) fill() {
	g.Helper()
	_, err := business(g, g).Exec(`with recursive n(i) as (select 1000 union all select i + 1 from n where i < 100000)
		insert into tolls select i, '2026-02-01', hex(zeroblob(400)), i from n`)
	require.NoError(g, err)
}

// TestDisabled: whoever is disabled is out at once, with what they have under way, with
// sessions, tokens and links.
func TestDisabled(t *testing.T) {
	t.Parallel()
	g := open(t)
	g.fill()
	ada := g.administrator("ada")
	rob := ada.invite("rob", "reader")
	ada.give("run", "dues", "rob")
	token := rob.makeToken(map[string]any{"name": "script"})
	link := rob.makeToken(map[string]any{"name": "sheet", "scope": "link", "report": "tolls"})
	export := newReader(rob, "POST", "/reports/tolls/runs?format=csv", "{}")
	defer export.close()
	ada.must("PATCH", "/users/rob", map[string]any{"disabled": true})
	export.breaksOff()
	rob.refused(401, "not_signed_in", "GET", "/me", nil)
	token.refused(401, "not_signed_in", "GET", "/me", nil)
	assert.Equal(t, 401, g.nobody().call("GET", "/linked/"+link.token+"/records.csv", nil).status)
	g.nobody().refused(401, "wrong_sign_in", "POST", "/sign-in", map[string]string{"name": "rob", "password": password})
	ada.must("PATCH", "/users/rob", map[string]any{"disabled": false})
	token.must("GET", "/me", nil)
}

// TestOtherSites: pages of other sites, other names, and proxies that nobody named.
func TestOtherSites(t *testing.T) {
	t.Parallel()
	g := open(t)
	anybody := g.nobody()
	for _, header := range [][2]string{{"X-Forwarded-For", "10.0.0.1"}, {"Forwarded", "for=10.0.0.1"}, {"Via", "1.1 proxy"}, {"X-Forwarded-Host", "pikegate.example"}, {"x-forwarded-proto", "https"}} {
		anybody.refused(403, "wrong_proxy", "GET", "/reports", nil, header[0], header[1])
	}
	ada := g.administrator("ada")
	ada.refused(403, "wrong_host", "GET", "/reports", nil, "Host", "pikegate.example")
	ada.refused(403, "wrong_origin", "POST", "/sign-out", nil, "Origin", "https://else.example")
	ada.refused(403, "wrong_origin", "POST", "/sign-out", nil, "Sec-Fetch-Site", "cross-site")
	ada.refused(403, "wrong_origin", "GET", "/reports", nil, "Sec-Fetch-Site", "cross-site")
	ada.refused(403, "wrong_origin", "POST", "/sign-in", map[string]string{"name": "ada", "password": password}, "Origin", "null")
	ada.refused(403, "wrong_proxy", "GET", "/reports", nil, "X-Forwarded-For", "10.0.0.1")

	public, err := url.Parse("https://reports.example.org")
	require.NoError(t, err)
	g.api.Reach = api.Reach{Public: public, Proxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}
	proxied := []string{"Host", "reports.example.org", "X-Forwarded-For", "6.6.6.6, 192.0.2.7", "X-Forwarded-Proto", "https"}
	in := g.nobody().must("POST", "/sign-in", map[string]string{"name": "ada", "password": password}, append(proxied, "Origin", "https://reports.example.org")...)
	assert.Contains(t, in.header.Get("Set-Cookie"), "__Host-pikegate-session=")
	assert.Contains(t, in.header.Get("Set-Cookie"), "Secure")
	assert.NotEmpty(t, in.header.Get("Strict-Transport-Security"))
	through := &caller{gate: g, name: "ada", cookie: cookieOf(in)}
	through.must("GET", "/me", nil, proxied...)
	var log []wire.AuditEntry
	g.into(through.must("GET", "/audit?what=signed-in&limit=1", nil, proxied...), &log)
	assert.Equal(t, "192.0.2.7", log[0].From, "what a caller made up before it counts for nothing")
	through.refused(403, "wrong_origin", "POST", "/sign-out", nil, append(proxied, "Origin", "https://else.example")...)
	through.refused(403, "wrong_host", "GET", "/me", nil, "Host", "else.example", "X-Forwarded-For", "192.0.2.7")
	g.api.Reach.Proxies = []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8")}
	through.refused(403, "wrong_proxy", "GET", "/me", nil, proxied...)
	through.must("GET", "/me", nil) // from the machine itself
}

// TestAudit: the log tells who did what; what was changed, left out, put in or cut off is
// found; no secret stands in it.
func TestAudit(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	rita := ada.invite("rita", "reader")
	rita.refused(403, "not_allowed", "GET", "/users", nil)
	token := ada.makeToken(map[string]any{"name": "script"})
	ada.must("PUT", "/secrets/dues", map[string]string{"secret": "open sesame"})
	g.nobody().refused(401, "wrong_sign_in", "POST", "/sign-in", map[string]string{"name": "eve", "password": "guess"})
	ada.give("run", "dues", "rita")
	whole := ada.must("GET", "/audit?limit=1000", nil).body
	for _, what := range []string{"user.added", "password.set", "signed-in", "refused", "sign-in.refused", "token.made", "secret.set", "right.given", "published", "source.added"} {
		assert.Contains(t, whole, `"what":"`+what+`"`)
	}
	_, secret, _ := strings.Cut(ada.cookie, "=")
	for _, hidden := range []string{password, token.token, secret, "open sesame", "guess", "argon2id"} {
		assert.NotContains(t, whole, hidden)
	}
	var before wire.Verified
	g.into(ada.must("GET", "/audit/verify", nil), &before)
	assert.True(t, before.Whole)
	db := beside(t, filepath.Join(g.folder, "pikegate.db"))
	n := before.Entries
	for _, tampering := range []struct{ does, undoes, problem string }{
		{"update audit set who = 'bo' where number = 5", "update audit set who = 'WHO' where number = 5", "Entry 5 was changed"},
		{"delete from audit where number = 6", "", "Entry 6 is missing"},
		{fmt.Sprintf("delete from audit where number > %d", n-2), "", "noted"},
		{fmt.Sprintf("insert into audit select number + 1, at, who, from_address, what, done_to, before, after, code from audit where number = %d", n), "", "changed, or put in"},
	} {
		tx, err := db.Begin()
		require.NoError(t, err)
		_, err = tx.Exec("create table kept as select * from audit")
		require.NoError(t, err)
		_, err = tx.Exec(tampering.does)
		require.NoError(t, err)
		require.NoError(t, tx.Commit())
		var found wire.Verified
		g.into(ada.must("GET", "/audit/verify?head="+url.QueryEscape(before.Head), nil), &found)
		assert.False(t, found.Whole, tampering.does)
		assert.Contains(t, found.Problem, tampering.problem, tampering.does)
		_, err = db.Exec("delete from audit; insert into audit select * from kept; drop table kept")
		require.NoError(t, err)
	}
	var after wire.Verified
	g.into(ada.must("GET", "/audit/verify?head="+url.QueryEscape(before.Head), nil), &after)
	assert.True(t, after.Whole, after.Problem)
}

// TestSecretsSealed: what is kept of secrets cannot be read in a copy of the records.
func TestSecretsSealed(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	ada.must("PUT", "/secrets/dues", map[string]string{"secret": "open sesame"})
	kept, err := g.store.Secret(t.Context(), "dues")
	require.NoError(t, err)
	assert.False(t, bytes.Contains(kept.Sealed, []byte("sesame")))
	assert.NotContains(t, ada.must("GET", "/secrets", nil).body, "sesame")
	_, err = g.service.Vault.Unseal(kept.Sealed, "secret other")
	assert.Error(t, err, "in the place of another")
	text, err := g.service.Vault.Unseal(kept.Sealed, "secret dues")
	require.NoError(t, err)
	assert.Equal(t, "open sesame", text)
}

// TestSeeAs: an administrator sees what a user would, and does nothing meanwhile.
func TestSeeAs(t *testing.T) {
	t.Parallel()
	w := onCanal(t, "sqlite")
	w.ada.must("POST", "/see-as", map[string]string{"user": "nora"})
	var me wire.Me
	w.into(w.ada.must("GET", "/me", nil), &me)
	assert.Equal(t, []any{"nora", "ada", false}, []any{me.Name, me.SeenBy, me.Writes})
	assert.Len(t, w.ada.rows("passages", map[string]any{}).Rows, 2)
	for _, c := range []call{
		{"POST", "/reports/passages/runs?format=csv", map[string]any{}},
		{"POST", "/reports/passages/runs?format=xlsx", map[string]any{}},
		{"POST", "/tokens", map[string]any{"name": "x"}},
		{"PUT", "/me/password", map[string]string{"old": password, "password": "another long one"}},
		{"PUT", "/me/profile", map[string]string{}},
		{"PUT", "/reports/passages/answers", map[string]any{"name": "x", "shared": false, "begins": false, "inputs": map[string]any{}}},
		{"GET", "/me/sessions", nil},
		{"GET", "/users", nil},
		{"POST", "/see-as", map[string]string{"user": "sid"}},
	} {
		assert.Equal(t, 403, w.ada.call(c.method, c.path, c.body).status, c.path)
	}
	w.ada.must("POST", "/see-as/end", nil)
	w.into(w.ada.must("GET", "/me", nil), &me)
	assert.Equal(t, "ada", me.Name)
	var log []wire.AuditEntry
	w.into(w.ada.must("GET", "/audit?what=see-as", nil), &log)
	assert.Len(t, log, 2)
	assert.Equal(t, []string{"ada", "nora"}, []string{log[0].Who, log[0].To})
}

// TestSavedAnswers: one's own are one's own; those for all are saved by who manages.
func TestSavedAnswers(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	rob, rita := ada.invite("rob", "reader"), ada.invite("rita", "reader")
	ada.give("run", "dues", "rob")
	ada.give("run", "dues", "rita")
	save := func(c *caller, name string, shared bool, inputs map[string]any) {
		c.must("PUT", "/reports/tolls/answers", map[string]any{"name": name, "shared": shared, "begins": true, "inputs": inputs})
	}
	save(rob, "mine", false, map[string]any{"period": "2026-02"})
	save(ada, "ours", true, map[string]any{"period": "2026-03"})
	save(ada, "mine", true, map[string]any{"period": "2026-01"})
	var list []wire.SavedAnswers
	g.into(rita.must("GET", "/reports/tolls/answers", nil), &list)
	assert.Equal(t, []string{"mine", "ours"}, []string{list[0].Name, list[1].Name})
	assert.True(t, list[0].Begins)
	assert.False(t, list[1].Begins, "one of them at a time")
	assert.Len(t, rob.rows("tolls", map[string]any{"answers": "mine"}).Rows, 28, "one's own before those for all")
	assert.Len(t, rita.rows("tolls", map[string]any{"answers": "mine"}).Rows, 30)
	assert.Len(t, rob.rows("tolls", map[string]any{"answers": "ours", "inputs": map[string]any{"lock": "lock 1"}}).Rows, 10)
	rita.refused(404, "not_found", "POST", "/reports/tolls/runs", map[string]any{"answers": "none"})
	rita.refused(404, "not_found", "DELETE", "/reports/tolls/answers/mine", nil)
	rita.refused(403, "not_allowed", "DELETE", "/reports/tolls/answers/ours?shared=true", nil)
}

// TestReading: numbers and dates are read as whoever asks likes it, and a run is repeated
// as it was read.
func TestReading(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	rob := ada.invite("rob", "reader")
	ada.give("run", "dues", "rob")
	ask := map[string]any{"inputs": map[string]any{"period": map[string]string{"start": "02/03/2026", "end": "02/03/2026"}}}
	rob.must("PUT", "/me/profile", map[string]string{"date_order": "dmy", "zone": "Europe/London", "language": "de", "week_start": "sunday"})
	run := rob.must("POST", "/reports/tolls/runs?format=json", ask)
	assert.Contains(t, run.body, "Mo 2. März 2026", "said in the language of whoever asks")
	rob.must("PUT", "/me/profile", map[string]string{"date_order": "mdy"})
	assert.Contains(t, rob.must("POST", "/reports/tolls/runs?format=json", ask).body, "Tue 3 Feb 2026")
	assert.Contains(t, rob.must("GET", "/runs/"+run.header.Get("Pikegate-Run")+"/why", nil).body, "Mo 2. März 2026")
	rob.refused(422, "unknown_zone", "PUT", "/me/profile", map[string]string{"zone": "Nowhere"})
}

// TestForgotten: of a run whose answers are kept no longer is told what was found, and
// nobody repeats it with others.
func TestForgotten(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	run := func() (number string) {
		a := ada.must("POST", "/reports/tolls/runs?format=json", `{"inputs": {"lock": "lock 1"}}`)
		return a.header.Get("Pikegate-Run")
	}
	before, after := run(), run()
	require.NotEmpty(t, before)
	require.Contains(t, ada.must("GET", "/runs/"+before, nil).body, "lock 1")
	require.NoError(t, g.store.Prune(t.Context(), store.Retention{Typed: time.Hour}, time.Now().Add(2*time.Hour)))
	for _, path := range []string{"/runs/" + before, "/runs"} {
		a := ada.must("GET", path, nil)
		assert.NotContains(t, a.body, "lock 1")
		assert.Contains(t, a.body, `"count":30`)
		assert.Contains(t, a.body, "What was typed is kept no longer.")
	}
	ada.refused(422, "answers_forgotten", "GET", "/runs/"+before+"/why", nil)
	ada.refused(422, "answers_forgotten", "GET", "/runs/"+before+"/compare/"+after, nil)
}
