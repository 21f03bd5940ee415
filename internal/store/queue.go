package store

import (
	"context"
	"errors"

	"gorm.io/gorm"
)

// One goroutine writes for all. What comes while it commits goes into the next
// commit together, so that two hundred callers wait for a few commits, not for
// two hundred; nobody is told that something is kept before it was committed.

// mostTogether is how many changes one commit takes in.
const mostTogether = 256

// errClosed says that the store was closed before a change was made.
var errClosed = errors.New("store: closed")

// change is something to be written. Synced has the disk hold it before it is
// acknowledged: it is there after a power failure too. Others are there after
// the process was killed.
type change struct {
	do     func(tx *gorm.DB) error
	synced bool
	done   chan error
}

// write makes a change, and returns when it was committed. Where the context ends
// before its turn nothing is changed; from then on it is not broken off.
func (s *Store) write(ctx context.Context, synced bool, do func(tx *gorm.DB) error) error {
	c := change{do, synced, make(chan error, 1)}
	s.closing.RLock()
	if s.closed {
		s.closing.RUnlock()
		return errClosed
	}
	select {
	case s.queue <- c:
	case <-ctx.Done():
		s.closing.RUnlock()
		return context.Cause(ctx)
	}
	s.closing.RUnlock()
	return written(<-c.done)
}

// writeAll makes the changes that come until the store is closed.
func (s *Store) writeAll() {
	defer close(s.written)
	for first := range s.queue {
		together := []change{first}
	gather:
		for len(together) < mostTogether {
			select {
			case c, ok := <-s.queue:
				if !ok {
					break gather
				}
				together = append(together, c)
			default:
				break gather
			}
		}
		s.commit(together)
	}
}

// commit makes changes in one transaction; one that fails leaves the others be.
func (s *Store) commit(together []change) {
	failures := make([]error, len(together))
	synced := false
	for _, c := range together {
		synced = synced || c.synced
	}
	if synced { // may be set between transactions only
		s.writer.Exec("pragma synchronous = full")
		defer s.writer.Exec("pragma synchronous = normal")
	}
	err := s.writer.Transaction(func(tx *gorm.DB) error {
		for i, c := range together {
			if len(together) == 1 {
				failures[i] = attempt(tx, c)
				return failures[i]
			}
			failures[i] = tx.Transaction(func(tx *gorm.DB) error { return attempt(tx, c) }) // a savepoint
		}
		return nil
	})
	for i, c := range together {
		if failures[i] == nil {
			failures[i] = err
		}
		c.done <- failures[i]
	}
}

// attempt makes one change; a panic in it fails that change alone.
func attempt(tx *gorm.DB, c change) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = errors.New("store: a change panicked")
		}
	}()
	return c.do(tx)
}
