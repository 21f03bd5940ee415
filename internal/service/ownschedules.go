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
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// ownSign stands in the names of schedules that were made of a result, before their owner.
const ownSign = "@"

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
		Report: own.Report, Overview: own.Overview, Set: map[string]definition.Given{}, When: definition.Text{Value: strings.TrimSpace(own.When)}, Zone: own.Zone, Only: definition.Text{Value: own.Only},
	}
	k := store.Schedule{Name: name, Owner: who.Name(), Own: true, Since: s.Now().Unix()}
	var problems diag.Problems
	for question, in := range own.Set {
		document.Set[question] = definition.GivenOf(in)
	}
	to := own.To
	if address := who.User().Email; len(to) == 0 && address != "" {
		to = []string{address}
	}
	if len(to) == 0 {
		problems = append(problems, diag.Problem{Code: "no_address", Field: "to", Message: "There is no mail address of yours.", Hint: "Set one on your account page, or name another."})
	} else {
		document.Deliver = []definition.Delivery{{Mail: definition.MailDelivery{To: definition.Recipients{Texts: to}, Format: own.Format}}}
	}
	if who.IsOpen() && !s.Demonstration {
		problems = append(problems, diag.Problem{Code: "no_users", Message: "Schedules run with the rights of somebody, and there are no users yet.", Hint: "Add a user: pikegate user add NAME --role administrator."})
	}
	if (own.Report == "") == (own.Overview == "") {
		return document, k, diag.Problems{{Code: "missing_field", Field: "report", Message: "It is not said what is run.", Hint: "Name a report or an overview, one of both."}}, nil
	}
	job, page, err := s.scheduledJob(ctx, who, document, 0)
	if err != nil {
		return document, k, problems, err
	}
	if document.Title == "" {
		document.Title, _ = job.Report.Heading()
	}
	if document.When.Value == "" {
		problems = append(problems, diag.Problem{Code: "missing_field", Field: "when", Message: "It is not said when it is due.", Hint: "Write every monday at 07:00, or on the 1st of every month at 06:00."})
	}
	if page != nil {
		problems = append(problems, document.AgainstOverview(page.asking.Questions, time.LoadLocation)...)
	} else {
		problems = append(problems, document.Against(job.Report, job.Compiled, time.LoadLocation)...)
	}
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
	if timing, err := s.timing(ctx, k, k.Since); err == nil {
		times, _ := document.Rule().Upcoming(civil.Instant(k.Since), 20, timing)
		for i := 1; i < len(times); i++ {
			if int64(times[i].At-times[i-1].At) < int64(closest/time.Second) {
				problems = append(problems, diag.Problem{Code: "too_often", Field: "when", Message: "What is made of a result comes every 15 minutes at the most.", Hint: "Choose a longer pause, or ask an author for a schedule."})
				return document, k, problems, nil
			}
		}
	}
	found, err = s.fits(ctx, who, k, document)
	return document, k, append(problems, found...), err
}

// closest is how close to each other the times may be at which a schedule is due that was made of a
// result.
const closest = 15 * time.Minute

// mostOwn is how many schedules somebody may make of results.
const mostOwn = 200

// SaveOwnSchedule keeps a schedule that somebody makes of a result, under a name of its own, or in
// the place of theirs of a name.
func (s *Service) SaveOwnSchedule(ctx context.Context, who identity.Actor, name string, own wire.OwnSchedule) (wire.ScheduleInfo, error) {
	if err := changes(who); err != nil {
		return wire.ScheduleInfo{}, err
	}
	owner, runs := who.Name(), cmp.Or(own.Report, own.Overview)
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
			name = runs
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
	entry := who.Entry("schedule.saved", name).With(nil, map[string]any{"report": runs, "to": document.Deliver[0].Mail.To.Texts})
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
