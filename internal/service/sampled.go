package service

import (
	"context"
	"errors"
	"sync"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/plan"
)

// sampleSize is how many records are looked at of what hand-written SQL returns, sampleLimit
// how long that may take, and sampleAge how long it holds.
const (
	sampleSize  = 200
	sampleLimit = time.Second
	sampleAge   = 10 * time.Minute
)

// samples are values that hand-written SQL returns, by its text, so that they are read once
// while an author writes.
type samples struct {
	mu    sync.Mutex
	bySQL map[string]sampled
}

type sampled struct {
	at       time.Time
	values   map[string][]any
	proposed map[string]catalog.Encoding
}

// mostSamples is how many are kept.
const mostSamples = 32

// sample reads some values of each column that hand-written SQL returns, without its
// conditions, and looks what dates they may be; none where that takes too long, or fails, which is told elsewhere.
func (o *openSource) sample(ctx context.Context, sql string, s plan.Statement, columns []catalog.Column, now time.Time) sampled {
	o.samples.mu.Lock()
	kept, ok := o.samples.bySQL[sql]
	o.samples.mu.Unlock()
	if ok && now.Sub(kept.at) < sampleAge {
		return kept
	}
	s.From = plan.Table{Name: definition.Result, Alias: definition.Result}
	for i := range columns {
		s.Fetch = append(s.Fetch, plan.Fetched{Ref: criteria.Ref{Alias: definition.Result, Column: &columns[i]}})
	}
	s.Limit = sampleSize
	limited, stop := context.WithTimeout(ctx, sampleLimit)
	defer stop()
	found := sampled{now, map[string][]any{}, map[string]catalog.Encoding{}}
	err := o.Stream(limited, o.Dialect().Write(s), func(row []any) error {
		for i, v := range row {
			if v != nil {
				found.values[columns[i].Name] = append(found.values[columns[i].Name], v)
			}
		}
		return nil
	})
	if err != nil {
		found.values = nil
	}
	for _, c := range columns {
		if made, ok := catalog.Propose(c, found.values[c.Name]); ok {
			found.proposed[c.Name] = made.Encoding
		}
	}
	if err == nil || errors.Is(limited.Err(), context.DeadlineExceeded) { // what takes long is not tried at each key
		o.samples.mu.Lock()
		defer o.samples.mu.Unlock()
		if len(o.samples.bySQL) >= mostSamples || o.samples.bySQL == nil {
			o.samples.bySQL = map[string]sampled{}
		}
		o.samples.bySQL[sql] = found
	}
	return found
}
