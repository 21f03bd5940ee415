package service

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/core/recurrence"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/schedule"
	"pikegate/internal/store"
)

// mostParts is how many parts an occurrence may have.
const mostParts = 1000

// scheduled does what schedules have done: the work of a schedule.Keeper.
type scheduled struct{ *Service }

// scheduleOf gives a version of a schedule, 0 for the newest.
func (s *Service) scheduleOf(ctx context.Context, name string, version int) (*definition.Schedule, store.Definition, error) {
	key := scheduleVersion{name, version}
	s.mu.Lock()
	known, ok := s.schedules[key]
	s.mu.Unlock()
	if ok {
		return known.document, known.kept, nil
	}
	made, kept, err := s.readSchedule(ctx, name, version)
	if err != nil {
		return nil, kept, err
	}
	if version > 0 { // it never changes
		s.mu.Lock()
		defer s.mu.Unlock()
		if len(s.schedules) >= mostSchedules {
			clear(s.schedules)
		}
		s.schedules[key] = knownSchedule{made, kept}
	}
	return made, kept, nil
}

// scheduleVersion names a version of a schedule, knownSchedule is what it says.
type scheduleVersion struct {
	name    string
	version int
}

type knownSchedule struct {
	document *definition.Schedule
	kept     store.Definition
}

// mostSchedules is how many versions of schedules are kept read.
const mostSchedules = 5000

func (s *Service) readSchedule(ctx context.Context, name string, version int) (*definition.Schedule, store.Definition, error) {
	kept, err := s.Store.Version(ctx, "schedule", name, version)
	if err != nil {
		return nil, kept, err
	}
	documents, err := decoded(kept.Content)
	if err != nil {
		return nil, kept, err
	}
	d, ok := documents[0].(*definition.Schedule)
	if !ok {
		return nil, kept, fmt.Errorf("service: %s is no schedule", name)
	}
	return d, kept, nil
}

// timing is the context that the times of a schedule are read in, as of an instant.
func (s *Service) timing(ctx context.Context, k store.Schedule, now int64) (civil.Calendar, error) {
	calendar := s.Calendar
	if k.Calendar != "" {
		version := 0
		var problems diag.Problems
		if calendar, problems = s.publishedCalendars(ctx, &version).In(calendar, k.Calendar); problems.Failed() {
			return calendar, &schedule.Stop{Why: problems.Error()}
		}
	}
	zone, err := time.LoadLocation(k.Zone)
	if err != nil {
		return calendar, &schedule.Stop{Why: fmt.Sprintf("There is no zone %s any more.", k.Zone)}
	}
	calendar.Zone, calendar.Now = zone, civil.Instant(now)
	return calendar, nil
}

// Due plans a schedule that is due.
func (s scheduled) Due(ctx context.Context, k store.Schedule, now int64) (store.Planned, error) {
	planned := store.Planned{Schedule: k}
	calendar, err := s.timing(ctx, k, now)
	if err != nil {
		return planned, err
	}
	rule, problems := recurrence.Parse(k.Rule)
	if problems.Failed() {
		return planned, &schedule.Stop{Why: problems.Error()}
	}
	passed, next := schedule.Times(rule, k.Next, now, calendar)
	run, gone := schedule.Split(passed, now, k.Missed)
	for _, at := range gone {
		planned.Occurrences = append(planned.Occurrences, past(k, at, store.Missed, "The service was not running then."))
	}
	for _, at := range run {
		planned.Occurrences = append(planned.Occurrences, store.Occurrence{
			Schedule: k.Name, Due: at, Owner: k.Owner, Report: k.Report, Source: k.Source, State: store.Due, Phase: store.PhaseRun, TryAt: at,
		})
	}
	planned.Next = next
	return planned, nil
}

// past is an occurrence that nothing comes of.
func past(k store.Schedule, at int64, state, why string) store.Occurrence {
	return store.Occurrence{Schedule: k.Name, Due: at, Owner: k.Owner, Report: k.Report, Source: k.Source, State: state, Phase: store.PhaseEnded, Problem: why, EndedAt: at}
}

// Retries is how often what failed of a schedule is tried again.
func (s scheduled) Retries(ctx context.Context, name string, version int) (times int, over time.Duration) {
	d, _, err := s.scheduleOf(ctx, name, version)
	if err != nil {
		return definition.Retry{}.Tries()
	}
	return d.Retry.Tries()
}

// Told lists who is told of what befalls a schedule.
func (s scheduled) Told(ctx context.Context, name, owner string, managers bool) []string {
	told := []string{owner}
	if !managers {
		return told
	}
	d, _, err := s.scheduleOf(ctx, name, 0)
	if err != nil {
		return told
	}
	users, err := s.Store.Users(ctx)
	if err != nil {
		return told
	}
	for _, u := range users {
		who, err := s.People.OnBehalf(ctx, u.Name)
		if err == nil && u.Name != owner && who.May(identity.Manage, d.Folder) {
			told = append(told, u.Name)
		}
	}
	return told
}

// occurrence is one that is being run.
type occurrence struct {
	store.Occurrence
	schedule *definition.Schedule
	who      identity.Actor
	job      runner.Job // with the answers that are the same for all parts
	timing   civil.Calendar
	parts    []store.Part
	sends    []store.Delivery
}

// Run finds the parts of an occurrence and runs those that were not.
func (s scheduled) Run(ctx context.Context, kept store.Occurrence) error {
	o := &occurrence{Occurrence: kept}
	if err := s.take(ctx, o); err != nil {
		return stopped(err)
	}
	var err error
	if o.parts, err = s.Store.Parts(ctx, o.ID); err != nil {
		return err
	}
	if len(o.parts) == 0 {
		if err := s.findParts(ctx, o); err != nil {
			return stopped(err)
		}
		s.keeper.At("parts")
		if err := s.Store.NoteParts(ctx, o.Occurrence, o.parts, o.sends); err != nil {
			return err
		}
		s.keeper.At("parts noted")
	} else if o.sends, err = s.Store.Deliveries(ctx, o.ID); err != nil {
		return err
	}
	for i := range o.parts {
		if o.parts[i].State != partDue {
			continue
		}
		if err := s.runPart(ctx, o, &o.parts[i]); err != nil {
			return stopped(err)
		}
	}
	return nil
}

// The states of a part.
const (
	partDue     = "due"
	partRan     = "ran"
	partNothing = "nothing_to_send"
)

// stopped tells what pauses a schedule from what is tried again.
func stopped(err error) error {
	var refusal *identity.Refusal
	var problems diag.Problems
	var missing *NotFound
	switch {
	case errors.As(err, &refusal):
		return &schedule.Stop{Why: "Its owner may not do it any more: " + refusal.Problem.Message, Managers: true}
	case errors.As(err, &problems):
		return &schedule.Stop{Why: problems.Error()}
	case errors.As(err, &missing):
		return &schedule.Stop{Why: missing.Error(), Managers: true}
	}
	return err
}

// take makes the report ready that an occurrence is about, for its owner.
func (s scheduled) take(ctx context.Context, o *occurrence) error {
	var definitionKept store.Definition
	var err error
	if o.schedule, definitionKept, err = s.scheduleOf(ctx, o.Schedule, o.Version); errors.Is(err, store.ErrNotFound) {
		return &schedule.Stop{Why: "The schedule is published no longer."}
	} else if err != nil {
		return err
	}
	o.Version = definitionKept.Number
	k, err := s.Store.Schedule(ctx, o.Schedule)
	if err != nil {
		return err
	}
	if o.timing, err = s.timing(ctx, k, o.Due); err != nil {
		return err
	}
	if o.who, err = s.ownerOf(ctx, o.Owner); err != nil {
		return err
	}
	if err := s.mayDeliver(o.who, o.schedule, k.Own); err != nil {
		return err
	}
	if o.job, err = s.job(ctx, o.who, o.request()); err != nil {
		return err
	}
	o.AsOf, o.Zone = o.job.Context.Now.String(), o.job.Context.Zone.String()
	return nil
}

// ownerOf is whoever a schedule runs for.
func (s *Service) ownerOf(ctx context.Context, name string) (identity.Actor, error) {
	who, err := s.People.OnBehalf(ctx, name)
	var refusal *identity.Refusal
	if errors.As(err, &refusal) {
		words := "nobody may be known by the name " + name + "."
		if u, found := s.Store.User(ctx, name); found == nil && u.Disabled {
			words = name + " is disabled."
		} else if name == "" {
			words = "it was made before there were users."
		}
		return who, &identity.Refusal{Reason: refusal.Reason, Problem: diag.Problem{Code: "owner_gone", Message: words}}
	}
	return who, err
}

// request asks for the report as it was due.
func (o *occurrence) request() Request {
	return Request{Report: o.Occurrence.Report, Inputs: o.schedule.Inputs(), due: o.Due}
}

// findParts finds what an occurrence is made for, and what is delivered of it.
func (s scheduled) findParts(ctx context.Context, o *occurrence) error {
	values := []parameter.Choice{{}}
	each := o.schedule.Each.Question
	if each != "" {
		var err error
		if values, err = s.valuesOf(ctx, o, each); err != nil {
			return err
		}
	}
	declined, err := s.Store.Declined(ctx, o.Schedule)
	if err != nil {
		return err
	}
	for i, v := range values {
		label := v.Label
		if label == "" {
			label = v.Value
		}
		part := store.Part{Occurrence: o.ID, Number: i + 1, Value: v.Value, Label: label, Single: each == "", State: partDue}
		o.parts = append(o.parts, part)
		sends, err := s.sendsOf(ctx, o, part, declined)
		if err != nil {
			return err
		}
		o.sends = append(o.sends, sends...)
	}
	return s.collisions(ctx, o)
}

// valuesOf are the values that a question has under the other answers, with a blank one where
// that asks for records that are blank there.
func (s scheduled) valuesOf(ctx context.Context, o *occurrence, each string) ([]parameter.Choice, error) {
	asked, _, _ := o.job.Read()
	at := slices.IndexFunc(asked, func(q parameter.Parameter) bool { return q.Name == each })
	if at < 0 {
		return nil, &schedule.Stop{Why: fmt.Sprintf("The report %s has no question %s any more.", o.Occurrence.Report, each)}
	}
	values, err := runner.Choices(ctx, o.job, asked[at], plan.Search{Limit: mostParts + 1})
	if err != nil {
		return nil, err
	}
	if asked[at].WhenBlank == parameter.MatchBlank {
		values = append(values, parameter.Choice{})
	}
	if len(values) > mostParts {
		return nil, &schedule.Failed{Why: fmt.Sprintf("There are more than %d values of %s.", mostParts, each)}
	}
	return values, nil
}

// jobOf is the job for a part.
func (o *occurrence) jobOf(p store.Part) runner.Job {
	job := o.job
	job.Delivery = fmt.Sprintf("%s, occurrence %d, part %d", o.Schedule, o.ID, p.Number)
	if p.Single {
		return job
	}
	job.Inputs = parameter.Inputs{}
	for name, in := range o.job.Inputs {
		job.Inputs[name] = in
	}
	if p.Value == "" {
		job.Inputs[o.schedule.Each.Question] = parameter.Input{None: true}
	} else {
		job.Inputs[o.schedule.Each.Question] = parameter.Typed(p.Value)
	}
	return job
}

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
		if of := periodOf(asked, values); of != "" {
			name += " " + definition.FilePart(of)
		}
		switch made.Way {
		case "folder":
			made.Target = definition.Filled(d.Folder.File, file)
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
	for _, q := range asked {
		if v := values[q.Name]; q.Kind == parameter.Period && v.Given {
			days, _, _ := strings.Cut(q.ReadBack(v, language), " (")
			return title + ", " + days
		}
	}
	return title
}

// periodOf is the first period among the answers, in its canonical form.
func periodOf(asked []parameter.Parameter, values parameter.Values) string {
	for _, q := range asked {
		if v := values[q.Name]; q.Kind == parameter.Period && v.Given {
			return strings.Join(q.Canonical(v), ", ")
		}
	}
	return ""
}

// collisions refuses two files of one name, and files that another schedule delivers.
func (s scheduled) collisions(ctx context.Context, o *occurrence) error {
	seen := map[string]int{}
	for _, d := range o.sends {
		if d.Way != "folder" {
			continue
		}
		key := strings.ToLower(d.Target)
		if part, twice := seen[key]; twice {
			return &schedule.Failed{Why: fmt.Sprintf("The parts %d and %d would have the same file, %s. Put {%s} into its name.", part, d.Part, d.Target, o.schedule.Each.Question)}
		}
		seen[key] = d.Part
		other, err := s.Store.LastAt(ctx, d.Way, d.Target)
		if err != nil {
			return err
		}
		if other != "" && other != o.Schedule {
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
	for _, q := range o.job.Compiled.Query.Parameters {
		if q.Name == r.By {
			from = q.Choices.Column
		}
	}
	chosen, key, _ := strings.Cut(from, ".")
	if chosen != table || key == "" {
		return nil, &schedule.Stop{Why: fmt.Sprintf("Addresses are looked up in the table that the values of %s are chosen from, which is not %s.", r.By, table)}
	}
	query := &definition.Query{
		Head: definition.Head{Kind: "query", Name: "recipients"}, Source: o.job.Compiled.Query.Source, From: table,
		Parameters: []definition.Question{{Name: "of", Kind: "text", Required: true}},
		Columns:    []definition.Column{{Name: "address", Value: definition.Text{Value: quoted(table) + "." + quoted(column)}}},
		Criteria:   definition.Text{Value: quoted(table) + "." + quoted(key) + " = :of"},
		Distinct:   true,
	}
	report := &definition.Report{Head: definition.Head{Kind: "report", Name: "recipients"}, Query: query.Name}
	set := definition.NewSet([]definition.Document{query, report}, definition.Library{Result: s.result(ctx)})
	job, err := s.jobOf(ctx, viewerOf(o.who), Request{Inputs: parameter.Inputs{"of": parameter.Typed(p.Value)}, due: o.Due}, report, 0, set)
	if err != nil {
		return nil, err
	}
	return runner.Texts(ctx, job)
}

// quoted is a name as criteria have it.
func quoted(name string) string { return criteria.Print(&criteria.Column{Name: name}) }

// spooled is the folder of what an occurrence made.
func (s *Service) spooled(occurrence uint) string {
	return filepath.Join(s.Delivered, strconv.FormatUint(uint64(occurrence), 10))
}

// runPart runs a part, writes what is delivered of it to the spool and notes both.
func (s scheduled) runPart(ctx context.Context, o *occurrence, p *store.Part) error {
	job := o.jobOf(*p)
	verdict, err := o.verdict(&job)
	if err != nil {
		return err
	}
	sp := &spooling{folder: s.spooled(o.ID), part: p.Number, job: job}
	for _, d := range o.sends {
		if d.Way == "keep" && d.Part == p.Number && d.Phase != store.PhaseEnded {
			sp.kept = true
			continue
		}
		if f, ok := output.FormatOf(d.Format); ok && d.Part == p.Number && d.Phase != store.PhaseEnded && !slices.ContainsFunc(sp.formats, func(g output.Format) bool { return g.Name == f.Name }) {
			sp.formats = append(sp.formats, f)
		}
	}
	if err := os.MkdirAll(sp.folder, 0o700); err != nil {
		return err
	}
	defer sp.close()
	format := output.JSONL
	if all := sp.all(); len(all) > 0 {
		format = output.Together(all...)
	}
	sp.constants = func(h output.Header) []output.Constant { return o.constants(*p, h.Run) }
	s.keeper.At("run begins")
	record, err := s.runner.Run(ctx, job, format, func(started store.Run, _ output.Format) output.Writer { return sp.begin() })
	if err != nil {
		return err
	}
	if record.Rewritten {
		s.resurvey(job.Compiled.Query.Source)
	}
	switch record.Outcome {
	case runner.Done, runner.Empty:
	case runner.Refused:
		return diag.Problems{{Code: record.Outcome, Message: record.Problem}}
	default:
		return &engine.Failure{Code: engine.Broken, Message: record.Problem}
	}
	p.State, p.Run, p.Count, p.First, p.Last = partRan, record.ID, record.Count, record.First, record.Last
	p.ReadBack, p.ReadAt, p.Problem = record.ReadBack, s.Now().Unix(), record.Reason
	totals, err := json.Marshal(sp.summary.Totals)
	if err != nil {
		return err
	}
	p.Totals = string(totals)
	blank := !p.Single && p.Value == "" && p.Count == 0
	if blank || verdict != nil && !verdict.Holds(sp.summary.Judged, job.Context.Calendar) {
		p.State = partNothing
		if p.Problem == "" && !blank {
			p.Problem = "The condition " + o.schedule.Only.Value + " does not hold."
		}
	} else if err := sp.keep(); err != nil {
		return err
	}
	s.keeper.At("spooled")
	var changed []store.Delivery
	for i, d := range o.sends {
		if d.Part != p.Number || d.Phase == store.PhaseEnded {
			continue
		}
		if p.State == partNothing {
			d.State, d.Phase = store.NothingToSend, store.PhaseEnded
		} else {
			d.State, d.Phase, d.TryAt = store.Ready, store.PhaseDeliver, s.Now().Unix()
			if f, ok := sp.files[spoolKey(d)]; ok {
				d.File, d.SHA256, d.Bytes = f.path, hex.EncodeToString(f.sum.Sum(nil)), f.bytes
			}
		}
		o.sends[i] = d
		changed = append(changed, d)
	}
	if err := s.Store.NotePart(ctx, o.Occurrence, *p, changed); err != nil {
		return err
	}
	s.keeper.At("part noted")
	if record.Count > s.tellExports() {
		entry := o.who.Entry("exported", record.Report).With(nil, map[string]any{"run": record.ID, "records": record.Count, "format": record.Format, "schedule": o.Schedule})
		if err := s.Store.Audit(context.WithoutCancel(ctx), entry); err != nil {
			s.Log.Error("an export was not told to the audit log", "run", record.ID, "problem", err)
		}
	}
	return nil
}

// verdict is the condition that what is found is judged by, nil for none; the job works its totals
// out.
func (o *occurrence) verdict(job *runner.Job) (*definition.Verdict, error) {
	if o.schedule.Only.Value == "" {
		return nil, nil
	}
	v, problems := job.Compiled.Verdict(job.Report, o.schedule.Only)
	if problems.Failed() {
		return nil, problems
	}
	job.View.Judged = v.Totals
	return v, nil
}

// spooling writes the files of a part.
type spooling struct {
	folder  string
	part    int
	job     runner.Job
	formats []output.Format
	// kept has the records written for a table of kept results too, with the constants.
	kept      bool
	constants func(output.Header) []output.Constant
	files     map[string]*spoolFile
	summary   output.Summary
	failed    error
}

// keptKey is that of the file for a table of kept results.
const keptKey = "kept.parquet"

// spoolKey tells the file of a delivery.
func spoolKey(d store.Delivery) string {
	if d.Way == "keep" {
		return keptKey
	}
	return d.Format
}

// all are the formats it is written in.
func (s *spooling) all() []output.Format {
	if s.kept {
		return append(slices.Clone(s.formats), output.Parquet)
	}
	return s.formats
}

// spoolFile is one of them.
type spoolFile struct {
	file  *os.File
	path  string
	sum   hash.Hash
	bytes int64
}

func (f *spoolFile) Write(b []byte) (int, error) {
	n, err := f.file.Write(b)
	f.sum.Write(b[:n])
	f.bytes += int64(n)
	return n, err
}

// spoolWriter notes how it ended.
type spoolWriter struct {
	output.Tee
	of *spooling
}

func (w spoolWriter) Begin(h output.Header) error {
	if w.of.failed != nil {
		return w.of.failed
	}
	return w.Tee.Begin(h)
}

func (w spoolWriter) End(s output.Summary) error {
	w.of.summary = s
	return w.Tee.End(s)
}

// begin opens the files.
func (s *spooling) begin() output.Writer {
	s.files = map[string]*spoolFile{}
	writer := spoolWriter{of: s}
	add := func(key string, f output.Format) {
		path := filepath.Join(s.folder, fmt.Sprintf("%d.%s", s.part, key))
		file, err := os.OpenFile(path+".tmp", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
		if err != nil {
			s.failed = err
			return
		}
		made := &spoolFile{file: file, path: path, sum: sha256.New()}
		s.files[key] = made
		w := f.As(s.job.CSV).New(made)
		if key == keptKey {
			w = output.WithConstants(w, s.constants)
		}
		writer.Tee = append(writer.Tee, w)
	}
	for _, f := range s.formats {
		add(f.Name, f)
	}
	if s.kept {
		add(keptKey, output.Parquet)
	}
	return writer
}

// keep has the disk hold the files, under their names.
func (s *spooling) keep() error {
	for _, f := range s.files {
		if err := errors.Join(f.file.Sync(), f.file.Close()); err != nil {
			return err
		}
		if err := os.Rename(f.path+".tmp", f.path); err != nil {
			return err
		}
	}
	if len(s.files) == 0 {
		return nil
	}
	folder, err := os.Open(s.folder)
	if err != nil {
		return err
	}
	return errors.Join(folder.Sync(), folder.Close())
}

// close leaves no file behind that was not kept.
func (s *spooling) close() {
	for _, f := range s.files {
		_ = f.file.Close()
		if err := os.Remove(f.path + ".tmp"); err != nil && !errors.Is(err, fs.ErrNotExist) {
			continue
		}
	}
}
