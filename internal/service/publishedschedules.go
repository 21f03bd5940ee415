package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/recurrence"
	"pikegate/internal/identity"
	"pikegate/internal/store"
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
	_, k.Report = document.Runs()
	k.Missed = document.Missed
	k.Title, _ = document.Heading()
	k.Rule = document.Rule().String()
	for _, d := range document.Deliver {
		if k.Missed == "" && d.Way() == "keep" && d.Keep.How == "append" {
			k.Missed = "each"
		}
	}
	report, query, err := s.publishedLead(ctx, document)
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

// publishedLead is the report that a schedule goes by: of an overview, that of the first part
// that is there.
func (s *Service) publishedLead(ctx context.Context, d *definition.Schedule) (*definition.Report, *definition.Query, error) {
	if d.Overview == "" {
		return s.publishedReport(ctx, d.Report)
	}
	kept, err := s.Store.Published(ctx, "overview", d.Overview)
	if err != nil {
		return nil, nil, orNotFound(err, "published overview", d.Overview)
	}
	documents, err := decoded(kept.Content)
	if err != nil {
		return nil, nil, err
	}
	for _, part := range documents[0].(*definition.Overview).Parts {
		report, query, found := s.publishedReport(ctx, part.Report)
		if found == nil {
			return report, query, nil
		}
		err = found
	}
	return nil, nil, err
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
	err := s.know(ctx, d, &k, s.Now().Unix())
	if err == nil {
		var found diag.Problems
		found, err = s.fits(ctx, who, k, d)
		problems = append(problems, found...)
	}
	var refused diag.Problems
	if errors.As(err, &refused) {
		problems = append(problems, refused...)
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
			if !slices.ContainsFunc(other.Deliver, func(w definition.Delivery) bool {
				return w.Way() == way.Way() && strings.EqualFold(w.Target(), way.Target())
			}) {
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
			case (v.Kind == "report" || v.Kind == "overview") && k.Report == v.Name, v.Kind == "calendar" && k.Calendar == v.Name:
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
