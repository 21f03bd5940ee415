package service

import (
	"cmp"
	"context"
	"strconv"
	"strings"
	"time"

	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

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
		part, err := s.Store.Part(ctx, d.Occurrence, d.Part)
		if err != nil {
			return out, err
		}
		told, err := s.provenanceOf(ctx, d, o, part, time.Unix(d.DeliveredAt, 0))
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
