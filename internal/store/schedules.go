package store

import (
	"context"
	"errors"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Schedule is what is known of a schedule besides its definition. Instants are seconds since
// 1970 UTC, 0 for none.
type Schedule struct {
	Name    string `gorm:"primaryKey"`
	Version int
	// Owner is whose rights it runs with, blank in the open state.
	Owner string
	// Own tells that it was made of a result, and belongs to its owner alone.
	Own            bool
	Report, Source string
	// Rule is when it is due, read in Zone and by Calendar, which is blank for none; Missed is what
	// becomes of times that passed.
	Rule, Zone, Calendar, Missed string
	// Title is what people read.
	Title string
	// Paused says why nothing is run, blank where it is; PausedBy is who did it, PausedAt when.
	Paused, PausedBy string
	PausedAt         int64
	// Next is when it is due next, Since from when on its version takes effect.
	Next, Since int64
}

// Notice tells somebody of something that happened without them. Everyone who administers is
// told where User is "*".
type Notice struct {
	ID       uint `gorm:"primaryKey;autoIncrement"`
	User     string
	At       int64
	Schedule string
	// Occurrence is 0 where it is about the schedule as a whole.
	Occurrence uint
	Words      string
}

// ErrLeaseLost says that somebody else works on it by now.
var ErrLeaseLost = errors.New("store: the lease was lost")

const (
	schedulesTable   = "schedules"
	occurrencesTable = "occurrences"
	partsTable       = "parts"
	deliveriesTable  = "deliveries"
	noticesTable     = "notices"
)

// SaveSchedule adds what is known of a schedule, or replaces it.
func (s *Store) SaveSchedule(ctx context.Context, k Schedule) error {
	return s.write(ctx, true, func(tx *gorm.DB) error { return saveSchedule(tx, k) })
}

func saveSchedule(tx *gorm.DB, k Schedule) error {
	return tx.Table(schedulesTable).Clauses(clause.OnConflict{UpdateAll: true}).Create(&k).Error
}

// SaveOwnSchedule keeps a schedule that somebody made of a result, as the next version of its
// definition.
func (s *Store) SaveOwnSchedule(ctx context.Context, d Definition, k Schedule, e Entry) (int, error) {
	err := s.audited(ctx, e, func(tx *gorm.DB) error {
		if err := tx.Model(&versionRow{}).Where("kind = ? and name = ?", d.Kind, d.Name).Select("coalesce(max(number), 0) + 1").Scan(&d.Number).Error; err != nil {
			return err
		}
		row := versionRowOf(d)
		k.Version = d.Number
		return errors.Join(
			tx.Create(&row).Error, tx.Delete(&retiredRow{}, "kind = ? and name = ?", d.Kind, d.Name).Error,
			saveSchedule(tx, k),
		)
	})
	return d.Number, err
}

// RemoveSchedule forgets a schedule; what it did stays. What it has under way is cancelled.
func (s *Store) RemoveSchedule(ctx context.Context, name string, now int64, e Entry) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		return errors.Join(
			tx.Table(schedulesTable).Delete(&Schedule{}, "name = ?", name).Error,
			cancel(tx, "schedule = ?", now, name),
		)
	})
}

// cancel ends what is under way of some occurrences.
func cancel(tx *gorm.DB, which string, now int64, args ...any) error {
	return errors.Join(
		tx.Exec("update deliveries set state = 'cancelled', phase = 'ended', lease = '' where phase <> 'ended' and occurrence in (select id from occurrences where phase <> 'ended' and "+which+")", args...).Error,
		tx.Exec("update occurrences set state = 'cancelled', phase = 'ended', lease = '', ended_at = ? where phase <> 'ended' and "+which, append([]any{now}, args...)...).Error,
	)
}

// Schedule gives what is known of a schedule.
func (s *Store) Schedule(ctx context.Context, name string) (Schedule, error) {
	var k Schedule
	err := s.db.WithContext(ctx).Table(schedulesTable).Take(&k, "name = ?", name).Error
	return k, found(err)
}

// Schedules lists the schedules by name: all, or those of somebody.
func (s *Store) Schedules(ctx context.Context, owner *string) ([]Schedule, error) {
	list := []Schedule{}
	query := s.db.WithContext(ctx).Table(schedulesTable).Order("name")
	if owner != nil {
		query = query.Where("owner = ?", *owner)
	}
	return list, query.Find(&list).Error
}

// DueSchedules lists schedules that are due by an instant, the longest first.
func (s *Store) DueSchedules(ctx context.Context, now int64, most int) ([]Schedule, error) {
	var list []Schedule
	rows, err := s.db.WithContext(ctx).Table(schedulesTable).Where("paused = '' and next > 0 and next <= ?", now).Order("next, name").Limit(most).
		Select("name, version, owner, report, source, rule, zone, calendar, missed, next").Rows() // read by hand: there may be many
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var k Schedule
		if err := rows.Scan(&k.Name, &k.Version, &k.Owner, &k.Report, &k.Source, &k.Rule, &k.Zone, &k.Calendar, &k.Missed, &k.Next); err != nil {
			return nil, err
		}
		list = append(list, k)
	}
	return list, rows.Err()
}

// Planned is what a schedule is due for, and when it is due after that.
type Planned struct {
	Schedule    Schedule
	Occurrences []Occurrence
	Next        int64
}

// Plan notes occurrences and when their schedules are due next. A schedule that was planned or
// changed meanwhile is left as it is.
func (s *Store) Plan(ctx context.Context, all []Planned) error {
	return s.write(ctx, false, func(tx *gorm.DB) error {
		// By hand: many may be due at once, and the mapper takes longer than SQLite.
		exec := func(sql string, args ...any) (int64, error) {
			done, err := tx.Statement.ConnPool.ExecContext(context.Background(), sql, args...)
			if err != nil {
				return 0, err
			}
			return done.RowsAffected()
		}
		for _, p := range all {
			moved, err := exec("update schedules set next = ? where name = ? and next = ? and version = ? and paused = ''", p.Next, p.Schedule.Name, p.Schedule.Next, p.Schedule.Version)
			if err != nil {
				return err
			}
			if moved == 0 {
				continue
			}
			for _, o := range p.Occurrences {
				if _, err := exec(planOccurrence, o.Schedule, o.Due, o.Version, o.Owner, o.Report, o.Source, o.State, o.Phase, o.Problem, o.TryAt, o.EndedAt); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

const planOccurrence = `insert or ignore into occurrences (schedule, due, repeat, version, owner, report, source, state, phase, problem, as_of, zone, attempts, try_at, lease, lease_until, started_at, ended_at)
	values (?, ?, 0, ?, ?, ?, ?, ?, ?, ?, '', '', 0, ?, '', 0, 0, ?)`

// Again adds an occurrence for a time at which a schedule was or is due, as the next repeat of
// it.
func (s *Store) Again(ctx context.Context, o Occurrence, e Entry) (Occurrence, error) {
	err := s.audited(ctx, e, func(tx *gorm.DB) error {
		if err := tx.Table(occurrencesTable).Where("schedule = ? and due = ?", o.Schedule, o.Due).Select("coalesce(max(repeat) + 1, 0)").Scan(&o.Repeat).Error; err != nil {
			return err
		}
		return tx.Table(occurrencesTable).Create(&o).Error
	})
	return o, err
}

// Pause stops a schedule, unless it is; what is under way goes on. The notices tell of it.
func (s *Store) Pause(ctx context.Context, name, why, by string, now int64, e Entry, notices ...Notice) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		done := tx.Table(schedulesTable).Where("name = ? and paused = ''", name).Updates(map[string]any{"paused": why, "paused_by": by, "paused_at": now})
		if done.Error != nil || done.RowsAffected == 0 || len(notices) == 0 {
			return done.Error
		}
		return tx.Table(noticesTable).Create(notices).Error
	})
}

// Resume has a schedule run again, as is known of it now; the times that passed meanwhile are noted.
func (s *Store) Resume(ctx context.Context, k Schedule, passed []Occurrence, e Entry) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		if err := saveSchedule(tx, k); err != nil || len(passed) == 0 {
			return err
		}
		return tx.Table(occurrencesTable).Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(passed, 100).Error
	})
}

// waiting are the sources, or lanes, that something waits in.
func (s *Store) waiting(ctx context.Context, table, column, phase string, now int64) (list []string, err error) {
	err = s.db.WithContext(ctx).Table(table).Where("phase = '"+phase+"' and try_at <= ? and lease_until <= ?", now, now). // written out: the index is of this phase
																Distinct().Order(column).Pluck(column, &list).Error
	return list, err
}

// WaitingSources are the sources of occurrences that are to be run now.
func (s *Store) WaitingSources(ctx context.Context, now int64) ([]string, error) {
	return s.waiting(ctx, occurrencesTable, "source", PhaseRun, now)
}

// WaitingLanes are the lanes of deliveries that are to be made now.
func (s *Store) WaitingLanes(ctx context.Context, now int64) ([]string, error) {
	return s.waiting(ctx, deliveriesTable, "lane", PhaseDeliver, now)
}

// Notices lists what somebody was told, the newest first; those for administrators as well
// where administers.
func (s *Store) Notices(ctx context.Context, user string, administers bool, most int) ([]Notice, error) {
	list := []Notice{}
	users := []string{user}
	if administers {
		users = append(users, "*")
	}
	return list, s.db.WithContext(ctx).Table(noticesTable).Where("user in ?", users).Order("id desc").Limit(most).Find(&list).Error
}

// mostNotices is how many notices are kept for somebody.
const mostNotices = 500

// PruneNotices forgets all but the newest notices of everybody.
func (s *Store) PruneNotices(ctx context.Context) error {
	return s.write(ctx, false, func(tx *gorm.DB) error {
		return tx.Exec("delete from notices where id in (select id from (select id, row_number() over (partition by user order by id desc) as place from notices) where place > ?)", mostNotices).Error
	})
}

// AddNotices tells somebody of something.
func (s *Store) AddNotices(ctx context.Context, notices ...Notice) error {
	if len(notices) == 0 {
		return nil
	}
	return s.write(ctx, true, func(tx *gorm.DB) error { return tx.Table(noticesTable).Create(notices).Error })
}

// DropNotice takes a notice away that somebody has read.
func (s *Store) DropNotice(ctx context.Context, id uint, user string, administers bool) error {
	users := []string{user}
	if administers {
		users = append(users, "*")
	}
	return s.write(ctx, true, func(tx *gorm.DB) error {
		done := tx.Table(noticesTable).Where("user in ?", users).Delete(&Notice{}, "id = ?", id)
		if done.Error == nil && done.RowsAffected == 0 {
			return ErrNotFound
		}
		return done.Error
	})
}

// Decline has somebody get no more of a schedule by mail.
func (s *Store) Decline(ctx context.Context, schedule, address string, now int64, e Entry) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		return tx.Exec("insert or ignore into declined (schedule, address, at) values (?, ?, ?)", schedule, address, now).Error
	})
}

// Declined lists the addresses that get no more of a schedule.
func (s *Store) Declined(ctx context.Context, schedule string) (list []string, err error) {
	err = s.db.WithContext(ctx).Table("declined").Where("schedule = ?", schedule).Pluck("address", &list).Error
	return list, err
}

// HandOver gives the schedules of somebody to somebody else, who runs them from then on: what is
// under way as well.
func (s *Store) HandOver(ctx context.Context, names []string, to string, e Entry) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		const open = "phase <> 'ended' and "
		return errors.Join(
			tx.Table(schedulesTable).Where("name in ?", names).Update("owner", to).Error,
			tx.Table(occurrencesTable).Where(open+"schedule in ?", names).Update("owner", to).Error,
			tx.Exec("update deliveries set owner = ? where "+open+"occurrence in (select id from occurrences where schedule in ?)", to, names).Error,
		)
	})
}
