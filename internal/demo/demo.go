package demo

import (
	"context"
	"embed"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"pikegate/internal/service"
	"pikegate/internal/wire"
)

//go:embed definitions/*.yaml
var definitions embed.FS

// Source is the name definitions give the Navigation's database.
const Source = "navigation"

// Prepare makes the Navigation's database and its files in a folder, unless they are there.
func Prepare(folder string) error {
	missing := map[string]func(string, *Data) error{}
	for path, write := range map[string]func(string, *Data) error{database(folder): Write, exports(folder): WriteFolder} {
		if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
			missing[path] = write
		} else if err != nil {
			return err
		}
	}
	if len(missing) == 0 {
		return nil
	}
	data, err := Generate()
	if err != nil {
		return err
	}
	for path, write := range missing {
		if err := write(path, data); err != nil {
			return err
		}
	}
	return nil
}

func exports(folder string) string { return filepath.Join(folder, "exports") }

func database(folder string) string { return filepath.Join(folder, "navigation.db") }

// Install connects the Navigation's database and its folder of files, and publishes the reports,
// unless a service has them already; there are no users yet. What was changed by hand stays.
func Install(ctx context.Context, s *service.Service, folder string) error {
	who, err := s.People.Open(ctx, "")
	if err != nil {
		return err
	}
	sources, err := s.Sources(ctx, who)
	if err != nil {
		return err
	}
	for _, info := range []wire.SourceInfo{
		{Name: Source, Engine: "sqlite", Address: database(folder), Encodings: map[string]string{"maintenance_jobs.due_on": "ymd", "maintenance_jobs.done_on": "ymd", "gauge_readings.read_at": "unix-s"}},
		{Name: Exports, Engine: "files", Address: exports(folder)},
	} {
		if info.Address, err = filepath.Abs(info.Address); err != nil {
			return err
		}
		if slices.ContainsFunc(sources, func(i wire.SourceInfo) bool { return i.Name == info.Name }) {
			info.Encodings = nil // they stay
			_, err = s.ChangeSource(ctx, who, info)
		} else {
			_, err = s.AddSource(ctx, who, info, false)
		}
		if err != nil {
			return err
		}
	}
	there, err := s.Reports(ctx, who)
	if err != nil {
		return err
	}
	calendars, err := s.Calendars(ctx, who)
	if err != nil {
		return err
	}
	files, err := fs.Glob(definitions, "definitions/*.yaml")
	if err != nil {
		return err
	}
	const first = "definitions/waterway.yaml" // the calendar, which reports use
	files = append([]string{first}, slices.DeleteFunc(files, func(f string) bool { return f == first })...)
	for _, file := range files {
		name := filepath.Base(file[:len(file)-len(".yaml")])
		if slices.ContainsFunc(there, func(r wire.ReportInfo) bool { return r.Name == name }) || file == first && len(calendars) > 0 {
			continue
		}
		content, err := definitions.ReadFile(file)
		if err != nil {
			return err
		}
		if _, err := s.Push(ctx, who, string(content), wire.Keeping{}); err != nil {
			return err
		}
		if _, err := s.Publish(ctx, who, name); err != nil {
			return err
		}
	}
	return nil
}
