package api

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/identity"
	"pikegate/internal/wire"
)

// Ways is how one can sign in.
type Ways struct {
	State    string `json:"state" enum:"open,closed" doc:"open as long as there are no users"`
	Password bool   `json:"password" doc:"Whether by name and password"`
	Provider string `json:"provider,omitempty" doc:"The identity provider at which one can sign in"`
}

// Credentials are what somebody signs in with.
type Credentials struct {
	Name     string `json:"name" maxLength:"200"`
	Password string `json:"password" maxLength:"1000"`
	Code     string `json:"code,omitempty" maxLength:"100" doc:"The code of the second factor, or one of those that were written down"`
}

// Password is a password that is to be confirmed.
type Password struct {
	Password string `json:"password" maxLength:"1000" doc:"The password that is signed in with"`
}

// Welcomed is whose a link is.
type Welcomed struct {
	User    string `json:"user"`
	Display string `json:"display,omitempty"`
}

// signedIn is an answer that gives a browser its session, or takes it away.
type signedIn struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
}

func (s *Server) account() {
	public(s, http.MethodGet, "ways-to-sign-in", "/sign-in", "How one can sign in", http.StatusOK, []int{}, func(ctx context.Context, _ *struct{}) (*response[Ways], error) {
		closed, err := s.service.People.Closed(ctx)
		return answer(s, Ways{State: map[bool]string{false: "open", true: "closed"}[closed], Password: closed, Provider: s.service.People.Provider()}, err)
	})
	public(s, http.MethodGet, "sign-in-at-provider", "/sign-in/provider", "Go to the identity provider to sign in", http.StatusSeeOther, []int{}, func(ctx context.Context, in *struct {
		Back string `query:"back" maxLength:"1000" doc:"Where in the console to go on" example:"/runs"`
	},
	) (*redirected, error) {
		address, kept, err := s.service.People.BeginAtProvider(ctx, s.reached(callerOf(ctx).host)+providerReturn, in.Back)
		if err != nil {
			return s.backToSignIn(err), nil
		}
		return &redirected{Status: http.StatusSeeOther, Location: address, SetCookie: []http.Cookie{s.attemptCookie(kept)}}, nil
	})
	public(s, http.MethodGet, "return-from-provider", "/sign-in/provider/return", "Where the identity provider sends the browser back to", http.StatusSeeOther, []int{}, func(ctx context.Context, in *struct {
		Client string `header:"User-Agent"`
	},
	) (*redirected, error) {
		c := callerOf(ctx)
		secret, back, err := s.service.People.FinishAtProvider(ctx, c.attempt, c.query, identity.Attempt{Address: c.from, Client: in.Client})
		if err != nil {
			return s.backToSignIn(err), nil
		}
		return &redirected{Status: http.StatusSeeOther, Location: "/#" + back, SetCookie: []http.Cookie{s.cookie(secret), s.attemptCookie("")}}, nil
	})
	public(s, http.MethodPost, "sign-in", "/sign-in", "Sign in with a browser", http.StatusNoContent, []int{401, 429}, func(ctx context.Context, in *struct {
		Client string `header:"User-Agent"`
		Body   Credentials
	},
	) (*signedIn, error) {
		secret, err := s.service.People.SignIn(ctx, identity.Attempt{Name: in.Body.Name, Password: in.Body.Password, Code: in.Body.Code, Address: callerOf(ctx).from, Client: in.Client})
		if err != nil {
			return nil, s.later(err)
		}
		return &signedIn{s.cookie(secret)}, nil
	})
	post(s, "sign-out", "/sign-out", "End the session, or the token, that is signed in with", http.StatusNoContent, []int{404}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*signedIn, error) {
		if err := s.service.SignOut(ctx, who); err != nil {
			return nil, s.asProblem(err)
		}
		return &signedIn{s.cookie("")}, nil
	})
	public(s, http.MethodPost, "look-at-link", "/welcome", "Whose a link is that sets a password", http.StatusOK, []int{401, 429}, func(ctx context.Context, in *struct {
		Body struct {
			Link string `json:"link" maxLength:"200" doc:"What follows /#/welcome/ in the address"`
		}
	},
	) (*response[Welcomed], error) {
		u, err := s.service.People.OfLink(ctx, in.Body.Link, callerOf(ctx).from)
		if err != nil {
			return nil, s.later(err)
		}
		return &response[Welcomed]{Welcomed{u.Name, u.Display}}, nil
	})
	public(s, http.MethodPost, "set-password", "/welcome/password", "Set a password with a link, which is used up", http.StatusNoContent, []int{401, 422, 429}, func(ctx context.Context, in *struct {
		Body struct {
			Link     string `json:"link" maxLength:"200" doc:"What follows /#/welcome/ in the address"`
			Password string `json:"password" maxLength:"1000" doc:"The new password, of at least 12 characters"`
		}
	},
	) (*struct{}, error) {
		if err := s.service.People.SetPassword(ctx, in.Body.Link, in.Body.Password, callerOf(ctx).from); err != nil {
			return nil, s.later(err)
		}
		return nil, nil
	})
	get(s, "show-me", "/me", "Who asks, and what they may do", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[wire.Me], error) {
		me, err := s.service.Me(ctx, who)
		return answer(s, me, err)
	})
	put(s, "change-me", "/me/profile", "Change one's language, zone, order of dates and e-mail address", []int{422}, func(ctx context.Context, who identity.Actor, in *struct{ Body wire.Profile }) (*response[wire.Me], error) {
		me, err := s.service.ChangeMe(ctx, who, in.Body)
		return answer(s, me, err)
	})
	done(s, http.MethodPut, "change-password", "/me/password", "Change one's password; all sessions end", []int{400, 422, 429}, func(ctx context.Context, who identity.Actor, in *struct {
		Body struct {
			Old      string `json:"old" maxLength:"1000" doc:"The password that is signed in with"`
			Password string `json:"password" maxLength:"1000" doc:"The new one, of at least 12 characters"`
		}
	},
	) error {
		return s.service.ChangePassword(ctx, who, in.Body.Old, in.Body.Password)
	})
	post(s, "begin-second-factor", "/me/second-factor", "Make a second factor, which has to be confirmed with a code", http.StatusOK, []int{422, 429}, func(ctx context.Context, who identity.Actor, in *struct{ Body Password }) (*response[wire.Factor], error) {
		factor, err := s.service.BeginFactor(ctx, who, in.Body.Password)
		return answer(s, factor, err)
	})
	put(s, "confirm-second-factor", "/me/second-factor", "Put the second factor in force; answers with codes that can be used once each in its place", []int{422, 429}, func(ctx context.Context, who identity.Actor, in *struct {
		Body struct {
			Code string `json:"code" maxLength:"20" doc:"The code that the authenticator shows"`
		}
	},
	) (*response[[]string], error) {
		codes, err := s.service.ConfirmFactor(ctx, who, in.Body.Code)
		return answer(s, codes, err)
	})
	done(s, http.MethodPost, "drop-second-factor", "/me/second-factor/drop", "Take one's second factor away", []int{400, 422, 429}, func(ctx context.Context, who identity.Actor, in *struct{ Body Password }) error {
		return s.service.DropFactor(ctx, who, in.Body.Password)
	})
	get(s, "list-sessions", "/me/sessions", "Where one is signed in", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.Session], error) {
		list, err := s.service.Sessions(ctx, who)
		return answer(s, list, err)
	})
	remove(s, "end-session", "/me/sessions/{session}", "Sign oneself out somewhere", func(ctx context.Context, who identity.Actor, in *struct {
		Session string `path:"session" doc:"The session's id"`
	},
	) error {
		return s.service.EndSession(ctx, who, in.Session)
	})
	get(s, "list-tokens", "/tokens", "One's tokens, or everybody's", []int{}, func(ctx context.Context, who identity.Actor, in *struct {
		All bool `query:"all" doc:"Whether everybody's, for administrators"`
	},
	) (*response[[]wire.Token], error) {
		list, err := s.service.Tokens(ctx, who, in.All)
		return answer(s, list, err)
	})
	post(s, "make-token", "/tokens", "Make a token for scripts; it is in the answer and can be had no other time", http.StatusCreated, []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct{ Body wire.NewToken }) (*response[wire.Token], error) {
		token, err := s.service.MakeToken(ctx, who, in.Body)
		return answer(s, token, err)
	})
	remove(s, "end-token", "/tokens/{token}", "End a token", func(ctx context.Context, who identity.Actor, in *struct {
		Token uint `path:"token" doc:"The token's number"`
	},
	) error {
		return s.service.EndToken(ctx, who, in.Token)
	})
}

const providerReturn = prefix + "/sign-in/provider/return"

// redirected sends a browser elsewhere.
type redirected struct {
	Status    int
	Location  string        `header:"Location"`
	SetCookie []http.Cookie `header:"Set-Cookie"`
}

// reached is the address by which the service is reached, of a request for a host.
func (s *Server) reached(host string) string {
	switch {
	case s.Reach.Public != nil:
		return s.Reach.Public.Scheme + "://" + s.Reach.Public.Host
	case s.Reach.Certified != nil:
		return "https://" + host
	}
	return "http://" + host
}

// backToSignIn leads back to the page of the console where one signs in, which says what
// went wrong.
func (s *Server) backToSignIn(err error) *redirected {
	problem := s.asProblem(err)
	return &redirected{Status: http.StatusSeeOther, Location: "/#/sign-in?problem=" + url.QueryEscape(problem.Errors[0].Code), SetCookie: []http.Cookie{s.attemptCookie("")}}
}

// attemptCookie is what a browser keeps while it is at the identity provider.
func (s *Server) attemptCookie(kept string) http.Cookie {
	c := s.cookie(kept)
	c.Name = s.attemptName()
	if kept != "" {
		c.MaxAge = 600
	}
	return c
}

func (s *Server) attemptName() string { return s.cookieName() + "-attempt" }

// later makes a refusal a problem document that says how long to wait.
func (s *Server) later(err error) error {
	problem := s.asProblem(err)
	var refusal *identity.Refusal
	if errors.As(err, &refusal) && refusal.After > 0 {
		return huma.ErrorWithHeaders(problem, http.Header{"Retry-After": {strconv.Itoa(int(refusal.After.Seconds()))}})
	}
	return problem
}
