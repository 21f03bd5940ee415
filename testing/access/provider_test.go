package access

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/demo/standin"
	"pikegate/internal/identity"
	"pikegate/internal/wire"
)

// provided is a service with the stand-in for an identity provider.
type provided struct {
	*gate
	ada *caller
	*standin.Provider
}

func withProvider(t *testing.T) provided {
	t.Helper()
	g := open(t)
	p := provided{gate: g}
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { p.ServeHTTP(w, r) }))
	t.Cleanup(web.Close)
	var err error
	p.Provider, err = standin.New(
		web.URL, "pikegate", "a secret between us",
		standin.Person{Subject: "1", Claims: map[string]any{"preferred_username": "Nora", "name": "Nora N.", "email": "nora@navigation.example", "groups": []string{"keepers"}, "regions": []string{"North"}}},
		standin.Person{Subject: "2", Claims: map[string]any{"preferred_username": "ada", "name": "Another Ada", "groups": []string{"bosses"}}},
		standin.Person{Subject: "3", Claims: map[string]any{"preferred_username": "boss", "name": "Boss", "groups": []string{"bosses"}}},
		standin.Person{Subject: "4", Claims: map[string]any{"preferred_username": "../../etc", "name": "Nobody"}},
	)
	require.NoError(t, err)
	p.Now = g.now.now
	c := identity.ProviderConfig{Issuer: web.URL, ClientID: "pikegate", ClientSecret: "a secret between us", Title: "The Navigation", Roles: map[string]string{"bosses": identity.Administrator}}
	c.Claims.Attributes = map[string]string{"regions": "regions"}
	require.NoError(t, g.service.People.UseProvider(c))
	p.ada = g.administrator("ada")
	return p
}

// browse follows a browser's way, with its cookies, until it is led to the console; as is
// the subject it chooses to be.
func (p provided) browse(as, back string, before func(at *url.URL)) (*caller, string) {
	p.Helper()
	cookies := map[string]string{}
	at := p.web.URL + prefix + "/sign-in/provider?back=" + url.QueryEscape(back)
	for range 10 {
		u, err := url.Parse(at)
		require.NoError(p, err)
		if strings.HasPrefix(at, p.Issuer+"/authorize") {
			q := u.Query()
			q.Set("as", as)
			u.RawQuery = q.Encode()
		}
		if before != nil {
			before(u)
		}
		r, err := http.NewRequestWithContext(p.Context(), http.MethodGet, u.String(), nil)
		require.NoError(p, err)
		if strings.HasPrefix(at, p.web.URL) {
			for name, value := range cookies {
				r.AddCookie(&http.Cookie{Name: name, Value: value})
			}
			r.Header.Set("Sec-Fetch-Site", "cross-site")
			r.Header.Set("Sec-Fetch-Mode", "navigate")
			r.Header.Set("Sec-Fetch-Dest", "document")
			if strings.Contains(at, "/sign-in/provider?") {
				r.Header.Set("Sec-Fetch-Site", "same-origin")
			}
		}
		answer, err := http.DefaultTransport.RoundTrip(r)
		require.NoError(p, err)
		answer.Body.Close()
		for _, c := range answer.Cookies() {
			if cookies[c.Name] = c.Value; c.MaxAge < 0 {
				delete(cookies, c.Name)
			}
			assert.True(p, c.HttpOnly)
			assert.Equal(p, http.SameSiteLaxMode, c.SameSite)
		}
		require.Equal(p, http.StatusSeeOther, answer.StatusCode, at)
		at = answer.Header.Get("Location")
		if strings.HasPrefix(at, "/") {
			c := &caller{gate: p.gate, name: as}
			if secret := cookies["pikegate-session"]; secret != "" {
				c.cookie = "pikegate-session=" + secret
			}
			return c, at
		}
	}
	p.Fatal("no end of redirects")
	return nil, ""
}

// TestProvider: whoever signs in at the identity provider is a user here, with the groups,
// attributes and role that their claims give.
func TestProvider(t *testing.T) {
	t.Parallel()
	p := withProvider(t)
	assert.Contains(t, p.nobody().must("GET", "/sign-in", nil).body, `"provider":"The Navigation"`)
	nora, at := p.browse("1", "/runs?report=tolls", nil)
	assert.Equal(t, "/#/runs?report=tolls", at)
	var me wire.Me
	p.into(nora.must("GET", "/me", nil), &me)
	assert.Equal(t, []any{"nora", "Nora N.", "reader", []string{"keepers"}, []string{"North"}}, []any{me.Name, me.Display, me.Role, me.Groups, me.Attributes["regions"]})
	boss, _ := p.browse("3", "/", nil)
	p.into(boss.must("GET", "/me", nil), &me)
	assert.Equal(t, "administrator", me.Role)

	// What the provider says is true from the next sign-in on, and tokens wait for it.
	p.ada.give("run", "dues", "nora")
	token := nora.makeToken(map[string]any{"name": "nightly"})
	token.must("POST", "/reports/tolls/runs", "{}")
	p.now.ahead = 31 * 24 * time.Hour
	token.refused(401, "token_paused", "POST", "/reports/tolls/runs", "{}")
	p.People[0].Claims["groups"], p.People[0].Claims["regions"] = []string{}, "South"
	nora, _ = p.browse("1", "/", nil)
	me = wire.Me{}
	token.must("POST", "/reports/tolls/runs", "{}")
	p.into(nora.must("GET", "/me", nil), &me)
	assert.Empty(t, me.Groups)
	assert.Equal(t, []string{"South"}, me.Attributes["regions"])
	nora.refused(401, "wrong_sign_in", "POST", "/sign-in", map[string]string{"name": "nora", "password": password})
	ada := p.signIn("ada")
	ada.must("PATCH", "/users/nora", map[string]any{"disabled": true})
	nora.refused(401, "not_signed_in", "GET", "/me", nil)
	_, at = p.browse("1", "/", nil)
	assert.Equal(t, "/#/sign-in?problem=wrong_sign_in", at)
}

// TestProviderAttacks: answers that were changed on the way, made up, or meant for another
// sign-in let nobody in.
func TestProviderAttacks(t *testing.T) {
	t.Parallel()
	p := withProvider(t)
	attack := func(name, code string, as string, prepare func(), before func(*url.URL)) {
		t.Helper()
		p.Spoil, p.Forge, p.Return = nil, false, nil
		if prepare != nil {
			prepare()
		}
		c, at := p.browse(as, "/", before)
		assert.Equal(t, "/#/sign-in?problem="+code, at, name)
		assert.Empty(t, c.cookie, name)
	}
	claim := func(name string, value any) func() {
		return func() { p.Spoil = func(claims map[string]any) { claims[name] = value } }
	}
	returned := func(name, value string) func() {
		return func() {
			p.Return = func(q url.Values) {
				if q.Set(name, value); value == "" {
					q.Del(name)
				}
			}
		}
	}
	attack("another's key", "provider_refused", "1", func() { p.Forge = true }, nil)
	attack("another nonce", "provider_refused", "1", claim("nonce", "x"), nil)
	attack("no nonce", "provider_refused", "1", func() { p.Spoil = func(claims map[string]any) { delete(claims, "nonce") } }, nil)
	attack("another audience", "provider_refused", "1", claim("aud", "somebody"), nil)
	attack("another issuer", "provider_refused", "1", claim("iss", "https://else.example"), nil)
	attack("expired", "provider_refused", "1", claim("exp", 1), nil)
	attack("another state", "provider_other", "1", returned("state", "x"), nil)
	attack("no state", "provider_other", "1", returned("state", ""), nil)
	attack("issuers mixed up", "provider_refused", "1", returned("iss", "https://else.example"), nil)
	attack("no issuer, where one is promised", "provider_refused", "1", returned("iss", ""), nil)
	attack("a made-up code", "provider_refused", "1", returned("code", "x"), nil)
	attack("refused there", "provider_refused", "1", returned("error", "access_denied"), nil)
	attack("the name of a user of ours", "provider_name", "2", nil, nil)
	attack("a name that is none", "provider_name", "4", nil, nil)

	// Replayed: the same answer in the same browser, a second time; and in another one.
	p.Spoil, p.Forge, p.Return = nil, false, nil
	var back string
	_, at := p.browse("1", "/", func(u *url.URL) {
		if strings.HasSuffix(u.Path, "/sign-in/provider/return") {
			back = u.RequestURI()
		}
	})
	require.Equal(t, "/#/", at)
	again := p.nobody().call("GET", strings.TrimPrefix(back, prefix), nil)
	assert.Equal(t, "/#/sign-in?problem=provider_other", again.header.Get("Location"))

	// Nobody is led out of the console.
	for _, to := range []string{"//else.example", "https://else.example", "javascript:alert(1)", "/\\else.example", "/x\r\nSet-Cookie: a=b", "/<script>"} {
		_, at := p.browse("3", to, nil)
		assert.Equal(t, "/#/", at, to)
	}
	p.nobody().refused(403, "wrong_origin", "GET", "/me", nil, "Sec-Fetch-Site", "cross-site", "Sec-Fetch-Mode", "navigate", "Sec-Fetch-Dest", "document")
}
