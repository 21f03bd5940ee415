package store

import (
	"context"
	"errors"
	"slices"

	"gorm.io/gorm"
)

// The states of an occurrence.
const (
	Due             = "due"
	OccurrenceRuns  = "running"
	Retrying        = "retrying"
	Delivered       = "delivered"
	PartlyDelivered = "partly_delivered"
	NothingToSend   = "nothing_to_send"
	Failed          = "failed"
	Missed          = "missed"
	Skipped         = "skipped"
	Cancelled       = "cancelled"
)

// The states of a delivery, besides Delivered, Failed, Retrying, NothingToSend and Cancelled.
const (
	Waiting = "waiting" // for the run
	Ready   = "ready"
	Sending = "sending"
)

// The phases of what is worked on.
const (
	PhaseRun     = "run"
	PhaseDeliver = "deliver"
	PhaseEnded   = "ended"
)

// Occurrence is one time at which a schedule is due.
type Occurrence struct {
	ID       uint `gorm:"primaryKey;autoIncrement"`
	Schedule string
	// Due is the time it is due, Repeat counts the times it was run again.
	Due    int64
	Repeat int
	// Version is that of the schedule it was due by.
	Version               int
	Owner, Report, Source string
	State, Phase, Problem string
	// AsOf and Zone are how its dates were read.
	AsOf, Zone string
	// Attempts counts those that were begun, Failures those that failed: the others were broken off.
	Attempts, Failures int
	// TryAt is when it is tried, LeaseUntil how long whoever holds Lease works on it.
	TryAt              int64
	Lease              string
	LeaseUntil         int64
	StartedAt, EndedAt int64
}

// Part is what was made for one value of the question that a schedule goes through, or for all.
type Part struct {
	Occurrence uint `gorm:"primaryKey;autoIncrement:false"`
	Number     int  `gorm:"primaryKey;autoIncrement:false"`
	// Value is the answer, "" for blank; Single tells that there is no such question.
	Value, Label string
	Single       bool
	State        string
	Run          uint
	Count        int64
	First, Last  string
	// ReadBack is what was selected, Totals are JSON.
	ReadBack, Totals, Problem string
	// ReadAt is when the records were read.
	ReadAt int64
}

// Delivery is one file, mail, request or kept result of a part. ID is the identity it has
// however often it is tried.
type Delivery struct {
	ID         string `gorm:"primaryKey"`
	Occurrence uint
	Part       int
	// Number is its place among the deliveries of the definition.
	Number int
	Owner  string
	Way    string
	// Target is the path, address, URL or table; Lane is what it takes the room of.
	Target, Lane string
	// Spec is JSON: what else the definition says of it.
	Spec   string
	Format string
	// File is in the spool; blank where none is delivered, or it is kept no longer.
	File   string
	SHA256 string `gorm:"column:sha256"`
	Bytes  int64
	State  string
	Phase  string
	// Attempts counts those that were begun, Failures those that failed.
	Attempts, Failures int
	TryAt              int64
	Lease              string
	LeaseUntil         int64
	Problem            string
	DeliveredAt        int64
	// Told is what the other side answered.
	Told string
}

// Lease is the work on something for a while.
type Lease struct {
	Name       string
	Now, Until int64
}

// take leases the next of a kind: that of the first owner after one, who is not busy.
func (s *Store) take(ctx context.Context, table, column, phase, of, after string, busy []string, l Lease, row any, changes map[string]any, key func() (string, any)) error {
	return s.write(ctx, false, func(tx *gorm.DB) error { // after a power failure nobody holds a lease
		pick := func(compare string) error {
			query := tx.Table(table).Where("phase = '"+phase+"' and "+column+" = ? and owner "+compare+" ? and try_at <= ? and lease_until <= ?", of, after, l.Now, l.Now)
			if len(busy) > 0 {
				query = query.Where("owner not in ?", busy)
			}
			return query.Order("owner, try_at, " + orderOf[table]).Limit(1).Take(row).Error
		}
		err := pick(">")
		if errors.Is(err, gorm.ErrRecordNotFound) {
			err = pick("<=")
		}
		if err != nil {
			return found(err)
		}
		where, id := key()
		changes["lease"], changes["lease_until"] = l.Name, l.Until
		changes["attempts"] = gorm.Expr("attempts + 1")
		return tx.Table(table).Where(where, id).Updates(changes).Error
	})
}

// orderOf is what comes first of what is equally long due.
var orderOf = map[string]string{occurrencesTable: "due, id", deliveriesTable: "occurrence, part, number"}

// TakeOccurrence leases the next occurrence of a source that is to be run: that of the first
// owner after one, in turn, none of those who are busy. ErrNotFound says that there is none.
func (s *Store) TakeOccurrence(ctx context.Context, source, after string, busy []string, l Lease) (Occurrence, error) {
	var o Occurrence
	err := s.take(ctx, occurrencesTable, "source", PhaseRun, source, after, busy, l, &o,
		map[string]any{"state": OccurrenceRuns, "started_at": gorm.Expr("case when started_at = 0 then ? else started_at end", l.Now)},
		func() (string, any) { return "id = ?", o.ID })
	o.Attempts, o.Lease, o.LeaseUntil, o.State = o.Attempts+1, l.Name, l.Until, OccurrenceRuns
	return o, err
}

// TakeDelivery leases the next delivery of a lane, in the same way.
func (s *Store) TakeDelivery(ctx context.Context, lane, after string, busy []string, l Lease) (Delivery, error) {
	var d Delivery
	err := s.take(ctx, deliveriesTable, "lane", PhaseDeliver, lane, after, busy, l, &d, map[string]any{"state": Sending}, func() (string, any) { return "id = ?", d.ID })
	d.Attempts, d.Lease, d.LeaseUntil, d.State = d.Attempts+1, l.Name, l.Until, Sending
	return d, err
}

// Renew lengthens leases that are still held.
func (s *Store) Renew(ctx context.Context, lease string, until int64) error {
	return s.write(ctx, false, func(tx *gorm.DB) error {
		return errors.Join(
			tx.Table(occurrencesTable).Where("lease = ? and phase = ?", lease, PhaseRun).Update("lease_until", until).Error,
			tx.Table(deliveriesTable).Where("lease = ? and phase = ?", lease, PhaseDeliver).Update("lease_until", until).Error,
		)
	})
}

// Orphans ends the leases of processes that are gone.
func (s *Store) Orphans(ctx context.Context) error {
	return s.write(ctx, true, func(tx *gorm.DB) error {
		return errors.Join(
			tx.Exec("update occurrences set lease = '', lease_until = 0 where lease <> ''").Error,
			tx.Exec("update deliveries set lease = '', lease_until = 0 where lease <> ''").Error,
		)
	})
}

// held makes a change of an occurrence as long as its lease is held.
func held(tx *gorm.DB, o Occurrence, changes map[string]any) error {
	done := tx.Table(occurrencesTable).Where("id = ? and lease = ? and phase = ?", o.ID, o.Lease, PhaseRun).Updates(changes)
	if done.Error == nil && done.RowsAffected == 0 {
		return ErrLeaseLost
	}
	return done.Error
}

// NoteParts notes the parts of an occurrence and the deliveries of each, once: the version, the
// day and the zone it is run with as well.
func (s *Store) NoteParts(ctx context.Context, o Occurrence, parts []Part, deliveries []Delivery) error {
	return s.write(ctx, false, func(tx *gorm.DB) error { // the disk holds it with the first part that was run
		if err := held(tx, o, map[string]any{"version": o.Version, "as_of": o.AsOf, "zone": o.Zone}); err != nil {
			return err
		}
		return errors.Join(
			tx.Table(partsTable).CreateInBatches(parts, 100).Error,
			tx.Table(deliveriesTable).CreateInBatches(deliveries, 50).Error,
		)
	})
}

// NotePart notes that a part was run, and what is delivered of it.
func (s *Store) NotePart(ctx context.Context, o Occurrence, p Part, deliveries []Delivery) error {
	return s.write(ctx, true, func(tx *gorm.DB) error {
		if err := held(tx, o, map[string]any{"lease": o.Lease}); err != nil {
			return err
		}
		if err := tx.Table(partsTable).Where("occurrence = ? and number = ?", p.Occurrence, p.Number).Select("*").Updates(&p).Error; err != nil {
			return err
		}
		for _, d := range deliveries {
			if err := tx.Table(deliveriesTable).Where("id = ?", d.ID).Select("File", "SHA256", "Bytes", "State", "Phase", "TryAt").Updates(&d).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// EndRun says how the run of an occurrence ended: with everything spooled, to be tried again, or
// failed. The notices tell of it.
func (s *Store) EndRun(ctx context.Context, o Occurrence, notices ...Notice) error {
	return s.write(ctx, false, func(tx *gorm.DB) error { // what was run is noted with its parts
		if err := held(tx, o, map[string]any{"state": o.State, "phase": o.Phase, "problem": o.Problem, "failures": o.Failures, "try_at": o.TryAt, "lease": "", "lease_until": 0, "ended_at": o.EndedAt}); err != nil {
			return err
		}
		if o.State == Failed {
			if err := tx.Exec("update deliveries set state = 'cancelled', phase = 'ended' where occurrence = ? and phase <> 'ended'", o.ID).Error; err != nil {
				return err
			}
		}
		if o.Phase == PhaseDeliver { // all may be over already
			if err := settle(tx, o.ID, o.EndedAt); err != nil {
				return err
			}
		}
		if len(notices) > 0 {
			return tx.Table(noticesTable).Create(notices).Error
		}
		return nil
	})
}

// EndDelivery says how an attempt to deliver ended, and with the last what became of the
// occurrence.
func (s *Store) EndDelivery(ctx context.Context, d Delivery, now int64, notices ...Notice) error {
	return s.write(ctx, true, func(tx *gorm.DB) error {
		done := tx.Table(deliveriesTable).Where("id = ? and lease = ? and phase = ?", d.ID, d.Lease, PhaseDeliver).
			Updates(map[string]any{"state": d.State, "phase": d.Phase, "problem": d.Problem, "failures": d.Failures, "try_at": d.TryAt, "delivered_at": d.DeliveredAt, "told": d.Told, "lease": "", "lease_until": 0})
		if done.Error == nil && done.RowsAffected == 0 {
			return ErrLeaseLost
		}
		if done.Error != nil {
			return done.Error
		}
		if len(notices) > 0 {
			if err := tx.Table(noticesTable).Create(notices).Error; err != nil {
				return err
			}
		}
		return settle(tx, d.Occurrence, now)
	})
}

// settle works out the state of an occurrence from those of its deliveries, once its run has
// ended.
func settle(tx *gorm.DB, id uint, now int64) error {
	var counts []struct {
		State, Phase string
		N            int
	}
	if err := tx.Table(deliveriesTable).Where("occurrence = ?", id).Select("state, phase, count(*) as n").Group("state, phase").Scan(&counts).Error; err != nil {
		return err
	}
	by, open := map[string]int{}, 0
	for _, c := range counts {
		by[c.State] += c.N
		if c.Phase != PhaseEnded {
			open += c.N
		}
	}
	state := Outcome(by, open)
	changes := map[string]any{"state": state}
	if open == 0 {
		changes["phase"], changes["ended_at"] = PhaseEnded, now
	}
	return tx.Table(occurrencesTable).Where("id = ? and phase = ?", id, PhaseDeliver).Updates(changes).Error
}

// Outcome is the state of an occurrence that has run, by how many of its deliveries are in which
// state and how many are still open.
func Outcome(by map[string]int, open int) string {
	switch {
	case open > 0 && by[Retrying] > 0:
		return Retrying
	case open > 0:
		return OccurrenceRuns
	case by[Failed] > 0 && by[Delivered] > 0:
		return PartlyDelivered
	case by[Failed] > 0:
		return Failed
	case by[Delivered] > 0:
		return Delivered
	case by[Cancelled] > 0:
		return Cancelled
	}
	return NothingToSend
}

// Occurrence gives an occurrence.
func (s *Store) Occurrence(ctx context.Context, id uint) (Occurrence, error) {
	var o Occurrence
	err := s.db.WithContext(ctx).Table(occurrencesTable).Take(&o, "id = ?", id).Error
	return o, found(err)
}

// Occurrences lists those of a schedule, the newest first.
func (s *Store) Occurrences(ctx context.Context, schedule string, before uint, most int) ([]Occurrence, error) {
	list := []Occurrence{}
	query := s.db.WithContext(ctx).Table(occurrencesTable).Where("schedule = ?", schedule)
	if before > 0 {
		query = query.Where("id < ?", before)
	}
	return list, query.Order("id desc").Limit(most).Find(&list).Error
}

// LastOccurrences are the newest occurrence of each schedule, by its name.
func (s *Store) LastOccurrences(ctx context.Context, schedules []string) (map[string]Occurrence, error) {
	last := map[string]Occurrence{}
	for len(schedules) > 0 {
		some := schedules[:min(len(schedules), 500)]
		schedules = schedules[len(some):]
		var list []Occurrence
		err := s.db.WithContext(ctx).Table(occurrencesTable).Where("id in (select max(id) from occurrences where schedule in ? group by schedule)", some).Find(&list).Error
		if err != nil {
			return nil, err
		}
		for _, o := range list {
			last[o.Schedule] = o
		}
	}
	return last, nil
}

// Waiting is how many occurrences of a schedule are still to be run, up to a number.
func (s *Store) Waiting(ctx context.Context, schedule string, most int) (n int, err error) {
	err = s.db.WithContext(ctx).Raw("select count(*) from (select 1 from occurrences where phase = 'run' and schedule = ? limit ?)", schedule, most).Scan(&n).Error
	return n, err
}

// Parts lists the parts of an occurrence.
func (s *Store) Parts(ctx context.Context, occurrence uint) ([]Part, error) {
	list := []Part{}
	return list, s.db.WithContext(ctx).Table(partsTable).Where("occurrence = ?", occurrence).Order("number").Find(&list).Error
}

// Part gives a part of an occurrence.
func (s *Store) Part(ctx context.Context, occurrence uint, number int) (Part, error) {
	var p Part
	err := s.db.WithContext(ctx).Table(partsTable).Take(&p, "occurrence = ? and number = ?", occurrence, number).Error
	return p, found(err)
}

// Deliveries lists the deliveries of an occurrence.
func (s *Store) Deliveries(ctx context.Context, occurrence uint) ([]Delivery, error) {
	list := []Delivery{}
	return list, s.db.WithContext(ctx).Table(deliveriesTable).Where("occurrence = ?", occurrence).Order("part, number, id").Find(&list).Error
}

// DeliveriesOf lists those that delivered a file, by the SHA-256 of its bytes in hexadecimal, the
// newest first.
func (s *Store) DeliveriesOf(ctx context.Context, sha256 string) ([]Delivery, error) {
	list := []Delivery{}
	return list, s.db.WithContext(ctx).Table(deliveriesTable).Where("sha256 = ? and state = ?", sha256, Delivered).Order("delivered_at desc").Limit(20).Find(&list).Error
}

// LastAt are the schedules that delivered last to targets in a way, by target.
func (s *Store) LastAt(ctx context.Context, way string, targets []string) (map[string]string, error) {
	last := map[string]string{}
	for some := range slices.Chunk(targets, 500) {
		var list []struct{ Target, Schedule string }
		err := s.db.WithContext(ctx).Table(deliveriesTable+" d").Joins("join occurrences o on o.id = d.occurrence").
			Where("d.way = ? and d.target in ? and d.state = ?", way, some, Delivered).Group("d.target").Select("d.target, o.schedule, max(d.delivered_at)").Find(&list).Error // SQLite takes the schedule of the row with the maximum
		if err != nil {
			return nil, err
		}
		for _, d := range list {
			last[d.Target] = d.Schedule
		}
	}
	return last, nil
}

// Wakes is the next instant at which there is something to do after one, 0 where nothing waits.
func (s *Store) Wakes(ctx context.Context, now int64) (int64, error) {
	var at int64
	err := s.db.WithContext(ctx).Raw(`select coalesce(min(at), 0) from (
		select min(next) as at from schedules where paused = '' and next > 0
		union all select min(max(try_at, lease_until)) from occurrences where phase = 'run'
		union all select min(max(try_at, lease_until)) from deliveries where phase = 'deliver') where at > ?`, now).Scan(&at).Error
	return at, err
}

// CancelOccurrence ends what is under way of an occurrence.
func (s *Store) CancelOccurrence(ctx context.Context, id uint, now int64, e Entry) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error { return cancel(tx, "id = ?", now, id) })
}

// Spooled lists files of the spool whose occurrence ended before an instant, and forgets them.
func (s *Store) Spooled(ctx context.Context, before int64, most int) (files []string, err error) {
	err = s.write(ctx, true, func(tx *gorm.DB) error {
		const ended = "file <> '' and occurrence in (select id from occurrences where phase = 'ended' and ended_at < ?)"
		if err := tx.Table(deliveriesTable).Where(ended, before).Distinct().Limit(most).Pluck("file", &files).Error; err != nil || len(files) == 0 {
			return err
		}
		return tx.Table(deliveriesTable).Where("file in ?", files).Update("file", "").Error
	})
	return files, err
}

// PruneOccurrences forgets what ended before an instant, some at a time; it tells whether there
// was any.
func (s *Store) PruneOccurrences(ctx context.Context, before int64) (more bool, err error) {
	err = s.write(ctx, false, func(tx *gorm.DB) error {
		var old []uint
		if err := tx.Table(occurrencesTable).Where("phase = ? and ended_at < ?", PhaseEnded, before).Limit(atATime).Pluck("id", &old).Error; err != nil || len(old) == 0 {
			return err
		}
		more = true
		return errors.Join(
			tx.Table(deliveriesTable).Delete(&Delivery{}, "occurrence in ?", old).Error,
			tx.Table(partsTable).Delete(&Part{}, "occurrence in ?", old).Error,
			tx.Table(occurrencesTable).Delete(&Occurrence{}, "id in ?", old).Error,
		)
	})
	return more, err
}
