package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/recurrence"
	"pikegate/internal/identity"
	"pikegate/internal/runner"
	"pikegate/internal/schedule"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// ownSign stands in the names of schedules that were made of a result, before their owner.
const ownSign = "@"

// How many times and occurrences are shown of a schedule.
const (
	shownTimes       = 5
	shownOccurrences = 50
)

// syncSchedules has what is known of schedules follow what is published: of those given, or all.
func (s *Service) syncSchedules(ctx context.Context, only ...string) error {
	published, err := s.Store.AllPublished(ctx, "schedule")
	if err != nil {
		return err
	}
	known, err := s.Store.Schedules(ctx, nil)
	if err != nil {
		return err
	}
	for _, d := range published {
		at := slices.IndexFunc(known, func(k store.Schedule) bool { return k.Name == d.Name })
		if at >= 0 && known[at].Version == d.Number && !slices.Contains(only, d.Name) {
			continue
		}
		var before store.Schedule
		if at >= 0 {
			before = known[at]
		}
		k, err := s.knownOf(ctx, d, before)
		if err != nil {
			s.Log.Error("a schedule cannot be planned", "schedule", d.Name, "problem", err)
			k.Paused, k.PausedAt = err.Error(), s.Now().Unix()
		}
		if err := s.Store.SaveSchedule(ctx, k); err != nil {
			return err
		}
	}
	for _, k := range known {
		if !k.Own && !slices.ContainsFunc(published, func(d store.Definition) bool { return d.Name == k.Name }) {
			if err := s.Store.RemoveSchedule(ctx, k.Name, s.Now().Unix(), store.Entry{What: "schedule.ended", To: k.Name}); err != nil {
				return err
			}
		}
	}
	s.keeper.Wake()
	return nil
}

// knownOf is what is known of a published version of a schedule, which takes the place of an
// earlier one. Somebody's pause stays; one of ours ends, as it was mended.
func (s *Service) knownOf(ctx context.Context, d store.Definition, before store.Schedule) (store.Schedule, error) {
	now := s.Now().Unix()
	k := store.Schedule{Name: d.Name, Version: d.Number, Owner: d.By, Own: before.Own, Since: now}
	if before.PausedBy != "" {
		k.Paused, k.PausedBy, k.PausedAt = before.Paused, before.PausedBy, before.PausedAt
	}
	if before.Version == d.Number { // nobody published it anew
		k.Owner, k.Paused, k.PausedBy, k.PausedAt, k.Since = before.Owner, before.Paused, before.PausedBy, before.PausedAt, before.Since
	}
	documents, err := decoded(d.Content)
	if err != nil {
		return k, err
	}
	document, ok := documents[0].(*definition.Schedule)
	if !ok {
		return k, fmt.Errorf("%s is no schedule", d.Name)
	}
	return k, s.know(ctx, document, &k, now)
}

// know says of a schedule what its definition and its report say.
func (s *Service) know(ctx context.Context, document *definition.Schedule, k *store.Schedule, now int64) error {
	k.Report, k.Missed = document.Report, document.Missed
	k.Title, _ = document.Heading()
	k.Rule = document.Rule().String()
	for _, d := range document.Deliver {
		if k.Missed == "" && d.Way() == "keep" && d.Keep.How == "append" {
			k.Missed = "each"
		}
	}
	report, query, err := s.publishedReport(ctx, document.Report)
	if err != nil {
		return err
	}
	k.Source = query.Source
	calendar, problems := report.Calendar.Apply(s.Calendar, time.LoadLocation)
	if problems.Failed() {
		return problems
	}
	k.Zone = cmp.Or(document.Zone, calendar.Zone.String())
	if rule := document.Rule(); rule.NeedsCalendar() {
		k.Calendar = cmp.Or(document.Calendar, report.Calendar.Use, query.Calendar, s.CalendarName)
		if k.Calendar == "" {
			return diag.Problems{{Code: "no_calendar", Field: "when", Message: "Which days are worked is said by a calendar, and none is used here.", Hint: "Name one with calendar: NAME."}}
		}
	}
	timing, err := s.timing(ctx, *k, now)
	if err != nil {
		return err
	}
	due, ended := document.Rule().Next(civil.Instant(now), timing)
	if k.Next = int64(due.At); ended != recurrence.NotEnded {
		k.Next = 0
	}
	return nil
}

// publishedReport is a report as it is published, and its query.
func (s *Service) publishedReport(ctx context.Context, name string) (*definition.Report, *definition.Query, error) {
	kept, err := s.Store.Published(ctx, "report", name)
	if err != nil {
		return nil, nil, orNotFound(err, "published report", name)
	}
	documents, err := decoded(kept.Content)
	if err != nil {
		return nil, nil, err
	}
	frozen, err := decoded(kept.Uses)
	if err != nil {
		return nil, nil, err
	}
	report := documents[0].(*definition.Report)
	for _, d := range frozen {
		if q, ok := d.(*definition.Query); ok && q.Name == report.Query {
			return report, q, nil
		}
	}
	return nil, nil, fmt.Errorf("the report %s was published without its query", name)
}

// seesSchedule tells whether somebody may see a schedule: their own; those that are published in
// folders whose drafts they may see; an administrator all.
func (s *Service) seesSchedule(ctx context.Context, who identity.Actor, k store.Schedule) bool {
	if who.Administers() || k.Owner == who.Name() {
		return true
	}
	e, ok, err := s.seen(ctx, who, "schedule", k.Name, true)
	return err == nil && ok && e.published.Number > 0
}

// changesSchedule tells whether somebody may pause, resume and run a schedule: its owner, and who
// may publish it.
func (s *Service) changesSchedule(ctx context.Context, who identity.Actor, k store.Schedule) bool {
	if !who.Writes() {
		return false
	}
	if who.Administers() || k.Owner == who.Name() {
		return true
	}
	e, ok, err := s.seen(ctx, who, "schedule", k.Name, true)
	return err == nil && ok && who.May(identity.Publish, e.publishedHead.folder)
}

// Schedules lists the schedules that somebody may see: their own, or all.
func (s *Service) Schedules(ctx context.Context, who identity.Actor, all bool) ([]wire.ScheduleInfo, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	owner := who.Name()
	known, err := s.Store.Schedules(ctx, &owner)
	if all {
		known, err = s.Store.Schedules(ctx, nil)
	}
	if err != nil {
		return nil, err
	}
	var names []string
	known = slices.DeleteFunc(known, func(k store.Schedule) bool { return !s.seesSchedule(ctx, who, k) })
	for _, k := range known {
		names = append(names, k.Name)
	}
	last, err := s.Store.LastOccurrences(ctx, names)
	if err != nil {
		return nil, err
	}
	out := make([]wire.ScheduleInfo, len(known))
	for i, k := range known {
		out[i] = s.scheduleInfo(ctx, who, k)
		if o, ok := last[k.Name]; ok {
			summary := occurrenceSummary(o, k)
			out[i].Last = &summary
		}
	}
	return out, nil
}

func (s *Service) scheduleInfo(ctx context.Context, who identity.Actor, k store.Schedule) wire.ScheduleInfo {
	info := wire.ScheduleInfo{
		Name: k.Name, Title: k.Title, Report: k.Report, Version: k.Version, Owner: k.Owner, Own: k.Own, When: k.Rule, Zone: k.Zone,
		Paused: k.Paused, PausedBy: k.PausedBy, Changes: s.changesSchedule(ctx, who, k),
	}
	if k.Paused == "" {
		info.Next = instant(k.Next)
	}
	return info
}

func occurrenceSummary(o store.Occurrence, k store.Schedule) wire.OccurrenceSummary {
	out := wire.OccurrenceSummary{
		Occurrence: o.ID, Schedule: o.Schedule, Due: time.Unix(o.Due, 0).UTC(), Repeat: o.Repeat, State: o.State, Problem: o.Problem,
		Started: instant(o.StartedAt), Ended: instant(o.EndedAt),
	}
	if o.State == store.Retrying && o.Phase == store.PhaseRun {
		out.Retry = instant(o.TryAt)
	}
	out.DueText = out.Due.Format("2006-01-02 15:04") + " UTC"
	if zone, err := time.LoadLocation(cmp.Or(k.Zone, o.Zone)); err == nil {
		out.DueText = atClock(o.Due, zone)
	}
	return out
}

// scheduleFor gives a schedule that somebody may see; to change it where changes says so.
func (s *Service) scheduleFor(ctx context.Context, who identity.Actor, name string, change bool) (store.Schedule, error) {
	gate := admitted
	if change {
		gate = changes
	}
	if err := gate(who); err != nil {
		return store.Schedule{}, err
	}
	k, err := s.Store.Schedule(ctx, name)
	if err := other(err); err != nil {
		return k, err
	}
	if err != nil || !s.seesSchedule(ctx, who, k) {
		list, failed := s.Schedules(ctx, who, true)
		names := make([]string, len(list))
		for i, info := range list {
			names[i] = info.Name
		}
		return k, cmp.Or(failed, notFound("schedule", name, names))
	}
	if change && !s.changesSchedule(ctx, who, k) {
		return k, forbidden("This schedule is run for somebody else.", "Ask its owner, or who may publish it.")
	}
	return k, nil
}

// Schedule tells of a schedule in full: when it is due next and what its answers mean then, and
// what came of it.
func (s *Service) Schedule(ctx context.Context, who identity.Actor, name string) (wire.ScheduleDetail, error) {
	k, err := s.scheduleFor(ctx, who, name, false)
	if err != nil {
		return wire.ScheduleDetail{}, err
	}
	document, kept, err := s.scheduleOf(ctx, name, k.Version)
	if err != nil {
		return wire.ScheduleDetail{}, err
	}
	out := wire.ScheduleDetail{
		ScheduleInfo: s.scheduleInfo(ctx, who, k), Content: kept.Content, Each: document.Each.Question, Only: document.Only.Value,
		Missed: cmp.Or(k.Missed, "once"), Set: document.Inputs(), Deliver: []wire.ScheduledDelivery{}, Occurrences: []wire.OccurrenceSummary{},
	}
	times, over := document.Retry.Tries()
	out.Retries, out.RetryMinutes = times, int(over/time.Minute)
	for _, d := range document.Deliver {
		out.Deliver = append(out.Deliver, wire.ScheduledDelivery{Way: d.Way(), Target: d.Target(), Format: d.Format()})
	}
	owner, err := s.ownerOf(ctx, k.Owner)
	if err != nil {
		owner = who
	}
	if out.Times, out.Ended, err = s.upcoming(ctx, owner, k, document, shownTimes); err != nil {
		return out, err
	}
	occurrences, err := s.Store.Occurrences(ctx, name, 0, shownOccurrences)
	for _, o := range occurrences {
		out.Occurrences = append(out.Occurrences, occurrenceSummary(o, k))
	}
	if len(occurrences) > 0 {
		out.Last = &out.Occurrences[0]
	}
	return out, err
}

// upcoming are the next times of a schedule, and what its answers mean at each.
func (s *Service) upcoming(ctx context.Context, who identity.Actor, k store.Schedule, document *definition.Schedule, most int) ([]wire.DueAt, string, error) {
	timing, err := s.timing(ctx, k, s.Now().Unix())
	if err != nil {
		return []wire.DueAt{}, err.Error(), nil
	}
	reading, problems := recurrence.Describe(k.Rule, most, timing)
	if problems.Failed() {
		return nil, "", problems
	}
	job, err := s.job(ctx, who, Request{Report: document.Report, Inputs: document.Inputs()})
	if err != nil {
		return []wire.DueAt{}, "Its answers cannot be read now: " + err.Error(), nil
	}
	out := []wire.DueAt{}
	for _, t := range reading.Times {
		at := wire.DueAt{At: t.At, Meant: t.Meant, Answers: []wire.Answer{}}
		job.Context.Now = t.Due.At
		asked, values, problems := job.Read()
		for _, p := range slices.Concat(job.Problems, problems) {
			if p.Field != document.Each.Question || p.Code != "missing" { // it is answered for each
				at.Problems = append(at.Problems, p)
			}
		}
		at.Answers = append(at.Answers, answers(runner.Prepared{Questions: asked, Values: values}, job.Context.Language)...)
		out = append(out, at)
	}
	return out, reading.Ended, nil
}

// fits says what is wrong with the answers of a schedule when it is due next.
func (s *Service) fits(ctx context.Context, who identity.Actor, k store.Schedule, document *definition.Schedule) (problems diag.Problems, err error) {
	at := k.Next
	if at == 0 {
		at = s.Now().Unix()
	}
	job, err := s.job(ctx, who, Request{Report: document.Report, Inputs: document.Inputs(), due: at})
	if err != nil {
		return nil, err
	}
	_, _, found := job.Read()
	for _, p := range slices.Concat(job.Problems, found) {
		if p.Field == document.Each.Question && p.Code == "missing" {
			continue
		}
		p.Field = "set." + p.Field
		problems = append(problems, p)
	}
	return problems, nil
}

// mayPublishSchedule says what stands in the way of publishing a schedule: who publishes it owns
// it, and what it does is checked with their rights.
func (s *Service) mayPublishSchedule(ctx context.Context, who identity.Actor, d *definition.Schedule, field string) diag.Problems {
	var problems diag.Problems
	if who.IsOpen() && !s.Demonstration {
		return diag.Problems{{Code: "no_users", Field: field, Message: "Schedules run with the rights of whoever publishes them, and there are no users yet.", Hint: "Add a user: pikegate user add NAME --role administrator."}}
	}
	errors.As(s.mayDeliver(who, d, false), &problems)
	problems = append(problems, s.taken(ctx, d)...)
	k := store.Schedule{Name: d.Name}
	if err := s.know(ctx, d, &k, s.Now().Unix()); err == nil {
		found, err := s.fits(ctx, who, k, d)
		var refused diag.Problems
		if errors.As(err, &refused) {
			found = append(found, refused...)
		}
		problems = append(problems, found...)
	} else if errors.As(err, new(diag.Problems)) {
		var found diag.Problems
		errors.As(err, &found)
		problems = append(problems, found...)
	}
	for i := range problems {
		problems[i].Field = field + ": " + problems[i].Field
	}
	return problems
}

// taken says that another schedule delivers a file, or keeps a table, of the same name.
func (s *Service) taken(ctx context.Context, d *definition.Schedule) (problems diag.Problems) {
	published, err := s.Store.AllPublished(ctx, "schedule")
	if err != nil {
		return diag.Problems{{Code: "internal", Message: err.Error()}}
	}
	for _, p := range published {
		other, _, err := s.scheduleOf(ctx, p.Name, p.Number)
		if err != nil || p.Name == d.Name {
			continue
		}
		for i, way := range d.Deliver {
			if !slices.ContainsFunc(other.Deliver, func(w definition.Delivery) bool { return w.Way() == way.Way() && strings.EqualFold(w.Target(), way.Target()) }) {
				continue
			}
			switch field := fmt.Sprintf("deliver[%d].", i); way.Way() {
			case "folder":
				problems = append(problems, diag.Problem{Code: "path_taken", Field: field + "folder.file", Message: fmt.Sprintf("The schedule %s delivers the file %s.", p.Name, way.Target()), Hint: "Give this one another name; {schedule} stands for it."})
			case "keep":
				problems = append(problems, diag.Problem{Code: "path_taken", Field: field + "keep.as", Message: fmt.Sprintf("The schedule %s keeps the table %s.", p.Name, way.Target()), Hint: "Give this one another name."})
			}
		}
	}
	return problems
}

// schedulesPublished has what is known of schedules follow what was just published: those
// themselves, and those of reports and calendars. Former owners and the audit log are told.
func (s *Service) schedulesPublished(ctx context.Context, who identity.Actor, versions []store.Definition) error {
	var concerned []string
	known, err := s.Store.Schedules(ctx, nil)
	if err != nil {
		return err
	}
	for _, v := range versions {
		for _, k := range known {
			switch {
			case v.Kind == "report" && k.Report == v.Name, v.Kind == "calendar" && k.Calendar == v.Name:
				concerned = append(concerned, k.Name)
			case v.Kind == "schedule" && k.Name == v.Name && k.Owner != who.Name():
				words := fmt.Sprintf("It runs for %s from now on, who published version %d.", cmp.Or(who.Name(), "whoever is at the machine"), v.Number)
				if err := s.Store.AddNotices(ctx, store.Notice{User: k.Owner, At: s.Now().Unix(), Schedule: k.Name, Words: words}); err != nil {
					return err
				}
			}
		}
		if v.Kind == "schedule" {
			concerned = append(concerned, v.Name)
			if err := s.tellRecipients(ctx, who, v); err != nil {
				return err
			}
		}
	}
	if len(concerned) == 0 {
		return nil
	}
	if err := s.syncSchedules(ctx, concerned...); err != nil {
		return err
	}
	return s.syncOwn(ctx, concerned)
}

// syncOwn works out anew when schedules are due that people made of results.
func (s *Service) syncOwn(ctx context.Context, names []string) error {
	for _, name := range names {
		if !strings.Contains(name, ownSign) {
			continue
		}
		k, err := s.Store.Schedule(ctx, name)
		if err != nil {
			return other(err)
		}
		document, _, err := s.scheduleOf(ctx, name, k.Version)
		if err == nil {
			err = s.know(ctx, document, &k, s.Now().Unix())
		}
		if err != nil {
			s.Log.Error("a schedule cannot be planned", "schedule", name, "problem", err)
			continue
		}
		if err := s.Store.SaveSchedule(ctx, k); err != nil {
			return err
		}
	}
	return nil
}

// tellRecipients has the audit log tell that a schedule delivers elsewhere.
func (s *Service) tellRecipients(ctx context.Context, who identity.Actor, v store.Definition) error {
	targets := func(version int) (all []string) {
		if version < 1 {
			return nil
		}
		d, _, err := s.scheduleOf(ctx, v.Name, version)
		if err != nil {
			return nil
		}
		for _, way := range d.Deliver {
			all = append(all, way.Way()+" "+way.Target())
		}
		return all
	}
	before, after := targets(v.Number-1), targets(v.Number)
	if slices.Equal(before, after) {
		return nil
	}
	return s.Store.Audit(ctx, who.Entry("schedule.recipients", v.Name).With(before, after))
}

// PreviewSchedule tells when a schedule that is made of a result would be due, and what its
// answers mean then; nothing is kept.
func (s *Service) PreviewSchedule(ctx context.Context, who identity.Actor, own wire.OwnSchedule) (wire.ScheduleDetail, error) {
	if err := admitted(who); err != nil {
		return wire.ScheduleDetail{}, err
	}
	document, k, problems, err := s.ownSchedule(ctx, who, "preview"+ownSign+who.Name(), own)
	if err == nil {
		err = problems.Err()
	}
	if err != nil {
		return wire.ScheduleDetail{}, err
	}
	out := wire.ScheduleDetail{ScheduleInfo: s.scheduleInfo(ctx, who, k), Set: document.Inputs(), Deliver: []wire.ScheduledDelivery{}, Occurrences: []wire.OccurrenceSummary{}}
	out.Times, out.Ended, err = s.upcoming(ctx, who, k, document, shownTimes)
	return out, err
}

// ownSchedule makes the definition of a schedule that somebody makes of a result.
func (s *Service) ownSchedule(ctx context.Context, who identity.Actor, name string, own wire.OwnSchedule) (*definition.Schedule, store.Schedule, diag.Problems, error) {
	document := &definition.Schedule{
		Head:   definition.Head{Kind: "schedule", Name: name, Title: strings.TrimSpace(own.Title)},
		Report: own.Report, Set: map[string]definition.Given{}, When: definition.Text{Value: strings.TrimSpace(own.When)}, Zone: own.Zone, Only: definition.Text{Value: own.Only},
	}
	k := store.Schedule{Name: name, Owner: who.Name(), Own: true, Since: s.Now().Unix()}
	var problems diag.Problems
	for question, in := range own.Set {
		document.Set[question] = definition.GivenOf(in)
	}
	to := own.To
	if len(to) == 0 {
		if who.User().Email == "" {
			problems = append(problems, diag.Problem{Code: "no_address", Field: "to", Message: "There is no mail address of yours.", Hint: "Set one on your account page."})
		}
		to = []string{who.User().Email}
	}
	document.Deliver = []definition.Delivery{{Mail: definition.MailDelivery{To: definition.Recipients{Texts: to}, Format: own.Format}}}
	if who.IsOpen() && !s.Demonstration {
		problems = append(problems, diag.Problem{Code: "no_users", Message: "Schedules run with the rights of somebody, and there are no users yet.", Hint: "Add a user: pikegate user add NAME --role administrator."})
	}
	job, err := s.job(ctx, who, Request{Report: own.Report, Inputs: document.Inputs()})
	if err != nil {
		return document, k, problems, err
	}
	if document.Title == "" {
		document.Title, _ = job.Report.Heading()
	}
	if document.When.Value == "" {
		problems = append(problems, diag.Problem{Code: "missing_field", Field: "when", Message: "It is not said when it is due.", Hint: "Write every monday at 07:00, or on the 1st of every month at 06:00."})
	}
	problems = append(problems, document.Against(job.Report, job.Compiled, time.LoadLocation)...)
	var found diag.Problems
	if err := s.mayDeliver(who, document, true); errors.As(err, &found) {
		problems = append(problems, found...)
	}
	if problems.Failed() {
		return document, k, problems, nil
	}
	if err := s.know(ctx, document, &k, k.Since); err != nil {
		if !errors.As(err, &found) {
			return document, k, problems, err
		}
		problems = append(problems, found...)
		return document, k, problems, nil
	}
	found, err = s.fits(ctx, who, k, document)
	return document, k, append(problems, found...), err
}

// mostOwn is how many schedules somebody may make of results.
const mostOwn = 200

// SaveOwnSchedule keeps a schedule that somebody makes of a result, under a name of its own, or in
// the place of theirs of a name.
func (s *Service) SaveOwnSchedule(ctx context.Context, who identity.Actor, name string, own wire.OwnSchedule) (wire.ScheduleInfo, error) {
	if err := changes(who); err != nil {
		return wire.ScheduleInfo{}, err
	}
	owner := who.Name()
	mine, err := s.Store.Schedules(ctx, &owner)
	if err != nil {
		return wire.ScheduleInfo{}, err
	}
	var before store.Schedule
	if name != "" {
		if before, err = s.scheduleFor(ctx, who, name, true); err != nil {
			return wire.ScheduleInfo{}, err
		}
		if !before.Own || before.Owner != owner {
			return wire.ScheduleInfo{}, forbidden("This schedule was not made of a result by you.", "Change its definition.")
		}
	} else {
		if len(mine) >= mostOwn {
			return wire.ScheduleInfo{}, diag.Problems{{Code: "too_many", Message: fmt.Sprintf("You have %d schedules.", len(mine)), Hint: "Remove some."}}
		}
		for n := 1; name == "" || slices.ContainsFunc(mine, func(k store.Schedule) bool { return k.Name == name }); n++ {
			name = own.Report
			if n > 1 {
				name += "-" + strconv.Itoa(n)
			}
			name += ownSign + owner
		}
	}
	document, k, problems, err := s.ownSchedule(ctx, who, name, own)
	if err == nil {
		err = problems.Err()
	}
	if err != nil {
		return wire.ScheduleInfo{}, err
	}
	k.Paused, k.PausedBy, k.PausedAt = before.Paused, before.PausedBy, before.PausedAt
	d := store.Definition{Kind: "schedule", Name: name, Content: definition.WriteSchedule(document), At: s.Now().UTC().Truncate(time.Second), By: owner}
	entry := who.Entry("schedule.saved", name).With(nil, map[string]any{"report": own.Report, "to": document.Deliver[0].Mail.To.Texts})
	if k.Version, err = s.Store.SaveOwnSchedule(ctx, d, k, entry); err != nil {
		return wire.ScheduleInfo{}, err
	}
	s.keeper.Wake()
	return s.scheduleInfo(ctx, who, k), nil
}

// RemoveOwnSchedule ends a schedule that was made of a result.
func (s *Service) RemoveOwnSchedule(ctx context.Context, who identity.Actor, name string) error {
	k, err := s.scheduleFor(ctx, who, name, true)
	if err != nil {
		return err
	}
	if !k.Own {
		return forbidden("This schedule is a definition.", "Remove the definition: pikegate remove "+name+".")
	}
	return s.Store.RemoveSchedule(ctx, name, s.Now().Unix(), who.Entry("schedule.removed", name))
}

// PauseSchedule stops a schedule until it is resumed.
func (s *Service) PauseSchedule(ctx context.Context, who identity.Actor, name, why string) (wire.ScheduleInfo, error) {
	k, err := s.scheduleFor(ctx, who, name, true)
	if err != nil {
		return wire.ScheduleInfo{}, err
	}
	why = cmp.Or(strings.TrimSpace(why), "Paused by "+cmp.Or(who.Name(), "hand")+".")
	if k.Paused == "" {
		now := s.Now().Unix()
		if err := s.Store.Pause(ctx, name, why, cmp.Or(who.Name(), "hand"), now, who.Entry("schedule.paused", name).With(nil, why)); err != nil {
			return wire.ScheduleInfo{}, err
		}
		k.Paused, k.PausedBy, k.PausedAt = why, who.Name(), now
	}
	return s.scheduleInfo(ctx, who, k), nil
}

// ResumeSchedule has a schedule run again; the times that passed meanwhile are skipped.
func (s *Service) ResumeSchedule(ctx context.Context, who identity.Actor, name string) (wire.ScheduleInfo, error) {
	k, err := s.scheduleFor(ctx, who, name, true)
	if err != nil || k.Paused == "" {
		return s.scheduleInfo(ctx, who, k), err
	}
	now := s.Now().Unix()
	document, _, err := s.scheduleOf(ctx, name, k.Version)
	if err != nil {
		return wire.ScheduleInfo{}, err
	}
	since := k.Next
	if err := s.know(ctx, document, &k, now); err != nil {
		return wire.ScheduleInfo{}, err
	}
	owner, err := s.ownerOf(ctx, k.Owner)
	if err == nil {
		err = s.mayDeliver(owner, document, k.Own)
	}
	if err != nil {
		return wire.ScheduleInfo{}, err
	}
	problems, err := s.fits(ctx, owner, k, document)
	if err == nil {
		err = problems.Err()
	}
	if err != nil {
		return wire.ScheduleInfo{}, err
	}
	var passed []store.Occurrence
	if since > 0 && since <= now {
		timing, err := s.timing(ctx, k, now)
		if err != nil {
			return wire.ScheduleInfo{}, err
		}
		times, _ := schedule.Times(document.Rule(), since, now, timing)
		for _, at := range times {
			passed = append(passed, past(k, at, store.Skipped, "The schedule was paused then."))
		}
	}
	if err := s.Store.Resume(ctx, name, k.Next, passed, who.Entry("schedule.resumed", name).With(k.Paused, nil)); err != nil {
		return wire.ScheduleInfo{}, err
	}
	if err := s.Store.SaveSchedule(ctx, withoutPause(k)); err != nil { // its source and zone may be others by now
		return wire.ScheduleInfo{}, err
	}
	s.keeper.Wake()
	return s.scheduleInfo(ctx, who, withoutPause(k)), nil
}

func withoutPause(k store.Schedule) store.Schedule {
	k.Paused, k.PausedBy, k.PausedAt = "", "", 0
	return k
}

// RunSchedule runs a schedule now, or again for a time at which it was due.
func (s *Service) RunSchedule(ctx context.Context, who identity.Actor, name string, due time.Time) (wire.OccurrenceSummary, error) {
	k, err := s.scheduleFor(ctx, who, name, true)
	if err != nil {
		return wire.OccurrenceSummary{}, err
	}
	now := s.Now().Unix()
	at := now
	if !due.IsZero() {
		if at = due.Unix(); at > now {
			return wire.OccurrenceSummary{}, diag.Problems{{Code: "not_past", Field: "due", Message: "That time has not come yet.", Hint: "Leave it out to run the schedule now."}}
		}
		timing, err := s.timing(ctx, k, at)
		if err != nil {
			return wire.OccurrenceSummary{}, err
		}
		document, _, err := s.scheduleOf(ctx, name, k.Version)
		if err != nil {
			return wire.OccurrenceSummary{}, err
		}
		next, _ := document.Rule().Next(civil.Instant(at-1), timing)
		if known, err := s.Store.Occurrences(ctx, name, 0, 1000); err == nil && int64(next.At) != at && !slices.ContainsFunc(known, func(o store.Occurrence) bool { return o.Due == at }) {
			return wire.OccurrenceSummary{}, diag.Problems{{Code: "not_due", Field: "due", Message: "The schedule was not due then.", Hint: "Give one of its times: pikegate schedule show " + name + "."}}
		}
	}
	o := store.Occurrence{Schedule: name, Due: at, Owner: k.Owner, Report: k.Report, Source: k.Source, State: store.Due, Phase: store.PhaseRun, TryAt: now}
	o, err = s.Store.Again(ctx, o, who.Entry("schedule.run", name))
	s.keeper.Wake()
	return occurrenceSummary(o, k), err
}

// occurrenceFor gives an occurrence that somebody may see.
func (s *Service) occurrenceFor(ctx context.Context, who identity.Actor, id uint) (store.Occurrence, store.Schedule, error) {
	if err := admitted(who); err != nil {
		return store.Occurrence{}, store.Schedule{}, err
	}
	o, err := s.Store.Occurrence(ctx, id)
	if err := other(err); err != nil {
		return o, store.Schedule{}, err
	}
	k, failed := s.Store.Schedule(ctx, o.Schedule)
	if err := other(failed); err != nil {
		return o, k, err
	}
	if failed != nil { // it is gone; what it did stays its owner's
		k = store.Schedule{Name: o.Schedule, Owner: o.Owner, Own: true, Zone: o.Zone, Title: o.Schedule}
	}
	if err != nil || !s.seesSchedule(ctx, who, k) && o.Owner != who.Name() {
		return o, k, notFound("occurrence", strconv.FormatUint(uint64(id), 10), nil)
	}
	return o, k, nil
}

// Occurrence tells of one time at which a schedule was due, in full.
func (s *Service) Occurrence(ctx context.Context, who identity.Actor, id uint) (wire.Occurrence, error) {
	o, k, err := s.occurrenceFor(ctx, who, id)
	if err != nil {
		return wire.Occurrence{}, err
	}
	out := wire.Occurrence{
		OccurrenceSummary: occurrenceSummary(o, k), Version: o.Version, Owner: o.Owner, Report: o.Report, AsOf: o.AsOf, Zone: o.Zone, Attempts: o.Attempts,
		Parts: []wire.OccurrencePart{}, Changes: s.changesSchedule(ctx, who, k),
	}
	parts, err := s.Store.Parts(ctx, id)
	if err != nil {
		return out, err
	}
	deliveries, err := s.Store.Deliveries(ctx, id)
	for _, p := range parts {
		made := wire.OccurrencePart{
			Number: p.Number, Value: p.Value, Label: p.Label, Blank: !p.Single && p.Value == "", State: p.State, Run: p.Run, Count: p.Count, First: p.First, Last: p.Last,
			ReadBack: p.ReadBack, Problem: p.Problem, ReadAt: instant(p.ReadAt), Deliveries: []wire.DeliveryRecord{},
		}
		if p.Run > 0 { // what was found is told to whom the run is told
			run, err := s.Store.Run(ctx, p.Run)
			if err == nil {
				may, failed := s.mayShow(ctx, who, run)
				if failed != nil {
					return out, failed
				}
				if !may {
					made.Count, made.First, made.Last, made.ReadBack, made.Problem = 0, "", "", "", ""
				}
			}
		}
		for _, d := range deliveries {
			if d.Part == p.Number {
				made.Deliveries = append(made.Deliveries, deliveryRecord(d))
			}
		}
		out.Parts = append(out.Parts, made)
	}
	return out, err
}

func deliveryRecord(d store.Delivery) wire.DeliveryRecord {
	out := wire.DeliveryRecord{
		ID: d.ID, Way: d.Way, Target: d.Target, Format: d.Format, State: d.State, Attempts: d.Attempts, Problem: d.Problem, Answer: d.Told,
		SHA256: d.SHA256, Bytes: d.Bytes, Kept: d.File != "", Delivered: instant(d.DeliveredAt),
	}
	if d.State == store.Retrying {
		out.Retry = instant(d.TryAt)
	}
	return out
}

// CancelOccurrence ends what is under way of an occurrence.
func (s *Service) CancelOccurrence(ctx context.Context, who identity.Actor, id uint) error {
	if err := changes(who); err != nil {
		return err
	}
	o, k, err := s.occurrenceFor(ctx, who, id)
	if err != nil {
		return err
	}
	if !s.changesSchedule(ctx, who, k) {
		return forbidden("This schedule is run for somebody else.", "Ask its owner, or who may publish it.")
	}
	if o.Phase == store.PhaseEnded {
		return diag.Problems{{Code: "ended", Message: "Nothing of it is under way.", Hint: "Run it again instead."}}
	}
	return s.Store.CancelOccurrence(ctx, id, s.Now().Unix(), who.Entry("occurrence.cancelled", strconv.FormatUint(uint64(id), 10)))
}

// VerifyFile tells which deliveries a file is of, by the SHA-256 of its bytes in hexadecimal; none
// where it is of none. Who may see the run is told what it was.
func (s *Service) VerifyFile(ctx context.Context, who identity.Actor, sha256 string) ([]wire.Provenance, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	list, err := s.Store.DeliveriesOf(ctx, strings.ToLower(sha256))
	out := []wire.Provenance{}
	for _, d := range list {
		o, _, failed := s.occurrenceFor(ctx, who, d.Occurrence)
		full := failed == nil
		if !full {
			if o, failed = s.Store.Occurrence(ctx, d.Occurrence); failed != nil {
				return out, failed
			}
		}
		parts, err := s.Store.Parts(ctx, d.Occurrence)
		if err != nil || d.Part < 1 || d.Part > len(parts) {
			return out, err
		}
		told, err := s.provenanceOf(ctx, d, o, parts[d.Part-1], time.Unix(d.DeliveredAt, 0))
		if err != nil {
			return out, err
		}
		if !full {
			told = wire.Provenance{SHA256: told.SHA256, Bytes: told.Bytes, Schedule: told.Schedule, Occurrence: told.Occurrence, Part: told.Part, Delivery: told.Delivery, Way: told.Way, Delivered: told.Delivered}
		}
		out = append(out, told)
	}
	return out, err
}

// mostNotices is how many notices are listed.
const mostNotices = 50

// Notices lists what happened without somebody that they are to know of.
func (s *Service) Notices(ctx context.Context, who identity.Actor) ([]wire.Notice, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	list, err := s.Store.Notices(ctx, who.Name(), who.Administers(), mostNotices)
	out := make([]wire.Notice, len(list))
	for i, n := range list {
		out[i] = wire.Notice{Number: n.ID, At: time.Unix(n.At, 0).UTC(), Schedule: n.Schedule, Occurrence: n.Occurrence, Words: n.Words}
		if k, err := s.Store.Schedule(ctx, n.Schedule); err == nil {
			out[i].Title = k.Title
		}
	}
	return out, err
}

// DropNotice takes a notice away that was read.
func (s *Service) DropNotice(ctx context.Context, who identity.Actor, number uint) error {
	if err := changes(who); err != nil {
		return err
	}
	return orNotFound(s.Store.DropNotice(ctx, number, who.Name(), who.Administers()), "notice", strconv.FormatUint(uint64(number), 10))
}

// WhereTo tells where schedules may deliver.
func (s *Service) WhereTo(ctx context.Context, who identity.Actor) (wire.Destinations, error) {
	if err := admitted(who); err != nil {
		return wire.Destinations{}, err
	}
	out := wire.Destinations{Mails: s.Destinations.Mail.Server != "", Mailbox: s.Destinations.Mailbox, Address: who.User().Email, Places: []wire.Destination{}}
	for _, place := range s.Destinations.Places() {
		if may := who.MayDeliver(place); may || who.Authors() {
			out.Places = append(out.Places, wire.Destination{Place: place, May: may})
		}
	}
	return out, nil
}

// HandOver gives the schedules of somebody who leaves to somebody else: they run with the rights
// of that one from then on.
func (s *Service) HandOver(ctx context.Context, who identity.Actor, from, to string) ([]wire.ScheduleInfo, error) {
	if err := administratorChanges(who); err != nil {
		return nil, err
	}
	if _, err := s.Store.User(ctx, to); err != nil {
		return nil, orNotFound(err, "user", to)
	}
	mine, err := s.Store.Schedules(ctx, &from)
	if err != nil {
		return nil, err
	}
	out, names := []wire.ScheduleInfo{}, []string{}
	for _, k := range mine {
		names = append(names, k.Name)
		k.Owner = to
		out = append(out, s.scheduleInfo(ctx, who, k))
	}
	if len(names) == 0 {
		return out, nil
	}
	now := s.Now().Unix()
	err = s.Store.HandOver(ctx, names, to, who.Entry("schedules.handed_over", from).With(names, to))
	if err == nil && from != "" {
		err = s.Store.AddNotices(ctx, store.Notice{User: to, At: now, Words: fmt.Sprintf("You were given the schedules of %s: %s.", from, strings.Join(names, ", "))})
	}
	return out, err
}
