package service

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// Me tells who asks, and what they may do.
func (s *Service) Me(_ context.Context, who identity.Actor) (wire.Me, error) {
	if err := admitted(who); err != nil {
		return wire.Me{}, err
	}
	if who.IsOpen() {
		return wire.Me{State: "open", Role: identity.Administrator, By: "open", Writes: true}, nil
	}
	u := who.User()
	me := wire.Me{
		State: "closed", Name: u.Name, Display: u.Display, Role: u.Role, Groups: who.Groups(), Attributes: u.Attributes,
		Profile: profileOf(u),
		Folders: who.Folders(), Sources: who.Sources(), SecondFactor: u.Confirmed, Recovery: len(u.Recovery), By: "session", Writes: who.Writes(), SeenBy: who.Behind(),
	}
	if who.ByToken() {
		me.By = "token"
	}
	return me, nil
}

func profileOf(u store.User) wire.Profile {
	return wire.Profile{Email: u.Email, Language: u.Language, Zone: u.Zone, DateOrder: u.DateOrder, WeekStart: u.WeekStart, MissingYear: u.MissingYear, TwoDigitYears: u.TwoDigitYears, CSV: u.CSV, Guard: u.Guard}
}

// inPerson lets in who is signed in with a browser: what somebody is known by is not
// changed with a token.
func inPerson(who identity.Actor) error {
	if err := changes(who); err != nil {
		return err
	}
	if who.Session() == "" {
		return forbidden("An account is changed by whoever is signed in to it in the console.", "Sign in there.")
	}
	return nil
}

// ChangeMe changes how the actor likes to be spoken to.
func (s *Service) ChangeMe(ctx context.Context, who identity.Actor, p wire.Profile) (wire.Me, error) {
	if err := inPerson(who); err != nil {
		return wire.Me{}, err
	}
	var problems diag.Problems
	if _, ok := parameter.MarksOf(p.Language); !ok && p.Language != "" {
		problems = append(problems, diag.Problem{Code: "unknown_language", Field: "language", Message: fmt.Sprintf("%q is not a language numbers can be read in.", p.Language), Hint: "Leave it out, or write a tag such as en or de."})
	}
	if _, err := time.LoadLocation(p.Zone); err != nil || p.Zone == "Local" {
		problems = append(problems, diag.Problem{Code: "unknown_zone", Field: "zone", Message: fmt.Sprintf("There is no zone %q.", p.Zone), Hint: "Write an IANA name such as Europe/London."})
	}
	problems = append(problems, definition.CSVFormatProblems("csv.", p.CSV)...)
	_, found := civil.Settings{MissingYear: p.MissingYear, TwoDigitYears: p.TwoDigitYears}.Apply(civil.Calendar{}, nil)
	if err := append(problems, found...).Err(); err != nil {
		return wire.Me{}, err
	}
	before := who.User()
	entry := who.Entry("account.changed", who.Name()).With(profileOf(before), p)
	err := s.Store.ChangeUser(ctx, who.Name(), false, entry, func(u *store.User) error {
		u.Email, u.Language, u.Zone, u.DateOrder, u.WeekStart = p.Email, p.Language, p.Zone, p.DateOrder, p.WeekStart
		u.MissingYear, u.TwoDigitYears = p.MissingYear, p.TwoDigitYears
		u.CSV, u.Guard = p.CSV, p.Guard
		return nil
	})
	if err != nil {
		return wire.Me{}, err
	}
	me, err := s.Me(ctx, who)
	me.Profile = p
	return me, err
}

// ChangePassword changes the actor's password; they are signed out everywhere.
func (s *Service) ChangePassword(ctx context.Context, who identity.Actor, old, password string) error {
	if err := inPerson(who); err != nil {
		return err
	}
	return s.People.ChangePassword(ctx, who, old, password)
}

// BeginFactor makes a second factor, which has to be confirmed.
func (s *Service) BeginFactor(ctx context.Context, who identity.Actor, password string) (wire.Factor, error) {
	if err := inPerson(who); err != nil {
		return wire.Factor{}, err
	}
	made, err := s.People.BeginFactor(ctx, who, password)
	return wire.Factor(made), err
}

// ConfirmFactor puts the second factor in force and gives the codes that can be used
// in its place.
func (s *Service) ConfirmFactor(ctx context.Context, who identity.Actor, code string) ([]string, error) {
	if err := inPerson(who); err != nil {
		return nil, err
	}
	return s.People.ConfirmFactor(ctx, who, code)
}

// DropFactor takes the second factor away.
func (s *Service) DropFactor(ctx context.Context, who identity.Actor, password string) error {
	if err := inPerson(who); err != nil {
		return err
	}
	return s.People.DropFactor(ctx, who, password)
}

// idLength is how much of a session's hash names it.
const idLength = 16

// Sessions lists where the actor is signed in, the newest first.
func (s *Service) Sessions(ctx context.Context, who identity.Actor) ([]wire.Session, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	if who.Behind() != "" {
		return nil, forbidden("Where somebody is signed in is told to them alone.", "End seeing as them first.")
	}
	kept, err := s.People.Sessions(ctx, who)
	out := make([]wire.Session, len(kept))
	for i, k := range kept {
		out[i] = wire.Session{ID: k.Hash[:idLength], Begun: k.Begun, Seen: k.Seen, Address: k.Address, Client: k.Client, This: k.Hash == who.Session()}
	}
	return out, err
}

// EndSession signs the actor out somewhere.
func (s *Service) EndSession(ctx context.Context, who identity.Actor, id string) error {
	if err := changes(who); err != nil {
		return err
	}
	kept, err := s.People.Sessions(ctx, who)
	if err != nil {
		return err
	}
	for _, k := range kept {
		if k.Hash[:idLength] == id {
			return s.People.EndSession(ctx, who, k.Hash)
		}
	}
	return &NotFound{What: "session", Name: id}
}

// SignOut ends what the actor is signed in with.
func (s *Service) SignOut(ctx context.Context, who identity.Actor) error {
	if err := admitted(who); err != nil || who.IsOpen() {
		return err
	}
	return orNotFound(s.People.SignOut(ctx, who), "session", "of this browser")
}

// Tokens lists the actor's tokens, an administrator's list of all has everybody's.
func (s *Service) Tokens(ctx context.Context, who identity.Actor, all bool) ([]wire.Token, error) {
	err := admitted(who)
	user := who.Name()
	if all {
		err, user = administrators(who), ""
	}
	if err != nil || who.IsOpen() {
		return []wire.Token{}, err
	}
	kept, err := s.Store.Tokens(ctx, user)
	out := make([]wire.Token, len(kept))
	for i, t := range kept {
		out[i] = tokenOf(t)
	}
	return out, err
}

func tokenOf(t store.Token) wire.Token {
	out := wire.Token{ID: t.ID, User: t.User, Name: t.Name, Scope: t.Scope, Report: t.Report, Inputs: t.Inputs, Created: t.Created, Expires: t.Expires}
	if !t.Used.IsZero() {
		out.Used = &t.Used
	}
	return out
}

// usualDays is how long a token can be used, where nothing else is said.
const usualDays = 90

// MakeToken makes a token for the actor. It is in the answer, and nowhere else.
func (s *Service) MakeToken(ctx context.Context, who identity.Actor, n wire.NewToken) (wire.Token, error) {
	if err := inPerson(who); err != nil {
		return wire.Token{}, err
	}
	if n.Scope == "" {
		n.Scope = identity.Full
	}
	if n.Days == 0 {
		n.Days = usualDays
	}
	t := store.Token{Name: strings.TrimSpace(n.Name), Scope: n.Scope, Report: n.Report, Inputs: n.Inputs, Expires: s.Now().AddDate(0, 0, n.Days).UTC(), User: who.Name(), Created: s.Now().UTC()}
	if t.Scope == identity.OnlyReport || t.Scope == identity.OnlyLink {
		preview, err := s.Preview(ctx, who, Request{Report: n.Report, Inputs: n.Inputs})
		if err != nil {
			return wire.Token{}, err
		}
		if err := preview.Problems.Err(); err != nil {
			return wire.Token{}, err
		}
	} else if n.Report != "" || len(n.Inputs) > 0 {
		return wire.Token{}, diag.Problems{{Code: "token_scope", Field: "scope", Message: "A report and its answers go with the scopes report and link.", Hint: "Set one of them, or leave them out."}}
	}
	secret, id, err := s.People.NewToken(ctx, who, t)
	t.ID = id
	out := tokenOf(t)
	out.Secret = secret
	return out, err
}

// EndToken ends a token of the actor; an administrator can end anybody's.
func (s *Service) EndToken(ctx context.Context, who identity.Actor, id uint) error {
	if err := changes(who); err != nil {
		return err
	}
	user := who.Name()
	if who.Administers() {
		user = ""
	}
	return orNotFound(s.People.EndToken(ctx, who, user, id), "token", fmt.Sprint(id))
}

// orNotFound says that there is nothing of a name, where that is the error.
func orNotFound(err error, what, name string) error {
	if errors.Is(err, store.ErrNotFound) {
		return &NotFound{What: what, Name: name}
	}
	return err
}
