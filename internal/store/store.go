// Package store keeps Pike Gate's own records (sources, definitions and their
// versions, runs) in an SQLite file. Business data are never in it.
package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/mattn/go-sqlite3"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pikegate/core/parameter"
)

// ErrNotFound means that nothing of that name or number is kept.
var ErrNotFound = errors.New("store: not found")

// Unwritable says that our own records cannot be written.
type Unwritable struct{ Err error }

func (u *Unwritable) Error() string {
	return fmt.Sprintf("The service's own records cannot be written: %v.", u.Err)
}

func (u *Unwritable) Unwrap() error { return u.Err }

// written tells a disk that is full or failing from other errors.
func written(err error) error {
	var failure sqlite3.Error
	if errors.As(err, &failure) && (failure.Code == sqlite3.ErrFull || failure.Code == sqlite3.ErrIoErr || failure.Code == sqlite3.ErrReadonly) {
		return &Unwritable{err}
	}
	return err
}

// Changes is another number once definitions or sources were changed.
func (s *Store) Changes() uint64 { return s.changes.Load() }

// Source is a connection to a database, as it was added.
type Source struct {
	Name, Engine, Address string
	// Database and User are how to enter it; Secret is the name of the
	// password, which is kept elsewhere.
	Database, User, Secret, TLS string
	// PowerfulLogin tells that a login that can write was asked for.
	PowerfulLogin bool
	// PassPerson tells the database who asks.
	PassPerson bool
	// Encodings are the date encodings set by hand, by TABLE.COLUMN.
	Encodings map[string]string
}

// Definition is one definition as written. Number is its version, 0 for a draft.
type Definition struct {
	Kind, Name string
	Number     int
	// Revision counts how often a draft was changed, from 1; of versions it is 0.
	Revision int
	Content  string
	// Uses is everything a published report was frozen with, as written.
	Uses string
	At   time.Time
	// By is who published it, blank of drafts and in the open state.
	By string
}

// Run is the record of one execution.
type Run struct {
	ID        uint
	Report    string
	Version   int
	Outcome   string
	Format    string
	StartedAt time.Time
	AsOf      string
	Zone      string
	Sort      []string         // an order of the caller's own
	Inputs    parameter.Inputs // what was typed
	Resolved  map[string]any   // what it was read as
	ReadBack  string
	SQL       string
	Args      []any
	Count     int64
	First     string
	Last      string
	Millis    int64
	Problem   string
	// Reason tells why no record could match; Edges is JSON, nil for none.
	Reason string
	// Rewritten tells that dates were found written in another way than the source
	// was known to have them; it is not kept.
	Rewritten bool
	// LeftOut tells how many records were left out because of their dates.
	LeftOut string
	Edges   json.RawMessage
	// User is whose run it is, blank for nobody's.
	User string
	// Reading is how what was typed was read for whoever ran it.
	Reading Reading
	// Seen is what whoever ran it could see of what it read.
	Seen Seen
	// Hidden tells that what it found is not shown; it is not kept.
	Hidden bool
	// Forgotten tells that what was typed is kept no longer.
	Forgotten bool
}

// Reading is how somebody's numbers and dates are read, where a report does not say it.
type Reading struct {
	Language  string `json:"language,omitempty"`
	DateOrder string `json:"date_order,omitempty"`
	WeekStart string `json:"week_start,omitempty"`
	// MissingYear and TwoDigitYears are those of whoever typed.
	MissingYear   string `json:"missing_year,omitempty"`
	TwoDigitYears string `json:"two_digit_years,omitempty"`
	// Calendar is the calendar of the organisation that was used, and its version; 0 is a
	// draft's.
	Calendar        string `json:"calendar,omitempty"`
	CalendarVersion int    `json:"calendar_version,omitempty"`
}

// Seen is what somebody could see of tables of a source: by table blank where it was
// all, else what decided it.
type Seen struct {
	Source string            `json:"source,omitempty"`
	Tables map[string]string `json:"tables,omitempty"`
}

func found(err error) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ErrNotFound
	}
	return err
}

// SaveSource adds a source or replaces it.
func (s *Store) SaveSource(ctx context.Context, source Source, e Entry) error {
	defer s.changes.Add(1)
	row := sourceRowOf(source)
	return s.audited(ctx, e, func(tx *gorm.DB) error { return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error })
}

// Sources lists the sources by name.
func (s *Store) Sources(ctx context.Context) ([]Source, error) {
	var rows []sourceRow
	err := s.db.WithContext(ctx).Order("name").Find(&rows).Error
	return mapped(rows, sourceRow.domain), err
}

// RemoveSource removes a source.
func (s *Store) RemoveSource(ctx context.Context, name string, e Entry) error {
	defer s.changes.Add(1)
	return s.audited(ctx, e, func(tx *gorm.DB) error { return tx.Delete(&sourceRow{}, "name = ?", name).Error })
}

// Bound is the place that a secret is given to, empty for one that was given to
// none yet.
func (s *Store) Bound(ctx context.Context, secret string) (string, error) {
	var row bindingRow
	err := s.db.WithContext(ctx).Limit(1).Find(&row, "secret = ?", secret).Error
	return row.Place, err
}

// Bind has a secret given to a place only, unless it is bound already.
func (s *Store) Bind(ctx context.Context, secret, place string, at time.Time) error {
	return s.write(ctx, true, func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&bindingRow{secret, place, at}).Error
	})
}

// maxRevisions is how many earlier revisions of a draft are kept.
const maxRevisions = 50

// Changed says that a draft is no longer at the revision it was changed from.
type Changed struct {
	// Base is the draft as it was then, empty where that is no longer kept; Now is
	// what it is.
	Base, Now Definition
}

func (c *Changed) Error() string {
	return fmt.Sprintf("store: the draft of the %s %s was changed", c.Now.Kind, c.Now.Name)
}

// SaveDrafts makes or replaces drafts, all or none, and gives each its revision.
// One that comes with the revision it was changed from is refused if that is not
// the newest. A draft that stays the same keeps its revision. Drafts that are gone are
// removed with it; what was published of them stays.
func (s *Store) SaveDrafts(ctx context.Context, definitions []Definition, gone ...Definition) error {
	defer s.changes.Add(1)
	return s.write(ctx, true, func(tx *gorm.DB) error {
		for i := range definitions {
			d := &definitions[i]
			var old draftRow
			err := tx.Take(&old, "kind = ? and name = ?", d.Kind, d.Name).Error
			if err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
				return err
			}
			if old.Content == d.Content && err == nil {
				d.Revision = old.Revision
				continue
			}
			if d.Revision != 0 && d.Revision != old.Revision {
				var base revisionRow
				if err := tx.Take(&base, "kind = ? and name = ? and revision = ?", d.Kind, d.Name, d.Revision).Error; err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
					return err
				}
				return &Changed{base.domain(), old.domain()}
			}
			var last int // of a draft that was removed too
			if err := tx.Model(&revisionRow{}).Where("kind = ? and name = ?", d.Kind, d.Name).Select("coalesce(max(revision), 0)").Scan(&last).Error; err != nil {
				return err
			}
			d.Revision = max(old.Revision, last) + 1
			if old.Revision > 0 && last < old.Revision { // from before revisions were kept
				if err := tx.Save(&revisionRow{d.Kind, d.Name, old.Revision, old.Content}).Error; err != nil {
					return err
				}
			}
			err = errors.Join(
				tx.Save(&draftRow{Kind: d.Kind, Name: d.Name, Content: d.Content, Revision: d.Revision, UpdatedAt: d.At}).Error,
				tx.Save(&revisionRow{d.Kind, d.Name, d.Revision, d.Content}).Error,
				tx.Delete(&revisionRow{}, "kind = ? and name = ? and revision <= ?", d.Kind, d.Name, d.Revision-maxRevisions).Error,
			)
			if err != nil {
				return err
			}
		}
		for _, d := range gone {
			if err := tx.Delete(&draftRow{}, "kind = ? and name = ?", d.Kind, d.Name).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// Remove removes the draft of a definition, and retires what was published of
// it: the versions stay for the runs that were made with them.
func (s *Store) Remove(ctx context.Context, kind, name string, at time.Time, e Entry) error {
	defer s.changes.Add(1)
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		if err := tx.Delete(&draftRow{}, "kind = ? and name = ?", kind, name).Error; err != nil {
			return err
		}
		return tx.Save(&retiredRow{kind, name, at}).Error
	})
}

// Revision gives a draft as it was at a revision, as long as that is kept.
func (s *Store) Revision(ctx context.Context, kind, name string, revision int) (Definition, error) {
	var row revisionRow
	err := s.db.WithContext(ctx).Take(&row, "kind = ? and name = ? and revision = ?", kind, name, revision).Error
	return row.domain(), found(err)
}

// Draft gives what was pushed last under a kind and name.
func (s *Store) Draft(ctx context.Context, kind, name string) (Definition, error) {
	var row draftRow
	err := s.db.WithContext(ctx).Take(&row, "kind = ? and name = ?", kind, name).Error
	return row.domain(), found(err)
}

// Drafts lists what was pushed last, by kind and name.
func (s *Store) Drafts(ctx context.Context) ([]Definition, error) {
	var rows []draftRow
	err := s.db.WithContext(ctx).Order("kind, name").Find(&rows).Error
	return mapped(rows, draftRow.domain), err
}

// Publish freezes definitions as the next version of each, all or none, and
// returns them with their numbers.
func (s *Store) Publish(ctx context.Context, definitions []Definition, e Entry) ([]Definition, error) {
	defer s.changes.Add(1)
	err := s.audited(ctx, e, func(tx *gorm.DB) error {
		for i := range definitions {
			d := &definitions[i]
			var last int
			err := tx.Model(&versionRow{}).Where("kind = ? and name = ?", d.Kind, d.Name).
				Select("coalesce(max(number), 0)").Scan(&last).Error
			if err != nil {
				return err
			}
			d.Number = last + 1
			row := versionRowOf(*d)
			if err := errors.Join(tx.Create(&row).Error, tx.Delete(&retiredRow{}, "kind = ? and name = ?", d.Kind, d.Name).Error); err != nil {
				return err
			}
		}
		return nil
	})
	return definitions, err
}

// Published gives the newest version under a kind and name.
func (s *Store) Published(ctx context.Context, kind, name string) (Definition, error) {
	return s.Version(ctx, kind, name, 0)
}

// notRetired leaves out what was retired.
const notRetired = "not exists (select 1 from retired r where r.kind = versions.kind and r.name = versions.name)"

// Version gives a published version, 0 for the newest.
func (s *Store) Version(ctx context.Context, kind, name string, number int) (Definition, error) {
	var row versionRow
	query := s.db.WithContext(ctx).Where("kind = ? and name = ? and ? in (0, number)", kind, name, number)
	if number == 0 {
		query = query.Where(notRetired)
	}
	err := query.Order("number desc").Take(&row).Error
	return row.domain(), found(err)
}

// Versions lists what was published under a kind and name, the newest first.
func (s *Store) Versions(ctx context.Context, kind, name string) ([]Definition, error) {
	var rows []versionRow
	err := s.db.WithContext(ctx).Where("kind = ? and name = ?", kind, name).Order("number desc").Find(&rows).Error
	return mapped(rows, versionRow.domain), err
}

// AllPublished lists the newest versions, of some kinds where they are given, by
// kind and name.
func (s *Store) AllPublished(ctx context.Context, kinds ...string) ([]Definition, error) {
	var rows []versionRow
	query := s.db.WithContext(ctx).Where("number = (select max(number) from versions as v where v.kind = versions.kind and v.name = versions.name)").Where(notRetired).
		Where("kind <> 'schedule' or name not like '%@%'") // those that people made of a result are theirs alone
	if len(kinds) > 0 {
		query = query.Where("kind in ?", kinds)
	}
	err := query.Order("kind, name").Find(&rows).Error
	return mapped(rows, versionRow.domain), err
}

// NextRun gives the number of a run that begins.
func (s *Store) NextRun() uint { return uint(s.lastRun.Add(1)) }

// maxPrinted is how many of the newest runs keep the fingerprints of their records.
const maxPrinted = 1000

// SaveRun keeps the record of a run, in the place of one that was kept before,
// and the fingerprints of its records, nil for none; those of runs long past are
// let go.
func (s *Store) SaveRun(ctx context.Context, r Run, prints []byte) error {
	row, err := runRowOf(r)
	if err != nil {
		return err
	}
	return s.write(ctx, false, func(tx *gorm.DB) error {
		// By hand: every run waits for it, and the mapper takes longer than SQLite.
		exec := func(sql string, args ...any) error {
			_, err := tx.Statement.ConnPool.ExecContext(context.Background(), sql, args...)
			return err
		}
		if err := exec(saveRun, row.ID, row.Report, row.Version, row.Outcome, row.Format, row.StartedAt, row.AsOf, row.Zone, row.Sort, row.Inputs, row.Values,
			row.ReadBack, row.SQL, row.Args, row.Count, row.First, row.Last, row.Millis, row.Problem, row.Reason, row.LeftOut, row.Edges, row.User, row.Seen, row.Reading); err != nil || prints == nil {
			return err
		}
		if err := exec("insert or replace into prints (run, bytes) values (?, ?)", r.ID, prints); err != nil {
			return err
		}
		return exec("delete from prints where run <= ?", int64(r.ID)-maxPrinted)
	})
}

const saveRun = `insert or replace into runs (id, report, version, outcome, format, started_at, as_of, zone, sorted_by, inputs, resolved,
	read_back, sql, args, count, first, last, millis, problem, reason, left_out, edges, user, seen, reading) values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`

// Run gives the record of a run.
func (s *Store) Run(ctx context.Context, id uint) (Run, error) {
	var row runRow
	err := s.db.WithContext(ctx).Take(&row, id).Error
	return row.domain(), found(err)
}

// Prints gives the fingerprints of a run's records, ErrNotFound where there are
// none.
func (s *Store) Prints(ctx context.Context, run uint) ([]byte, error) {
	var row printsRow
	err := s.db.WithContext(ctx).Take(&row, run).Error
	return row.Bytes, found(err)
}

// Filter says which runs are meant; what is left out restricts nothing.
type Filter struct {
	Report, Outcome string
	// From and Until bound when a run started, Until itself left out.
	From, Until time.Time
	// Before is a run's number: only older ones.
	Before uint
	// Of bounds whose runs are meant, nil for anybody's.
	Of *Whose
}

// Whose is the runs of a user and those of some reports.
type Whose struct {
	User    string
	Reports []string
}

// summary is what a list of runs reads of them; what is long is cut.
const summary = "id, report, version, outcome, format, started_at, as_of, zone, substr(read_back, 1, 500) as read_back, count, first, last, millis, substr(problem, 1, 500) as problem, user, seen, forgotten"

// Has tells whether a run is among those that are meant; nil means all.
func (w *Whose) Has(r Run) bool {
	return w == nil || r.User == w.User || slices.Contains(w.Reports, r.Report)
}

// Runs lists the newest runs that are meant, without what was typed and asked of
// the database.
func (s *Store) Runs(ctx context.Context, f Filter, limit int) ([]Run, error) {
	var rows []runRow
	query := s.db.WithContext(ctx).Select(summary).Order("id desc").Limit(limit)
	for _, c := range []struct {
		condition string
		value     any
		given     bool
	}{
		{"report = ?", f.Report, f.Report != ""},
		{"outcome = ?", f.Outcome, f.Outcome != ""},
		{"started_at >= ?", f.From.UTC(), !f.From.IsZero()},
		{"started_at < ?", f.Until.UTC(), !f.Until.IsZero()},
		{"id < ?", f.Before, f.Before > 0},
	} {
		if c.given {
			query = query.Where(c.condition, c.value)
		}
	}
	if f.Of != nil {
		query = query.Where("(user = ? or report in ?)", f.Of.User, f.Of.Reports)
	}
	err := query.Find(&rows).Error
	return mapped(rows, runRow.domain), err
}

// LastRuns tells when each report was last run, by a user or, where that is nil, by
// anybody.
func (s *Store) LastRuns(ctx context.Context, user *string) (map[string]time.Time, error) {
	var rows []runRow
	query := s.db.WithContext(ctx).Select("report, started_at")
	if user == nil {
		query = query.Where("id in (select max(id) from runs group by report)")
	} else {
		query = query.Where("id in (select max(id) from runs where user = ? group by report)", *user)
	}
	err := query.Find(&rows).Error
	last := map[string]time.Time{}
	for _, r := range rows {
		last[r.Report] = r.StartedAt
	}
	return last, err
}

// Unfinished marks runs that a stop of the service cut short.
func (s *Store) Unfinished(ctx context.Context, outcome, problem string) error {
	return s.write(ctx, false, func(tx *gorm.DB) error {
		return tx.Model(&runRow{}).Where("outcome = ?", "running").
			Updates(map[string]any{"outcome": outcome, "problem": problem}).Error
	})
}
