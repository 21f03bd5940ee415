package service

import (
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/record"
	"pikegate/internal/delivery"
	"pikegate/internal/output"
	"pikegate/internal/store"
)

// KeptSource is the source of the results that schedules keep.
const KeptSource = "kept"

func reservedSource(field string) diag.Problem {
	return diag.Problem{Code: "reserved_name", Field: field, Message: "The source " + KeptSource + " is that of the results which schedules keep.", Hint: "Choose another name."}
}

// constants are the columns that a kept result has beyond those of its records: the run, the time
// that its dates were read as of, and the days of its first period.
func (o *occurrence) constants(p store.Part, run uint) []output.Constant {
	job := o.jobOf(p)
	asked, values, _ := job.Read()
	first, last := record.Value{}, record.Value{}
	day := func(d civil.Date) record.Value { return record.Computed(catalog.Stamp{At: d.Midnight()}) }
	if _, v := firstPeriod(asked, values); v.Given {
		if !v.Span.OpenStart() {
			first = day(v.Span.FirstDay())
		}
		if !v.Span.OpenEnd() {
			last = day(v.Span.LastDay())
		}
	}
	asOf := record.Computed(catalog.Stamp{At: civil.CivilOf(job.Context.Now, job.Context.Zone)})
	return []output.Constant{
		{Name: "kept_run", Type: catalog.Integer, Value: record.Computed(decimal.New(int64(run), 0))},
		{Name: "kept_as_of", Type: catalog.DateTime, Value: asOf},
		{Name: "kept_from", Type: catalog.Date, Value: first},
		{Name: "kept_through", Type: catalog.Date, Value: last},
	}
}

// keepResult keeps the records of a part as a part of a table.
func (s scheduled) keepResult(ctx context.Context, d store.Delivery, o store.Occurrence, p store.Part, keep definition.KeepDelivery) (string, error) {
	owner, err := s.Store.KeptBy(ctx, keep.As)
	if err != nil {
		return "", err
	}
	if owner != "" && owner != o.Schedule {
		return "", &delivery.Failure{Message: "The table " + keep.As + " is that of the schedule " + owner + ".", Final: true}
	}
	columns, err := columnsOf(d.File, d.Bytes)
	if err != nil {
		return "", &delivery.Failure{Message: "What was spooled cannot be read.", Err: err}
	}
	k := store.KeptResult{
		ID: d.ID, Name: keep.As, File: path.Join(keep.As, d.ID+".parquet"), Columns: columns, Schedule: o.Schedule, Due: o.Due, Value: p.Value,
		Occurrence: o.ID, Part: p.Number, Run: p.Run, Records: p.Count, Bytes: d.Bytes, At: s.Now().Unix(),
	}
	if length, ok := keep.KeptFor(); ok {
		zone, err := time.LoadLocation(o.Zone)
		if err != nil {
			return "", err
		}
		k.Until = int64(civil.InstantOf(length.After(civil.CivilOf(civil.Instant(o.Due), zone)), zone))
	}
	if err := os.MkdirAll(s.Kept, 0o700); err != nil {
		return "", err
	}
	parcel := delivery.Parcel{ID: d.ID, Spooled: d.File, Bytes: d.Bytes}
	if err := delivery.IntoFolder(ctx, s.Kept, k.File, parcel, nil); err != nil {
		return "", err
	}
	s.keeper.At("kept")
	// The list counts: what lies in the folder and is not on it is read by nobody.
	gone, err := s.Store.KeepResult(ctx, k, keep.How != "append", func(before string) bool { return goTogether(before, columns) })
	if errors.Is(err, store.ErrNewer) {
		return "A newer result is kept already.", os.Remove(filepath.Join(s.Kept, k.File))
	} else if err != nil {
		return "", err
	}
	s.removeKept(gone)
	return "", s.showKept(ctx)
}

// removeKept removes files of results that are kept no longer.
func (s *Service) removeKept(files []string) {
	for _, file := range files {
		if err := os.Remove(filepath.Join(s.Kept, filepath.FromSlash(file))); err != nil && !errors.Is(err, fs.ErrNotExist) {
			s.Log.Error("a kept result could not be removed", "file", file, "problem", err)
		}
	}
}

// showKept has the source of kept results show what is kept now.
func (s *Service) showKept(ctx context.Context) error {
	sources, err := s.Store.Sources(ctx)
	if err != nil {
		return err
	}
	for _, k := range sources {
		if k.Name == KeptSource {
			s.retire(KeptSource)
			return nil
		}
	}
	return s.Store.SaveSource(ctx, store.Source{Name: KeptSource, Engine: s.folders().Name}, store.Entry{What: "source.added", To: KeptSource})
}

func columnsOf(file string, size int64) (string, error) {
	f, err := os.Open(file)
	if err != nil {
		return "", err
	}
	defer f.Close()
	columns, err := output.ParquetColumns(f, size)
	if err != nil {
		return "", err
	}
	text, err := json.Marshal(columns)
	return string(text), err
}

// goTogether tells whether two sets of columns can be read as one table: those of one name are of
// one type.
func goTogether(before, now string) bool {
	var a, b [][2]string
	if json.Unmarshal([]byte(before), &a) != nil || json.Unmarshal([]byte(now), &b) != nil {
		return false
	}
	types := map[string]string{}
	for _, column := range a {
		types[strings.ToLower(column[0])] = column[1]
	}
	for _, column := range b {
		if was, ok := types[strings.ToLower(column[0])]; ok && was != column[1] {
			return false
		}
	}
	return true
}

// keptTables are the files of kept results and their tables: earlier versions whose columns go together
// with the newest are read with it, others are tables of their own, NAME_v1.
func (s *Service) keptTables(ctx context.Context) (map[string]string, error) {
	list, err := s.Store.KeptResults(ctx)
	tables := map[string]string{}
	newest := map[string]store.KeptResult{}
	for _, k := range list {
		first, ok := newest[k.Name]
		if !ok {
			newest[k.Name], first = k, k
		}
		tables[k.File] = k.Name
		if k.Version != first.Version && !goTogether(first.Columns, k.Columns) {
			tables[k.File] = k.Name + "_v" + strconv.Itoa(k.Version)
		}
	}
	return tables, err
}

// spoolTime is how long what was delivered stays in the spool.
const spoolTime = 7 * 24 * time.Hour

// Tidy removes what is kept no longer: files of the spool, results, and what came of schedules
// long ago.
func (s scheduled) Tidy(ctx context.Context) error {
	now := s.Now()
	for {
		files, err := s.Store.Spooled(ctx, now.Add(-spoolTime).Unix(), 500)
		if err != nil {
			return err
		}
		if len(files) == 0 {
			break
		}
		for _, file := range files {
			if err := os.Remove(file); err != nil && !errors.Is(err, fs.ErrNotExist) {
				s.Log.Error("a file of the spool could not be removed", "file", file, "problem", err)
			}
			_ = os.Remove(filepath.Dir(file)) // with the last of them
		}
	}
	if err := s.Store.PruneNotices(ctx); err != nil {
		return err
	}
	gone, err := s.Store.ExpireKept(ctx, now.Unix())
	if err != nil {
		return err
	}
	if len(gone) > 0 {
		s.removeKept(gone)
		s.retire(KeptSource)
	}
	for s.KeepOccurrences > 0 {
		more, err := s.Store.PruneOccurrences(ctx, now.Add(-s.KeepOccurrences).Unix())
		if err != nil || !more {
			return err
		}
	}
	return nil
}
