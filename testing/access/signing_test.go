package access

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/wire"
)

// TestLinks: a link to set a password works once, by POST, for a day, and not after
// another was given.
func TestLinks(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	var made wire.Invitation
	g.into(ada.must("POST", "/users", map[string]string{"name": "rita", "role": "reader"}), &made)
	_, first, _ := strings.Cut(made.Link, "/#/welcome/")
	assert.True(t, strings.HasPrefix(made.Link, "/#/"), "no server is ever sent it by following it")
	g.into(ada.must("POST", "/users/rita/link", nil), &made)
	_, second, _ := strings.Cut(made.Link, "/#/welcome/")
	set := map[string]string{"link": first, "password": password}
	g.nobody().refused(401, "link_spent", "POST", "/welcome/password", set)
	set["link"] = second
	assert.Contains(t, g.nobody().must("POST", "/welcome", map[string]string{"link": second}).body, `"rita"`)
	for password, code := range map[string]string{
		"short": "password_short", strings.Repeat("long ", 41): "password_long", "rita rita rita rita": "password_has_name",
		"passwordpassword": "password_common", "qwertyuiop12": "password_common", "aaaaaaaaaaaaaaaa": "password_common",
	} {
		g.nobody().refused(422, code, "POST", "/welcome/password", map[string]string{"link": second, "password": password})
	}
	// Two at once: one of them.
	var wait sync.WaitGroup
	statuses := make([]int, 4)
	for i := range statuses {
		wait.Go(func() { statuses[i] = g.nobody().call("POST", "/welcome/password", set).status })
	}
	wait.Wait()
	slices.Sort(statuses)
	assert.Equal(t, []int{204, 401, 401, 401}, statuses)
	g.nobody().refused(401, "link_spent", "POST", "/welcome", map[string]string{"link": second})
	g.into(ada.must("POST", "/users/rita/link", nil), &made)
	_, third, _ := strings.Cut(made.Link, "/#/welcome/")
	g.now.ahead = 24*time.Hour + time.Second
	g.nobody().refused(401, "link_spent", "POST", "/welcome/password", map[string]string{"link": third, "password": password})
	g.nobody().refused(401, "link_spent", "POST", "/welcome/password", map[string]string{"link": "", "password": password})
}

// TestSecondFactor: a code works once; those that were written down, too.
func TestSecondFactor(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	rita := ada.invite("rita", "reader")
	rita.refused(422, "wrong_password", "POST", "/me/second-factor", map[string]string{"password": "guess"})
	var factor wire.Factor
	g.into(rita.must("POST", "/me/second-factor", map[string]string{"password": password}), &factor)
	assert.Contains(t, factor.Address, "otpauth://totp/")
	g.signIn("rita") // it is not in force yet
	code := func() string {
		made, err := totp.GenerateCode(factor.Secret, g.now.now())
		require.NoError(t, err)
		return made
	}
	rita.refused(422, "wrong_code", "PUT", "/me/second-factor", map[string]string{"code": "000000"})
	used := code()
	var written []string
	g.into(rita.must("PUT", "/me/second-factor", map[string]string{"code": used}), &written)
	assert.Len(t, written, 10)
	in := func(code string) answer {
		return g.nobody().call("POST", "/sign-in", map[string]string{"name": "rita", "password": password, "code": code})
	}
	needed := in("")
	assert.Contains(t, needed.body, "second_factor_needed")
	assert.Contains(t, g.nobody().call("POST", "/sign-in", map[string]string{"name": "rita", "password": "guess"}).body, "wrong_sign_in", "it is not told to who does not know the password")
	assert.Equal(t, 401, in(used).status, "the code that was used to confirm")
	g.now.ahead = time.Minute
	fresh := code()
	assert.Equal(t, 204, in(fresh).status)
	assert.Equal(t, 401, in(fresh).status, "a second time")
	g.now.ahead = 3 * time.Minute
	assert.Equal(t, 401, in(fresh).status, "an old one")
	assert.Equal(t, 204, in(strings.ToUpper(written[3])).status)
	assert.Equal(t, 401, in(written[3]).status, "a second time")
	// A copy of the records does not give it away.
	u, err := g.store.User(t.Context(), "rita")
	require.NoError(t, err)
	assert.NotContains(t, string(u.Factor), factor.Secret)
	ada.must("PATCH", "/users/rita", map[string]any{"no_second_factor": true})
	assert.Equal(t, 204, in("").status)
}

// TestTokens: a token does no more than it was made for, stands in no address, and ends.
func TestTokens(t *testing.T) {
	t.Parallel()
	g := open(t)
	ada := g.administrator("ada")
	rob := ada.invite("rob", "reader")
	ada.give("run", "dues", "rob")
	full := rob.makeToken(map[string]any{"name": "full"})
	assert.Regexp(t, `^pikegate_[a-z2-9]{50,}$`, full.token)
	full.must("GET", "/reports", nil)
	full.refused(403, "not_allowed", "POST", "/tokens", map[string]any{"name": "another"})
	full.refused(403, "not_allowed", "PUT", "/me/password", map[string]string{"old": password, "password": "another long one"})
	rob.refused(422, "token_scope", "POST", "/tokens", map[string]any{"name": "x", "report": "tolls"})
	for _, changed := range []string{full.token[:len(full.token)-1], full.token + "a", strings.ToUpper(full.token), "pikegate_" + strings.Repeat("a", 57), ""} {
		(&caller{gate: g, name: "changed", token: changed}).refused(401, "not_signed_in", "GET", "/me", nil)
	}
	for _, path := range []string{"/reports?token=" + full.token, "/reports/" + full.token, "/linked/" + full.token + "/records.csv", "/me?x=pikegate_abc"} {
		a := full.call("GET", path, nil)
		assert.GreaterOrEqual(t, a.status, 400, path)
	}
	full.refused(400, "token_in_address", "GET", "/reports?token="+full.token, nil)
	// One report, with its answers and no others.
	one := rob.makeToken(map[string]any{"name": "one", "scope": "report", "report": "tolls", "inputs": map[string]any{"period": "2026-02"}})
	var found result
	g.into(one.must("POST", "/reports/tolls/runs?format=json", `{"inputs": {"period": "2026"}}`), &found)
	assert.Len(t, found.Rows, 28)
	one.refused(403, "not_allowed", "POST", "/reports/wages/runs", "{}")
	one.refused(403, "not_allowed", "GET", "/me", nil)
	var list []wire.Token
	g.into(rob.must("GET", "/tokens", nil), &list)
	assert.Len(t, list, 2)
	assert.NotContains(t, rob.must("GET", "/tokens", nil).body, full.token)
	rob.must("DELETE", fmt.Sprintf("/tokens/%d", list[0].ID), nil)
	full.refused(401, "not_signed_in", "GET", "/me", nil)
	eve := ada.invite("eve", "reader")
	eve.refused(404, "not_found", "DELETE", fmt.Sprintf("/tokens/%d", list[1].ID), nil)
	ada.must("DELETE", fmt.Sprintf("/tokens/%d", list[1].ID), nil)
	one.refused(401, "not_signed_in", "POST", "/reports/tolls/runs", "{}")
}

// TestSpreadsheetLink: an address that a spreadsheet reads gives the records of one
// report, as its owner sees them, with relative answers read anew; nothing else can be
// done with it.
func TestSpreadsheetLink(t *testing.T) {
	t.Parallel()
	g := open(t)
	db := business(t, g)
	ada := g.administrator("ada")
	rob := ada.invite("rob", "reader")
	ada.give("run", "dues", "rob")
	link := rob.makeToken(map[string]any{"name": "sheet", "scope": "link", "report": "tolls", "inputs": map[string]any{"period": "2026-02", "lock": "lock 1"}})
	get := func(file string, header ...string) answer {
		return g.nobody().call("GET", "/linked/"+link.token+"/"+file, nil, header...)
	}
	first := get("records.csv")
	assert.Equal(t, 200, first.status, first.body)
	assert.Equal(t, 11, strings.Count(first.body, "\n"))
	assert.Contains(t, first.header.Get("Content-Type"), "text/csv")
	mark := first.header.Get("ETag")
	assert.Equal(t, 304, get("records.csv", "If-None-Match", mark).status)
	inJSON := get("records.json")
	assert.True(t, json.Valid([]byte(inJSON.body)))
	assert.Equal(t, mark, inJSON.header.Get("ETag"), "the same records, whatever the run's number")
	_, err := db.Exec("insert into tolls values (5000, '2026-02-28', 'lock 1', 1)")
	require.NoError(t, err)
	again := get("records.csv", "If-None-Match", mark)
	assert.Equal(t, 200, again.status)
	assert.NotEqual(t, mark, again.header.Get("ETag"))
	assert.Equal(t, 404, get("records.pdf").status)
	link.refused(401, "not_signed_in", "GET", "/reports", nil)
	link.refused(401, "not_signed_in", "POST", "/reports/tolls/runs", "{}")
	for _, query := range []string{"?period=2026", "?format=json"} {
		assert.Equal(t, 12, strings.Count(get("records.csv"+query).body, "\n"), "an address changes nothing")
	}
	ada.must("POST", "/rights/take", map[string]any{"right": "run", "folder": "dues", "user": "rob"})
	assert.Equal(t, 404, get("records.csv").status, "its owner may not run it any more")
}
