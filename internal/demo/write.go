package demo

import (
	"database/sql"
	"errors"
	"fmt"
	"os"
	"time"

	_ "github.com/mattn/go-sqlite3" // the driver the file is written with
)

// schema holds every way the Navigation stores a date.
const schema = `
create table locks (id integer primary key, name text not null unique, region text not null, keeper text not null, opened_on date not null, closed_on date);
create table vessels (id integer primary key, name text not null, owner text not null, length_m real not null);
create table passages (id integer primary key, lock_id integer not null references locks, vessel_id integer references vessels, passed_at text not null, direction text not null, toll_pence integer not null);
create index passages_passed_at on passages (passed_at);
create table mooring_stays (id integer primary key, vessel_id integer not null references vessels, mooring text not null, arrives_on date not null, departs_on date, nightly_pence integer not null, persons integer not null);
create index mooring_stays_arrives_on on mooring_stays (arrives_on);
create table dues_invoices (id integer primary key, number text not null unique, vessel_id integer not null references vessels, issued_on date not null, paid_on date, amount_pence integer not null);
create index dues_invoices_issued_on on dues_invoices (issued_on);
create table maintenance_jobs (id integer primary key, lock_id integer not null references locks, title text not null, due_on integer not null, done_on integer, cost_pence integer not null);
create index maintenance_jobs_due_on on maintenance_jobs (due_on);
create table gauge_readings (id integer primary key, gauge text not null, read_at integer not null, level_mm integer not null);
create index gauge_readings_read_at on gauge_readings (read_at);
`

// Write makes an SQLite file of the records at a path; it appears only when
// it is whole.
func Write(path string, d *Data) (err error) {
	draft := path + ".part"
	if err := os.Remove(draft); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	db, err := sql.Open("sqlite3", draft+"?_journal_mode=OFF&_synchronous=OFF")
	if err != nil {
		return err
	}
	if err = errors.Join(d.fill(db), db.Close()); err != nil {
		return errors.Join(fmt.Errorf("demo: the records cannot be written: %w", err), os.Remove(draft))
	}
	return os.Rename(draft, path)
}

func (d *Data) fill(db *sql.DB) error {
	if _, err := db.Exec(schema); err != nil {
		return err
	}
	tx, err := db.Begin()
	if err != nil {
		return err
	}
	defer tx.Rollback() // of no effect after the commit
	err = errors.Join(
		insert(tx, "locks", 6, d.Locks, func(l Lock) []any {
			return []any{l.ID, l.Name, l.Region, l.Keeper, isoDay(l.OpenedOn), isoDay(l.ClosedOn)}
		}),
		insert(tx, "vessels", 4, d.Vessels, func(v Vessel) []any {
			return []any{v.ID, v.Name, v.Owner, float64(v.Length) / 100}
		}),
		insert(tx, "passages", 6, d.Passages, func(p Passage) []any {
			return []any{p.ID, p.LockID, id(p.VesselID), p.PassedAt.Format("2006-01-02T15:04:05Z"), p.Direction, p.TollPence}
		}),
		insert(tx, "mooring_stays", 7, d.Stays, func(s Stay) []any {
			return []any{s.ID, s.VesselID, s.Mooring, isoDay(s.ArrivesOn), isoDay(s.DepartsOn), s.NightlyPence, s.Persons}
		}),
		insert(tx, "dues_invoices", 6, d.Invoices, func(v Invoice) []any {
			return []any{v.ID, v.Number, v.VesselID, isoDay(v.IssuedOn), isoDay(v.PaidOn), v.AmountPence}
		}),
		insert(tx, "maintenance_jobs", 6, d.Jobs, func(j Job) []any {
			return []any{j.ID, j.LockID, j.Title, numberDay(j.DueOn), numberDay(j.DoneOn), j.CostPence}
		}),
		insert(tx, "gauge_readings", 4, d.Readings, func(r Reading) []any {
			return []any{r.ID, r.Gauge, r.ReadAt.Unix(), r.LevelMM}
		}),
	)
	if err != nil {
		return err
	}
	return tx.Commit()
}

func insert[T any](tx *sql.Tx, table string, columns int, records []T, values func(T) []any) error {
	holders := "?"
	for range columns - 1 {
		holders += ", ?"
	}
	statement, err := tx.Prepare("insert into " + table + " values (" + holders + ")")
	if err != nil {
		return err
	}
	defer statement.Close()
	for _, r := range records {
		if _, err := statement.Exec(values(r)...); err != nil {
			return fmt.Errorf("%s: %w", table, err)
		}
	}
	return nil
}

func isoDay(t time.Time) any {
	if t.IsZero() {
		return nil
	}
	return t.Format(time.DateOnly)
}

func numberDay(t time.Time) any {
	if t.IsZero() {
		return nil
	}
	y, m, d := t.Date()
	return y*10000 + int(m)*100 + d
}

func id(n int) any {
	if n == 0 {
		return nil
	}
	return n
}
