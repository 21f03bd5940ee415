// Package standin is a small identity provider that speaks OpenID Connect, for the
// demonstration and the tests: whoever comes chooses who they are. It is no provider for
// anything else.
package standin

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"html/template"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
)

// Person is somebody it knows. Claims are what it says of them besides the subject.
type Person struct {
	Subject string
	Claims  map[string]any
}

// Provider is the provider. Its handler serves what lies under its issuer's address.
type Provider struct {
	Issuer, ClientID, ClientSecret string
	People                         []Person
	// Spoil changes what it is about to say, for tests of who listens; nil changes nothing.
	Spoil func(claims map[string]any)
	// Forge signs with a key that is not the one it shows.
	Forge bool
	// Return changes what the browser is sent back with; nil changes nothing.
	Return func(query url.Values)
	// Now is the clock.
	Now func() time.Time

	key, other *rsa.PrivateKey

	mu    sync.Mutex // guards the rest
	codes map[string]grant
}

// grant is what a code stands for.
type grant struct {
	person             Person
	nonce, challenge   string
	redirect, clientID string
}

// New makes a provider with a key of its own.
func New(issuer, clientID, clientSecret string, people ...Person) (*Provider, error) {
	p := &Provider{Issuer: issuer, ClientID: clientID, ClientSecret: clientSecret, People: people, Now: time.Now, codes: map[string]grant{}}
	var err error
	if p.key, err = rsa.GenerateKey(rand.Reader, 2048); err == nil {
		p.other, err = rsa.GenerateKey(rand.Reader, 2048)
	}
	return p, err
}

// ServeHTTP answers one request.
func (p *Provider) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/openid-configuration", p.describe)
	mux.HandleFunc("GET /keys", p.keys)
	mux.HandleFunc("GET /authorize", p.authorize)
	mux.HandleFunc("POST /token", p.token)
	mux.ServeHTTP(w, r)
}

func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v) // whoever asked may be gone
}

func (p *Provider) describe(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, map[string]any{
		"issuer": p.Issuer, "authorization_endpoint": p.Issuer + "/authorize", "token_endpoint": p.Issuer + "/token", "jwks_uri": p.Issuer + "/keys",
		"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"RS256"},
		"code_challenge_methods_supported": []string{"S256"}, "authorization_response_iss_parameter_supported": true,
	})
}

func (p *Provider) keys(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: p.key.Public(), KeyID: "1", Algorithm: "RS256", Use: "sig"}}})
}

var page = template.Must(template.New("").Parse(`<!doctype html><html lang="en"><title>Stand-in identity provider</title>
<style>body{font:16px system-ui;margin:4rem auto;max-width:26rem}a{display:block;padding:.6rem .9rem;margin:.4rem 0;border:1px solid #999;border-radius:4px;color:inherit;text-decoration:none}</style>
<h1>Who are you?</h1><p>This stand-in believes whatever you choose. It comes with the demonstration.</p>
{{range .}}<a href="{{.At}}">{{.Name}}</a>{{end}}</html>`))

// authorize lets whoever comes choose who they are, and sends them back with a code.
func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	redirect, err := url.Parse(q.Get("redirect_uri"))
	if err != nil || q.Get("client_id") != p.ClientID || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" || q.Get("state") == "" {
		http.Error(w, "This is no request for a sign-in with a code and PKCE.", http.StatusBadRequest)
		return
	}
	at := slices.IndexFunc(p.People, func(person Person) bool { return person.Subject == q.Get("as") })
	if at < 0 {
		type choice struct{ Name, At string }
		var choices []choice
		for _, person := range p.People {
			q.Set("as", person.Subject)
			name, _ := person.Claims["name"].(string)
			choices = append(choices, choice{name, p.Issuer + "/authorize?" + q.Encode()})
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = page.Execute(w, choices) // whoever asked may be gone
		return
	}
	code := rand.Text()
	p.mu.Lock()
	p.codes[code] = grant{p.People[at], q.Get("nonce"), q.Get("code_challenge"), q.Get("redirect_uri"), q.Get("client_id")}
	p.mu.Unlock()
	back := redirect.Query()
	back.Set("code", code)
	back.Set("state", q.Get("state"))
	back.Set("iss", p.Issuer)
	if p.Return != nil {
		p.Return(back)
	}
	redirect.RawQuery = back.Encode()
	http.Redirect(w, r, redirect.String(), http.StatusSeeOther)
}

// token gives an identity for a code, once.
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	id, secret, ok := r.BasicAuth() // written as in a form, RFC 6749, 2.3.1
	if !ok {
		id, secret = r.PostFormValue("client_id"), r.PostFormValue("client_secret")
	} else if decoded, err := url.QueryUnescape(secret); err == nil {
		secret = decoded
	}
	p.mu.Lock()
	g, known := p.codes[r.PostFormValue("code")]
	delete(p.codes, r.PostFormValue("code"))
	p.mu.Unlock()
	verifier := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	switch {
	case id != p.ClientID || secret != p.ClientSecret:
		answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_client"})
		return
	case !known || g.redirect != r.PostFormValue("redirect_uri") || base64.RawURLEncoding.EncodeToString(verifier[:]) != g.challenge:
		answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	claims := map[string]any{"iss": p.Issuer, "sub": g.person.Subject, "aud": g.clientID, "nonce": g.nonce, "iat": p.Now().Unix(), "exp": p.Now().Add(5 * time.Minute).Unix()}
	maps.Copy(claims, g.person.Claims)
	if p.Spoil != nil {
		p.Spoil(claims)
	}
	signed, err := p.sign(claims)
	if err != nil {
		answer(w, http.StatusInternalServerError, map[string]string{"error": "server_error"})
		return
	}
	answer(w, http.StatusOK, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 300, "id_token": signed})
}

func (p *Provider) sign(claims map[string]any) (string, error) {
	key := p.key
	if p.Forge {
		key = p.other
	}
	signer, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: key, KeyID: "1"}}, (&jose.SignerOptions{}).WithType("JWT"))
	if err != nil {
		return "", err
	}
	content, err := json.Marshal(claims)
	if err != nil {
		return "", err
	}
	signed, err := signer.Sign(content)
	if err != nil {
		return "", err
	}
	return signed.CompactSerialize()
}
