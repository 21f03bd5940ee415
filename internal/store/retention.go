package store

import (
	"context"
	"time"

	"gorm.io/gorm"
)

// Retention bounds the records of runs; 0 means no bound.
type Retention struct {
	Age  time.Duration
	Runs int
	// Typed is how long what people typed is kept, with all that tells it.
	Typed time.Duration
	// Bytes is how large the file may be before the oldest runs go.
	Bytes int64
}

// Records are let go a few at a time, so that nobody who writes waits long, and
// every so often.
const (
	atATime  = 500
	everySo  = 10 * time.Minute
	breather = 50 * time.Millisecond
)

// Retain lets old records of runs go until the context ends.
func (s *Store) Retain(ctx context.Context, r Retention, failed func(error)) {
	for {
		if err := s.Prune(ctx, r, time.Now()); err != nil && ctx.Err() == nil {
			failed(err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(everySo):
		}
	}
}

// Prune lets the records go that are beyond what is retained, the oldest first, and
// from those that stay what was typed too long ago; runs that are not finished stay.
func (s *Store) Prune(ctx context.Context, r Retention, now time.Time) error {
	if err := s.pruneRuns(ctx, r, now); err != nil || r.Typed <= 0 {
		return err
	}
	for ctx.Err() == nil {
		var changed int64
		err := s.write(ctx, false, func(tx *gorm.DB) error {
			done := tx.Exec(`update runs set forgotten = 1, inputs = 'null', resolved = 'null', args = 'null', read_back = '', reason = '', problem = '', edges = ''
				where id in (select id from runs where started_at < ? and outcome <> 'running' and forgotten is not 1 limit ?)`, now.Add(-r.Typed).UTC(), atATime)
			changed = done.RowsAffected
			return done.Error
		})
		if err != nil || changed == 0 {
			return err
		}
		time.Sleep(breather)
	}
	return ctx.Err()
}

func (s *Store) pruneRuns(ctx context.Context, r Retention, now time.Time) error {
	for ctx.Err() == nil {
		below, err := s.beyond(r, now)
		if err != nil || below == 0 {
			return err
		}
		err = s.write(ctx, false, func(tx *gorm.DB) error {
			if err := tx.Exec("delete from prints where run <= ?", below).Error; err != nil {
				return err
			}
			return tx.Exec("delete from runs where id <= ? and outcome <> 'running'", below).Error
		})
		if err != nil {
			return err
		}
		time.Sleep(breather)
	}
	return ctx.Err()
}

// beyond is the number up to which the next few records can go, 0 for none.
func (s *Store) beyond(r Retention, now time.Time) (int64, error) {
	var below int64
	read := func(query string, args ...any) error {
		return s.db.Raw("select coalesce(max(id), 0) from (select id from runs where outcome <> 'running' and "+query+" order by id limit ?)", append(args, atATime)...).Scan(&below).Error
	}
	if r.Age > 0 {
		if err := read("started_at < ?", now.Add(-r.Age).UTC()); err != nil || below > 0 {
			return below, err
		}
	}
	if r.Runs > 0 {
		var newest int64
		if err := s.db.Raw("select coalesce((select id from runs order by id desc limit 1 offset ?), 0)", r.Runs).Scan(&newest).Error; err != nil {
			return 0, err
		}
		if err := read("id <= ?", newest); err != nil || below > 0 {
			return below, err
		}
	}
	if r.Bytes > 0 {
		var used int64 // pages that are free are used again before the file grows
		if err := s.db.Raw("select (select page_count from pragma_page_count) * (select page_size from pragma_page_size) - (select freelist_count from pragma_freelist_count) * (select page_size from pragma_page_size)").Scan(&used).Error; err != nil {
			return 0, err
		}
		if used > r.Bytes {
			err := read("1 = 1")
			return below, err
		}
	}
	return 0, nil
}
