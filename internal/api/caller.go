package api

import (
	"context"
	"net/http"
	"net/url"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"pikegate/core/diag"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
)

// The names under which the description tells how to sign in.
const (
	sessionScheme = "session"
	tokenScheme   = "token"
)

var securitySchemes = map[string]*huma.SecurityScheme{
	sessionScheme: {Type: "apiKey", In: "cookie", Name: plainCookie, Description: "What a browser is given at sign-in; over TLS its name begins with __Host-"},
	tokenScheme:   {Type: "http", Scheme: "bearer", Description: "A token that somebody made on their account's page"},
}

// The cookie that holds a session. Over TLS no other host can set it.
const (
	plainCookie  = "pikegate-session"
	secureCookie = "__Host-pikegate-session"
)

func (s *Server) cookieName() string {
	if s.Reach.encrypted() {
		return secureCookie
	}
	return plainCookie
}

// cookie is what a browser is given; a blank secret takes it away.
func (s *Server) cookie(secret string) http.Cookie {
	c := http.Cookie{Name: s.cookieName(), Value: secret, Path: "/", HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: s.Reach.encrypted()}
	if secret == "" {
		c.MaxAge = -1
	}
	return c
}

// caller is who sent a request, or why that is not known.
type caller struct {
	actor identity.Actor
	err   error
	from  string // the address it came from
	host  string // the name it was sent to
	// attempt is what the browser kept while it was at the identity provider, query what
	// it was sent back with.
	attempt string
	query   url.Values
}

type callerKey struct{}

func callerOf(ctx context.Context) caller {
	c, _ := ctx.Value(callerKey{}).(caller)
	return c
}

// authenticate finds out who sent a request, and has it end when they are signed out.
func (s *Server) authenticate(c *gin.Context) {
	if !strings.HasPrefix(c.Request.URL.Path, "/api/") {
		c.Next()
		return
	}
	if linked := strings.HasPrefix(c.Request.URL.Path, linkPrefix); linked && !identity.HoldsToken(c.Request.URL.RawQuery) {
		c.Next() // its token says who it is for
		return
	}
	if identity.HoldsToken(c.Request.URL.RawQuery) || identity.HoldsToken(c.Request.URL.Path) {
		writeProblem(c.Writer, problemOf(http.StatusBadRequest, diag.Problem{
			Code: "token_in_address", Message: "The address holds a token, which others may read in logs and histories.",
			Hint: "Send it in the header Authorization: Bearer …, and end this one: it is known now.",
		}))
		c.Abort()
		return
	}
	from := c.GetString(fromKey)
	actor, err := s.identify(c.Request, from)
	attempt := ""
	if cookie, err := c.Request.Cookie(s.attemptName()); err == nil {
		attempt = cookie.Value
	}
	ctx := context.WithValue(c.Request.Context(), callerKey{}, caller{actor, err, from, c.Request.Host, attempt, c.Request.URL.Query()})
	if actor.Known() {
		attended, done := s.service.People.Attend(engine.WithPerson(ctx, actor.Name()), actor)
		defer done()
		ctx = attended
	}
	c.Request = c.Request.WithContext(ctx)
	c.Next()
}

// identify gives who signed a request in.
func (s *Server) identify(r *http.Request, from string) (identity.Actor, error) {
	ctx, people := r.Context(), s.service.People
	closed, err := people.Closed(ctx)
	if err != nil {
		return identity.Actor{}, err
	}
	if !closed {
		return people.Open(ctx, from)
	}
	if header := r.Header.Get("Authorization"); header != "" {
		scheme, token, _ := strings.Cut(header, " ")
		if !strings.EqualFold(scheme, "Bearer") {
			return identity.Actor{}, identity.Nobody()
		}
		return people.ByToken(ctx, strings.TrimSpace(token), from)
	}
	cookie, err := r.Cookie(s.cookieName())
	if err != nil {
		return identity.Actor{}, identity.Nobody()
	}
	return people.BySession(ctx, cookie.Value, from)
}

// admit lets in who is known, before anything of the request is read; what needs no
// sign-in is marked so in the description.
func (s *Server) admit(ctx huma.Context, next func(huma.Context)) {
	who := callerOf(ctx.Context())
	if len(ctx.Operation().Security) == 0 || who.actor.Known() {
		next(ctx)
		return
	}
	err := who.err
	if err == nil {
		err = identity.Nobody()
	}
	problem := s.asProblem(err)
	ctx.SetHeader("Content-Type", problem.ContentType(""))
	if problem.Status == http.StatusUnauthorized {
		ctx.SetHeader("WWW-Authenticate", `Bearer realm="Pike Gate"`)
	}
	ctx.SetStatus(problem.Status)
	writeBody(ctx, problem)
}
