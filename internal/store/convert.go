package store

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"
)

// Every conversion between rows and the types outside stands here.

func mapped[R, D any](rows []R, domain func(R) D) []D {
	out := make([]D, len(rows))
	for i, r := range rows {
		out[i] = domain(r)
	}
	return out
}

func sourceRowOf(s Source) sourceRow {
	return sourceRow{Name: s.Name, Engine: s.Engine, Address: s.Address, Database: s.Database, User: s.User, Secret: s.Secret, TLS: s.TLS, Powerful: s.PowerfulLogin, Person: s.PassPerson, Encodings: text(s.Encodings)}
}

func (r sourceRow) domain() Source {
	s := Source{Name: r.Name, Engine: r.Engine, Address: r.Address, Database: r.Database, User: r.User, Secret: r.Secret, TLS: r.TLS, PowerfulLogin: r.Powerful, PassPerson: r.Person}
	read(r.Encodings, &s.Encodings)
	if s.Encodings == nil {
		s.Encodings = map[string]string{}
	}
	return s
}

func (r draftRow) domain() Definition {
	return Definition{Kind: r.Kind, Name: r.Name, Content: r.Content, Revision: r.Revision, At: r.UpdatedAt}
}

func (r revisionRow) domain() Definition {
	return Definition{Kind: r.Kind, Name: r.Name, Content: r.Content, Revision: r.Revision}
}

func versionRowOf(d Definition) versionRow {
	return versionRow{d.Kind, d.Name, d.Number, d.Content, d.Uses, d.At, d.By}
}

func (r versionRow) domain() Definition {
	return Definition{Kind: r.Kind, Name: r.Name, Number: r.Number, Content: r.Content, Uses: r.Uses, At: r.PublishedAt, By: r.PublishedBy}
}

func runRowOf(r Run) (runRow, error) {
	row := runRow{
		ID: r.ID, Report: r.Report, Version: r.Version, Outcome: r.Outcome, Format: r.Format, Edges: string(r.Edges),
		StartedAt: r.StartedAt.UTC(), AsOf: r.AsOf, Zone: r.Zone, ReadBack: r.ReadBack, SQL: r.SQL,
		Count: r.Count, First: r.First, Last: r.Last, Millis: r.Millis, Problem: r.Problem, Reason: r.Reason, LeftOut: r.LeftOut, User: r.User,
	}
	for _, field := range []struct {
		to   *string
		from any
	}{{&row.Sort, r.Sort}, {&row.Inputs, r.Inputs}, {&row.Values, r.Resolved}, {&row.Args, r.Args}, {&row.Seen, r.Seen}, {&row.Reading, r.Reading}} {
		b, err := json.Marshal(field.from)
		if err != nil {
			return row, fmt.Errorf("store: a run's record cannot be written: %w", err)
		}
		*field.to = string(b)
	}
	return row, nil
}

func (r runRow) domain() Run {
	run := Run{
		ID: r.ID, Report: r.Report, Version: r.Version, Outcome: r.Outcome, Format: r.Format,
		StartedAt: r.StartedAt, AsOf: r.AsOf, Zone: r.Zone, ReadBack: r.ReadBack, SQL: r.SQL,
		Count: r.Count, First: r.First, Last: r.Last, Millis: r.Millis, Problem: r.Problem, Reason: r.Reason, LeftOut: r.LeftOut, User: r.User, Forgotten: r.Forgotten,
	}
	read(r.Seen, &run.Seen)
	read(r.Reading, &run.Reading)
	read(r.Sort, &run.Sort)
	read(r.Inputs, &run.Inputs)
	read(r.Values, &run.Resolved)
	read(r.Args, &run.Args)
	if r.Edges != "" {
		run.Edges = json.RawMessage(r.Edges)
	}
	return run
}

func userRowOf(u User) userRow {
	return userRow{
		Name: u.Name, Display: u.Display, Email: u.Email, Language: u.Language, Zone: u.Zone, DateOrder: u.DateOrder, WeekStart: u.WeekStart, MissingYear: u.MissingYear, TwoDigitYears: u.TwoDigitYears, CSV: text(u.CSV), Guard: u.Guard, Role: u.Role,
		Attributes: text(u.Attributes), Disabled: u.Disabled, Password: u.Password, Factor: u.Factor, Confirmed: u.Confirmed, Step: u.Step,
		Recovery: text(u.Recovery), CreatedAt: u.CreatedAt.UTC(), Provider: u.Provider, ProviderAt: u.ProviderAt.UTC(),
	}
}

func (r userRow) domain() User {
	u := User{
		Name: r.Name, Display: r.Display, Email: r.Email, Language: r.Language, Zone: r.Zone, DateOrder: r.DateOrder, WeekStart: r.WeekStart, MissingYear: r.MissingYear, TwoDigitYears: r.TwoDigitYears, Guard: r.Guard, Role: r.Role,
		Disabled: r.Disabled, Password: r.Password, Factor: r.Factor, Confirmed: r.Confirmed, Step: r.Step, CreatedAt: r.CreatedAt,
		Provider: r.Provider, ProviderAt: r.ProviderAt,
	}
	read(r.CSV, &u.CSV)
	read(r.Attributes, &u.Attributes)
	read(r.Recovery, &u.Recovery)
	if u.Attributes == nil {
		u.Attributes = map[string][]string{}
	}
	return u
}

func sessionRowOf(s Session) sessionRow {
	s.Begun, s.Seen = s.Begun.UTC(), s.Seen.UTC()
	return sessionRow(s)
}

func tokenRowOf(t Token) tokenRow {
	return tokenRow{
		ID: t.ID, Hash: t.Hash, User: t.User, Name: t.Name, Scope: t.Scope, Report: t.Report, Inputs: text(t.Inputs),
		Created: t.Created.UTC(), Expires: t.Expires.UTC(), Used: t.Used.UTC(),
	}
}

func (r tokenRow) domain() Token {
	t := Token{ID: r.ID, Hash: r.Hash, User: r.User, Name: r.Name, Scope: r.Scope, Report: r.Report, Created: r.Created, Expires: r.Expires, Used: r.Used}
	read(r.Inputs, &t.Inputs)
	return t
}

func (r answersRow) domain() Answers {
	a := Answers{To: Asker{r.Kind, r.Report}, Name: r.Name, Owner: r.Owner, Shared: r.Shared, Begins: r.Begins, At: r.At}
	read(r.Inputs, &a.Inputs)
	return a
}

func (r auditRow) domain() Entry {
	at, _ := time.Parse(time.RFC3339Nano, r.At) // one that was changed is the zero time, and found out
	return Entry{r.Number, at, r.Who, r.From, r.What, r.To, r.Before, r.After, r.Code}
}

// text and read keep small maps as JSON; what we wrote ourselves reads back.
func text(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic("store: maps of text are always JSON: " + err.Error())
	}
	return string(b)
}

func read(s string, into any) {
	if s != "" {
		d := json.NewDecoder(strings.NewReader(s))
		d.UseNumber()      // whole numbers keep all their digits
		_ = d.Decode(into) // an older shape reads as what it has
	}
}
