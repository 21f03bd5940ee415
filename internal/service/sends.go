package service

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/parameter"
	"pikegate/internal/runner"
	"pikegate/internal/schedule"
	"pikegate/internal/store"
)

// send is what the definition says of a delivery beyond where it goes.
type send struct {
	Subject    string `json:"subject,omitempty"`
	Name       string `json:"name,omitempty"` // of the file
	Provenance bool   `json:"provenance,omitempty"`
	// Others tells that the mail goes to somebody else than the owner.
	Others bool `json:"others,omitempty"`
}

// sendsOf are the deliveries of a part, their names filled in.
func (s scheduled) sendsOf(ctx context.Context, o *occurrence, p store.Part, declined []string) ([]store.Delivery, error) {
	job := o.jobOf(p)
	asked, values, problems := job.Read()
	if err := slices.Concat(job.Problems, problems).Err(); err != nil {
		return nil, err
	}
	value := func(name string) string { return o.placeholder(name, asked, values) }
	file := func(name string) string { return definition.FilePart(value(name)) }
	title, _ := job.Report.Heading()
	var out []store.Delivery
	for number, d := range o.schedule.Deliver {
		made := store.Delivery{
			Occurrence: o.ID, Part: p.Number, Number: number, Owner: o.Owner, Way: d.Way(), Format: d.Format(), State: store.Waiting, Phase: store.Waiting,
		}
		name := definition.FilePart(title)
		if q, v := firstPeriod(asked, values); v.Given {
			name += " " + definition.FilePart(strings.Join(q.Canonical(v), ", "))
		}
		switch made.Way {
		case "folder":
			made.Target = definition.FilePath(definition.Filled(d.Folder.File, file))
			made.Lane, _, _ = strings.Cut(made.Target, "/")
			made.Lane = "folder:" + made.Lane
			made.Spec = specOf(send{Name: filepath.Base(made.Target), Provenance: d.Folder.Provenance})
			out = append(out, withID(made))
		case "web":
			made.Target, made.Lane = d.Web.URL, d.Places()[0]
			made.Spec = specOf(send{Name: name + "." + made.Format})
			out = append(out, withID(made))
		case "keep":
			made.Target, made.Lane = d.Keep.As, "keep"
			made.Spec = specOf(send{})
			out = append(out, withID(made))
		case "mail":
			to, err := s.recipients(ctx, o, p, d.Mail.To)
			if err != nil {
				return nil, err
			}
			if d.Mail.File != "" {
				name = definition.Filled(d.Mail.File, file)
			}
			said := send{Subject: oneLine(definition.Filled(d.Mail.Subject, value))}
			if d.Mail.Subject == "" {
				said.Subject = oneLine(subjectOf(title, asked, values, job.Context.Language))
			}
			if made.Format != "" {
				said.Name = name + "." + made.Format
			}
			for _, address := range to {
				one := made
				one.Target, one.Lane = address, "mail"
				said.Others = !strings.EqualFold(address, o.who.User().Email)
				one.Spec = specOf(said)
				if slices.ContainsFunc(declined, func(d string) bool { return strings.EqualFold(d, address) }) {
					one.State, one.Phase, one.Problem = store.Cancelled, store.PhaseEnded, "Whoever reads mail there asked to get it no more."
				}
				out = append(out, withID(one))
			}
		}
	}
	return out, nil
}

func withID(d store.Delivery) store.Delivery {
	d.ID = "pg-" + strings.ToLower(rand.Text())
	return d
}

func specOf(said send) string {
	text, err := json.Marshal(said)
	if err != nil { // texts can always be written
		panic(err)
	}
	return string(text)
}

// oneLine is a text that can stand in the head of a mail.
func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }

// placeholder is what stands for a name in braces: in the canonical form.
func (o *occurrence) placeholder(name string, asked []parameter.Parameter, values parameter.Values) string {
	due := civil.CivilOf(civil.Instant(o.Due), o.timing.Zone)
	switch name {
	case "due":
		return due.Date().String()
	case "due.time":
		return strings.ReplaceAll(due.String()[11:16], ":", "")
	case "schedule":
		return o.Schedule
	case "report":
		return o.Occurrence.Report
	}
	of, end, _ := strings.Cut(name, ".")
	at := slices.IndexFunc(asked, func(q parameter.Parameter) bool { return q.Name == of })
	if at < 0 {
		return ""
	}
	v := values[of]
	switch {
	case !v.Given:
		return ""
	case end == "from" && !v.Span.OpenStart():
		return v.Span.FirstDay().String()
	case end == "through" && !v.Span.OpenEnd():
		return v.Span.LastDay().String()
	case end != "":
		return "open"
	}
	return strings.Join(asked[at].Canonical(v), ", ")
}

// subjectOf is the subject of a mail that says none: the title and the first period, in words.
func subjectOf(title string, asked []parameter.Parameter, values parameter.Values, language string) string {
	q, v := firstPeriod(asked, values)
	if !v.Given {
		return title
	}
	days, _, _ := strings.Cut(q.ReadBack(v, language), " (")
	return title + ", " + days
}

// firstPeriod is the first period among the answers; it is not given where there is none.
func firstPeriod(asked []parameter.Parameter, values parameter.Values) (parameter.Parameter, parameter.Value) {
	for _, q := range asked {
		if v := values[q.Name]; q.Kind == parameter.Period && v.Given {
			return q, v
		}
	}
	return parameter.Parameter{}, parameter.Value{}
}

// collisions refuses two files of one name, and files that another schedule delivers.
func (s scheduled) collisions(ctx context.Context, o *occurrence) error {
	var files []store.Delivery
	var targets []string
	for _, d := range o.sends {
		if d.Way == "folder" {
			files, targets = append(files, d), append(targets, d.Target)
		}
	}
	last, err := s.Store.LastAt(ctx, "folder", targets)
	if err != nil {
		return err
	}
	seen := map[string]int{}
	for _, d := range files {
		key := strings.ToLower(d.Target)
		if part, twice := seen[key]; twice {
			return &schedule.Failed{Why: fmt.Sprintf("The parts %d and %d would have the same file, %s. Put {%s} into its name.", part, d.Part, d.Target, o.schedule.Each.Question)}
		}
		seen[key] = d.Part
		if other := last[d.Target]; other != "" && other != o.Schedule {
			return &schedule.Failed{Why: fmt.Sprintf("The schedule %s delivered the file %s, which is not written over.", other, d.Target)}
		}
	}
	return nil
}

// recipients are the addresses a mail of a part goes to.
func (s scheduled) recipients(ctx context.Context, o *occurrence, p store.Part, r definition.Recipients) ([]string, error) {
	if r.By == "" {
		return r.Texts, nil
	}
	found, err := s.lookUp(ctx, o, p, r)
	if err != nil {
		return nil, err
	}
	var to []string
	for _, address := range found {
		address = strings.TrimSpace(address)
		switch {
		case address == "" || slices.Contains(to, address):
		case !definition.IsMailAddress(address):
			return nil, &schedule.Failed{Why: fmt.Sprintf("In %s stands %q, which is not a mail address.", r.From, address)}
		case !s.Destinations.Has("mail:"+definition.Domain(address)) && !s.isUser(ctx, address):
			return nil, &schedule.Failed{Why: fmt.Sprintf("The administrator has not named the domain of %s.", address)}
		default:
			to = append(to, address)
		}
	}
	if len(to) == 0 {
		return nil, &schedule.Failed{Why: fmt.Sprintf("There is no address in %s for %q.", r.From, p.Label)}
	}
	return to, nil
}

// isUser tells whether an address is that of somebody who uses the service.
func (s *Service) isUser(ctx context.Context, address string) bool {
	users, err := s.Store.Users(ctx)
	return err == nil && slices.ContainsFunc(users, func(u store.User) bool { return !u.Disabled && strings.EqualFold(u.Email, address) })
}

// lookUp reads addresses from the table that the values of a question are chosen from, as the
// owner may see it.
func (s scheduled) lookUp(ctx context.Context, o *occurrence, p store.Part, r definition.Recipients) ([]string, error) {
	table, column, _ := strings.Cut(r.From, ".")
	from := ""
	asks := o.job
	if o.page != nil {
		asks, _ = o.page.asks(r.By)
	}
	for _, q := range asks.Compiled.Query.Parameters {
		if q.Name == r.By {
			from = q.Choices.Column
		}
	}
	chosen, key, _ := strings.Cut(from, ".")
	if chosen != table || key == "" {
		return nil, &schedule.Stop{Why: fmt.Sprintf("Addresses are looked up in the table that the values of %s are chosen from, which is not %s.", r.By, table)}
	}
	query := &definition.Query{
		Head: definition.Head{Kind: "query", Name: "recipients"}, Source: asks.Compiled.Query.Source, From: table,
		Parameters: []definition.Question{{Name: "of", Kind: "text", Required: true}},
		Columns:    []definition.Column{{Name: "address", Value: definition.Text{Value: quoted(table) + "." + quoted(column)}}},
		Criteria:   definition.Text{Value: quoted(table) + "." + quoted(key) + " = :of"},
		Distinct:   true,
	}
	report := &definition.Report{Head: definition.Head{Kind: "report", Name: "recipients"}, Query: query.Name}
	set := definition.NewSet([]definition.Document{query, report}, definition.Library{Result: s.result(ctx, false)})
	job, err := s.jobOf(ctx, viewerOf(o.who), Request{Inputs: parameter.Inputs{"of": parameter.Typed(p.Value)}, due: o.Due}, report, 0, set)
	if err != nil {
		return nil, err
	}
	return runner.Texts(ctx, job)
}

// quoted is a name as criteria have it.
func quoted(name string) string { return criteria.Print(&criteria.Column{Name: name}) }
