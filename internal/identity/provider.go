package identity

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"pikegate/core/diag"
	"pikegate/internal/store"
)

// ProviderConfig is an identity provider that speaks OpenID Connect, and what of its
// claims is taken for what.
type ProviderConfig struct {
	Issuer       string `yaml:"issuer"`
	ClientID     string `yaml:"client_id"`
	ClientSecret string `yaml:"client_secret"`
	// Title is what people read on the button.
	Title  string   `yaml:"title"`
	Scopes []string `yaml:"scopes"`
	Claims struct {
		User       string            `yaml:"user"`
		Display    string            `yaml:"display"`
		Email      string            `yaml:"email"`
		Groups     string            `yaml:"groups"`
		Attributes map[string]string `yaml:"attributes"`
	} `yaml:"claims"`
	// Roles gives roles to groups; Role is that of who has none of them, blank for reader.
	Roles map[string]string `yaml:"roles"`
	Role  string            `yaml:"role"`
	// FreshDays is how long tokens and links work after a sign-in; 0 means 30.
	FreshDays int `yaml:"fresh_days"`
}

// Validate tells what is wrong with it, nil if nothing.
func (c *ProviderConfig) Validate() error {
	u, err := url.Parse(c.Issuer)
	local := err == nil && u.Scheme == "http" && (u.Hostname() == "127.0.0.1" || u.Hostname() == "localhost" || u.Hostname() == "::1")
	if err != nil || u.Host == "" || u.Scheme != "https" && !local {
		return fmt.Errorf("issuer %q is not an https address", c.Issuer)
	}
	if c.ClientID == "" {
		return errors.New("client_id is missing")
	}
	for group, role := range c.Roles {
		if !slices.Contains(Roles, role) {
			return fmt.Errorf("roles: there is no role %q, which %s is to have", role, group)
		}
	}
	if c.Role != "" && !slices.Contains(Roles, c.Role) {
		return fmt.Errorf("role: there is no role %q", c.Role)
	}
	for name := range c.Claims.Attributes {
		if !IsAttribute(name) {
			return fmt.Errorf("claims: attributes: %q cannot be the name of an attribute. %s", name, AttributeHint)
		}
	}
	if c.FreshDays < 0 {
		return fmt.Errorf("fresh_days %d is negative", c.FreshDays)
	}
	return nil
}

// provider signs people in at an identity provider.
type provider struct {
	config ProviderConfig
	client *http.Client

	mu    sync.Mutex // guards the rest
	known *oidc.Provider
	used  map[string]time.Time // states, until they could not be used anyway
}

// attemptTime is how long a sign-in at the provider may take.
const attemptTime = 10 * time.Minute

// UseProvider has people sign in at an identity provider, too.
func (k *Keeper) UseProvider(c ProviderConfig) error {
	if err := c.Validate(); err != nil {
		return err
	}
	for _, claim := range []struct {
		to   *string
		name string
	}{{&c.Claims.User, "preferred_username"}, {&c.Claims.Display, "name"}, {&c.Claims.Email, "email"}, {&c.Claims.Groups, "groups"}, {&c.Role, Reader}, {&c.Title, "Identity provider"}} {
		if *claim.to == "" {
			*claim.to = claim.name
		}
	}
	if c.Scopes == nil {
		c.Scopes = []string{"profile", "email"}
	}
	if c.FreshDays > 0 {
		k.Fresh = time.Duration(c.FreshDays) * 24 * time.Hour
	}
	k.provider = &provider{config: c, client: &http.Client{Timeout: 10 * time.Second}, used: map[string]time.Time{}}
	return nil
}

// Provider is what people read of the identity provider, blank for none.
func (k *Keeper) Provider() string {
	if k.provider == nil {
		return ""
	}
	return k.provider.config.Title
}

// begun is a sign-in at the provider that is under way; the browser keeps it, sealed.
type begun struct {
	State, Nonce, Verifier, Back, Redirect string
	At                                     time.Time
}

const begunPlace = "sign-in at the provider"

// discovered asks the provider what it is, once it answers.
func (p *provider) discovered(ctx context.Context) (*oidc.Provider, error) {
	p.mu.Lock()
	known := p.known
	p.mu.Unlock()
	if known != nil {
		return known, nil
	}
	// The provider keeps the context for its keys: it must outlive the request.
	known, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), p.client), p.config.Issuer)
	if err != nil {
		return nil, providerRefusal("provider_unreachable", "The identity provider does not answer as it should.", "Try again later, or sign in with a password.")
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.known = known
	return known, nil
}

func (p *provider) oauth(known *oidc.Provider, redirect string) oauth2.Config {
	return oauth2.Config{ClientID: p.config.ClientID, ClientSecret: p.config.ClientSecret, Endpoint: known.Endpoint(), RedirectURL: redirect, Scopes: append([]string{oidc.ScopeOpenID}, p.config.Scopes...)}
}

func providerRefusal(code, message, hint string) *Refusal {
	return &Refusal{Reason: Unknown, Problem: diag.Problem{Code: code, Message: message, Hint: hint}}
}

func noProvider() *Refusal {
	return providerRefusal("no_provider", "The service has no identity provider.", "Sign in with a password.")
}

// backTo is where in the console somebody may be led after signing in.
var backTo = regexp.MustCompile(`^/(?:[A-Za-z0-9][A-Za-z0-9/_?&=%.,:+~-]{0,1000})?$`)

// BeginAtProvider begins a sign-in: the browser is sent to an address and keeps a text
// until it comes back. Back is a place in the console; anything else is its beginning.
func (k *Keeper) BeginAtProvider(ctx context.Context, redirect, back string) (address, kept string, err error) {
	if k.provider == nil {
		return "", "", noProvider()
	}
	if closed, err := k.store.Closed(ctx); err != nil || !closed {
		return "", "", errors.Join(err, noProvider())
	}
	known, err := k.provider.discovered(ctx)
	if err != nil {
		return "", "", err
	}
	if !backTo.MatchString(back) {
		back = "/"
	}
	b := begun{State: rand.Text() + rand.Text(), Nonce: rand.Text() + rand.Text(), Verifier: oauth2.GenerateVerifier(), Back: back, Redirect: redirect, At: k.now()}
	text, err := json.Marshal(b)
	if err != nil {
		return "", "", err
	}
	oauth := k.provider.oauth(known, redirect)
	return oauth.AuthCodeURL(b.State, oidc.Nonce(b.Nonce), oauth2.S256ChallengeOption(b.Verifier)), base64.RawURLEncoding.EncodeToString(k.vault.Seal(string(text), begunPlace)), nil
}

// FinishAtProvider ends a sign-in: with what the browser kept, and what the provider
// sent it back with. It gives the session's secret and where in the console to go on.
func (k *Keeper) FinishAtProvider(ctx context.Context, kept string, returned url.Values, a Attempt) (secret, back string, err error) {
	p := k.provider
	if p == nil {
		return "", "", noProvider()
	}
	done, err := k.try("", a.Address)
	if err != nil {
		return "", "", err
	}
	failed := true
	defer func() { done(failed) }()
	b, err := k.begunOf(kept, returned.Get("state"))
	if err != nil {
		return "", "", err
	}
	refused := func(why string, cause error) (string, string, error) {
		k.log.Warn("a sign-in at the identity provider was refused", "why", why, "problem", cause, "from", a.Address)
		if err := k.store.Audit(ctx, store.Entry{From: a.Address, What: "sign-in.refused", To: "(at the provider)"}.With(nil, why)); err != nil {
			return "", "", err
		}
		return "", "", providerRefusal("provider_refused", "The sign-in at the identity provider did not succeed.", "Begin again. The service's log says why, if it does not help.")
	}
	if returned.Get("error") != "" {
		return refused("the provider said "+returned.Get("error"), nil)
	}
	known, err := p.discovered(ctx)
	if err != nil {
		return "", "", err
	}
	var more struct {
		SaysIssuer bool `json:"authorization_response_iss_parameter_supported"`
	}
	_ = known.Claims(&more)                                                                                                // what it does not say is not so
	if iss, said := returned.Get("iss"), returned.Has("iss"); said && iss != p.config.Issuer || !said && more.SaysIssuer { // RFC 9207
		return refused("the answer is from another issuer", nil)
	}
	asked := oidc.ClientContext(ctx, p.client)
	oauth := p.oauth(known, b.Redirect)
	token, err := oauth.Exchange(asked, returned.Get("code"), oauth2.VerifierOption(b.Verifier))
	if err != nil {
		return refused("the code was not taken", err)
	}
	raw, _ := token.Extra("id_token").(string)
	identity, err := known.VerifierContext(oidc.ClientContext(context.WithoutCancel(ctx), p.client), &oidc.Config{ClientID: p.config.ClientID, Now: k.now}).Verify(asked, raw)
	if err != nil {
		return refused("the identity cannot be verified", err)
	}
	if identity.Nonce != b.Nonce {
		return refused("the identity is of another sign-in", nil)
	}
	claims := map[string]any{}
	if err := identity.Claims(&claims); err != nil {
		return refused("the claims cannot be read", err)
	}
	u, err := k.provided(ctx, identity.Issuer+"|"+identity.Subject, claims, a)
	if err != nil {
		return "", "", err
	}
	failed = false
	secret, err = k.begin(ctx, u.Name, a)
	return secret, b.Back, err
}

// begunOf reads what the browser kept; it can be used once.
func (k *Keeper) begunOf(kept, state string) (b begun, err error) {
	other := providerRefusal("provider_other", "This is not the answer to the sign-in that was begun in this browser.", "Begin again.")
	sealed, err := base64.RawURLEncoding.DecodeString(kept)
	if err != nil {
		return b, other
	}
	text, err := k.vault.Unseal(sealed, begunPlace)
	if err != nil || json.Unmarshal([]byte(text), &b) != nil || b.State == "" || b.State != state {
		return b, other
	}
	p, now := k.provider, k.now()
	p.mu.Lock()
	defer p.mu.Unlock()
	for state, at := range p.used {
		if now.Sub(at) > attemptTime {
			delete(p.used, state)
		}
	}
	if _, used := p.used[b.State]; used || now.Sub(b.At) > attemptTime {
		return b, other
	}
	p.used[b.State] = b.At
	return b, nil
}

var providedName = regexp.MustCompile(`^[a-z0-9][a-z0-9._@+-]{0,99}$`)

// provided keeps what the provider says of somebody who has signed in there.
func (k *Keeper) provided(ctx context.Context, id string, claims map[string]any, a Attempt) (store.User, error) {
	c := k.provider.config
	text := func(claim string) string {
		s, _ := claims[claim].(string)
		return s
	}
	u, err := k.store.UserOf(ctx, id)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return u, err
	}
	if errors.Is(err, store.ErrNotFound) {
		u = store.User{Name: strings.ToLower(text(c.Claims.User)), Provider: id, CreatedAt: k.now()}
	}
	if !providedName.MatchString(u.Name) {
		return u, providerRefusal("provider_name", fmt.Sprintf("The identity provider gives no name that can be used (the claim %s).", c.Claims.User), "Ask an administrator to name another claim.")
	}
	if u.Disabled {
		return u, wrongSignIn()
	}
	groups := texts(claims[c.Claims.Groups])
	u.Display, u.Email, u.Role, u.ProviderAt = text(c.Claims.Display), text(c.Claims.Email), c.Role, k.now()
	for _, g := range groups {
		if role, ok := c.Roles[g]; ok && slices.Index(Roles, role) > slices.Index(Roles, u.Role) {
			u.Role = role
		}
	}
	u.Attributes = map[string][]string{}
	for name, claim := range c.Claims.Attributes {
		u.Attributes[name] = texts(claims[claim])
	}
	entry := store.Entry{Who: u.Name, From: a.Address, What: "user.provided", To: u.Name}.With(nil, map[string]any{"role": u.Role, "groups": groups, "attributes": u.Attributes})
	if err := k.store.Provided(ctx, u, groups, entry); errors.Is(err, store.ErrTaken) {
		return u, providerRefusal("provider_name", "There is another user "+u.Name+" here, who does not sign in at the identity provider.", "Ask an administrator.")
	} else if err != nil {
		return u, err
	}
	return u, nil
}

// texts are a claim's texts, whether it has one or several.
func texts(claim any) []string {
	switch claim := claim.(type) {
	case string:
		return []string{claim}
	case []any:
		var out []string
		for _, item := range claim {
			if s, ok := item.(string); ok {
				out = append(out, s)
			}
		}
		return out
	}
	return nil
}
