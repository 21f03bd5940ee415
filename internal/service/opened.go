package service

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"pikegate/core/catalog"
	"pikegate/internal/engine"
)

// openSource is a source in use and what its catalogue was when last read.
type openSource struct {
	*shared
	// known is the catalogue; nothing in it is changed any more, a better one
	// takes its place.
	known atomic.Pointer[catalog.Source]

	mu       sync.Mutex        // guards the rest
	surveyed map[string]string // by table in lower case, the state the database was in; empty where it does not tell
	looked   time.Time         // when it was looked at again on the side

	samples samples
}

func newOpenSource(source *shared, known *catalog.Source) *openSource {
	o := &openSource{shared: source, surveyed: map[string]string{}}
	o.known.Store(known)
	return o
}

// survey looks at how dates are stored in tables, unless that was done since the
// catalogue was read.
func (o *openSource) survey(ctx context.Context, tables ...string) error {
	o.mu.Lock()
	defer o.mu.Unlock()
	var better *catalog.Source
	for _, name := range tables {
		name = strings.ToLower(name)
		if _, done := o.surveyed[name]; done {
			continue
		}
		if better == nil {
			clone := o.known.Load().Clone()
			better = &clone
		}
		at := slices.IndexFunc(better.Tables, func(t catalog.Table) bool { return strings.ToLower(t.Name) == name })
		if at < 0 {
			continue // told elsewhere
		}
		state := o.State()
		if err := engine.Survey(ctx, o.shared, &better.Tables[at]); err != nil {
			return err
		}
		o.surveyed[name] = state
	}
	if better != nil {
		o.known.Store(better)
	}
	return nil
}

// inherit takes over what another one found out, of tables that have not changed
// since then.
func (o *openSource) inherit(old *openSource) {
	if old.known.Load() == nil {
		return
	}
	old.mu.Lock()
	defer old.mu.Unlock()
	now := o.State()
	for name, state := range old.surveyed {
		before, ok1 := old.known.Load().Table(name)
		at := slices.IndexFunc(o.known.Load().Tables, func(t catalog.Table) bool { return strings.ToLower(t.Name) == name })
		if state == "" || state != now || !ok1 || at < 0 {
			continue
		}
		columns := o.known.Load().Tables[at].Columns
		for i := range columns {
			if c, ok := before.Column(columns[i].Name); ok && c.Encoding == columns[i].Encoding {
				columns[i] = *c
			}
		}
		if !slices.ContainsFunc(columns, func(c catalog.Column) bool {
			return c.Encoding != "" && !c.Encoding.IsNative() && c.Looked == 0 && c.Evidence == "set by hand"
		}) {
			o.surveyed[name] = state
		}
	}
}

// unchanged tells whether the database is as it was when the tables were last
// looked at; false where it does not tell.
func (o *openSource) unchanged(tables ...string) bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	now := o.State()
	for _, name := range tables {
		if state := o.surveyed[strings.ToLower(name)]; state == "" || state != now {
			return false
		}
	}
	return true
}

// again looks at tables as they are now. It tells a column whose dates can no
// longer be relied on, empty for none, and whether anything else is known by now.
func (o *openSource) again(ctx context.Context, tables []string) (worse string, other bool, err error) {
	states := map[string]string{}
	for _, name := range tables {
		before, ok := o.known.Load().Table(name)
		if !ok || !slices.ContainsFunc(before.Columns, func(c catalog.Column) bool { return c.Whole }) {
			continue
		}
		now := before
		now.Columns = slices.Clone(before.Columns)
		state := o.State()
		if err := engine.Survey(ctx, o.shared, &now); err != nil {
			return "", false, err
		}
		for i, c := range before.Columns {
			reliable := now.Columns[i].Reliable() && (c.Shape == "" || now.Columns[i].Shape == c.Shape)
			if c.Reliable() && !reliable {
				return name + "." + c.Name, true, nil
			}
			other = other || now.Columns[i].Reliable() != c.Reliable()
		}
		states[strings.ToLower(name)] = state
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	maps.Copy(o.surveyed, states)
	return "", other, nil
}

// confirm looks at tables that have changed since they were last looked at, for a
// run that relied on what was known of their dates. The error says that it does
// not hold any more.
func (o *openSource) confirm(ctx context.Context, tables []string) error {
	if o.unchanged(tables...) {
		return nil
	}
	worse, _, err := o.again(ctx, tables)
	if worse != "" {
		return engine.WrittenOtherwise(worse)
	}
	return err
}

// lookAgainAfter is how often a file that is written to is looked at again, so
// that what is known of its dates can be relied on until it is next.
const lookAgainAfter = 30 * time.Second

// lookAgain looks at tables that have changed, on the side, unless that was done a
// moment ago; changed is called where something else was found.
func (o *openSource) lookAgain(tables []string, changed func()) {
	now := time.Now()
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.State() == "" || now.Sub(o.looked) < lookAgainAfter {
		return
	}
	o.looked = now
	go func() {
		if _, other, err := o.again(context.Background(), tables); err == nil && other {
			changed()
		}
	}()
}
