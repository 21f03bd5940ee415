package service

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"time"

	"pikegate/core/civil"
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
	if len(run) > 0 && next > 0 && next-run[len(run)-1] < crowded { // it may not come to an end before it is due again
		waiting, err := s.Store.Waiting(ctx, k.Name, mostWaiting)
		if err != nil {
			return planned, err
		}
		if waiting == mostWaiting {
			for _, at := range run {
				planned.Occurrences = append(planned.Occurrences, past(k, at, store.Missed, fmt.Sprintf("%d before it were still waiting for their turn.", mostWaiting)))
			}
			run = nil
		}
	}
	for _, at := range run {
		planned.Occurrences = append(planned.Occurrences, store.Occurrence{
			Schedule: k.Name, Due: at, Version: k.Version, Owner: k.Owner, Report: k.Report, Source: k.Source, State: store.Due, Phase: store.PhaseRun, TryAt: at,
		})
	}
	planned.Next = next
	return planned, nil
}

// mostWaiting is how many occurrences of a schedule wait for their turn, and crowded how soon it has
// to be due again, in seconds, for that to be looked at.
const (
	mostWaiting = 100
	crowded     = 60 * 60
)

// past is an occurrence that nothing comes of.
func past(k store.Schedule, at int64, state, why string) store.Occurrence {
	return store.Occurrence{Schedule: k.Name, Due: at, Version: k.Version, Owner: k.Owner, Report: k.Report, Source: k.Source, State: state, Phase: store.PhaseEnded, Problem: why, EndedAt: at}
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
	page     *overview  // nil where a report is run
	timing   civil.Calendar
	parts    []store.Part
	sends    []store.Delivery
	verdict  *definition.Verdict // on what each part finds, nil for none
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
	if err := o.judge(); err != nil {
		return stopped(err)
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
	if o.job, o.page, err = s.scheduledJob(ctx, o.who, o.schedule, o.Due); err != nil {
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

// scheduledJob is what a schedule runs, as it is due at an instant or now: of an overview, the
// job that reads its answers.
func (s *Service) scheduledJob(ctx context.Context, who identity.Actor, d *definition.Schedule, due int64) (runner.Job, *overview, error) {
	if d.Overview == "" {
		job, err := s.job(ctx, who, Request{Report: d.Report, Inputs: d.Inputs(), due: due})
		return job, nil, err
	}
	page, err := s.overview(ctx, who, OverviewRequest{Overview: d.Overview, Inputs: d.Inputs(), due: due})
	if err != nil {
		return runner.Job{}, nil, err
	}
	job, err := page.lead()
	return job, page, err
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
		kind, name := o.schedule.Runs()
		return nil, &schedule.Stop{Why: fmt.Sprintf("The %s %s has no question %s any more.", kind, name, each)}
	}
	job := o.job
	if o.page != nil {
		job, _ = o.page.asks(each)
	}
	values, err := runner.Choices(ctx, job, asked[at], plan.Search{Limit: mostParts + 1})
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

// runPart runs a part, writes what is delivered of it to the spool and notes both.
func (s scheduled) runPart(ctx context.Context, o *occurrence, p *store.Part) error {
	job := o.jobOf(*p)
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
	if o.page != nil {
		if err := s.runPage(ctx, o, p, sp); err != nil {
			return err
		}
		return s.noted(ctx, o, p, sp)
	}
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
	switch {
	case sp.failed != nil:
		return fmt.Errorf("what was found could not be written: %w", sp.failed)
	case record.Outcome == runner.Done, record.Outcome == runner.Empty:
	case record.Outcome == runner.Refused: // by the format
		return &schedule.Failed{Why: record.Problem}
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
	if blank || o.verdict != nil && !o.verdict.Holds(sp.summary.Judged, job.Context.Calendar) {
		p.State = partNothing
		if p.Problem == "" && !blank {
			p.Problem = "The condition " + o.schedule.Only.Value + " does not hold."
		}
	}
	if err := s.noted(ctx, o, p, sp); err != nil {
		return err
	}
	if record.Count > s.tellExports() {
		entry := o.who.Entry("exported", record.Report).With(nil, map[string]any{"run": record.ID, "records": record.Count, "format": record.Format, "schedule": o.Schedule})
		if err := s.Store.Audit(context.WithoutCancel(ctx), entry); err != nil {
			s.Log.Error("an export was not told to the audit log", "run", record.ID, "problem", err)
		}
	}
	return nil
}

// noted keeps the files of a part that ran, and notes it with its deliveries.
func (s scheduled) noted(ctx context.Context, o *occurrence, p *store.Part, sp *spooling) error {
	if p.State != partNothing {
		if err := sp.keep(); err != nil {
			return err
		}
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
	return nil
}

// judge reads the condition that what is found is judged by; the job works its totals out.
func (o *occurrence) judge() error {
	if o.schedule.Only.Value == "" {
		return nil
	}
	v, problems := o.job.Compiled.Verdict(o.job.Report, o.schedule.Only)
	if problems.Failed() {
		return problems
	}
	o.verdict, o.job.View.Judged = v, v.Totals
	return nil
}
