package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
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

// How many times and occurrences are shown of a schedule.
const (
	shownTimes       = 5
	shownOccurrences = 50
)

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
	mine := who.Name()
	owner := &mine
	if all {
		owner = nil
	}
	known, err := s.Store.Schedules(ctx, owner)
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
		Name: k.Name, Title: k.Title, Report: k.Report, Overview: s.runsOverview(ctx, k), Version: k.Version, Owner: k.Owner, Own: k.Own, When: k.Rule, Zone: k.Zone,
		Paused: k.Paused, PausedBy: k.PausedBy, Changes: s.changesSchedule(ctx, who, k),
	}
	if k.Paused == "" {
		info.Next = instant(k.Next)
	}
	return info
}

// runsOverview tells whether a schedule runs an overview rather than a report.
func (s *Service) runsOverview(ctx context.Context, k store.Schedule) bool {
	d, _, err := s.scheduleOf(ctx, k.Name, k.Version)
	return err == nil && d.Overview != ""
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
	job, _, err := s.scheduledJob(ctx, who, document, 0)
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
	job, page, err := s.scheduledJob(ctx, who, document, at)
	if err != nil {
		return nil, err
	}
	_, _, found := job.Read()
	found = slices.Concat(job.Problems, found)
	if page != nil {
		found = append(found, page.refused(found)...)
	}
	for _, p := range found {
		if p.Field == document.Each.Question && p.Code == "missing" {
			continue
		}
		p.Field = "set." + p.Field
		problems = append(problems, p)
	}
	return problems, nil
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
	why := k.Paused
	k.Paused, k.PausedBy, k.PausedAt = "", "", 0
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
	if err := s.Store.Resume(ctx, k, passed, who.Entry("schedule.resumed", name).With(why, nil)); err != nil { // its source and zone may be others by now
		return wire.ScheduleInfo{}, err
	}
	s.keeper.Wake()
	return s.scheduleInfo(ctx, who, k), nil
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
	o := store.Occurrence{Schedule: name, Due: at, Version: k.Version, Owner: k.Owner, Report: k.Report, Source: k.Source, State: store.Due, Phase: store.PhaseRun, TryAt: now}
	o, err = s.Store.Again(ctx, o, who.Entry("schedule.run", name))
	s.keeper.Wake()
	return occurrenceSummary(o, k), err
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
