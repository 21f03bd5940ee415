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

// Prepare makes the Navigation's database in a folder, unless it is there.
func Prepare(folder string) error {
	path := database(folder)
	if _, err := os.Stat(path); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	data, err := Generate()
	if err != nil {
		return err
	}
	return Write(path, data)
}

func database(folder string) string { return filepath.Join(folder, "navigation.db") }

// Install connects the Navigation's database and publishes the reports,
// unless a service has them already; there are no users yet. What was changed by hand stays.
func Install(ctx context.Context, s *service.Service, folder string) error {
	who, err := s.People.Open(ctx, "")
	if err != nil {
		return err
	}
	path, err := filepath.Abs(database(folder))
	if err != nil {
		return err
	}
	sources, err := s.Sources(ctx, who)
	if err != nil {
		return err
	}
	info := wire.SourceInfo{Name: Source, Engine: "sqlite", Address: path}
	if slices.ContainsFunc(sources, func(i wire.SourceInfo) bool { return i.Name == Source }) {
		_, err = s.ChangeSource(ctx, who, info)
	} else {
		info.Encodings = map[string]string{"maintenance_jobs.due_on": "ymd", "maintenance_jobs.done_on": "ymd", "gauge_readings.read_at": "unix-s"}
		_, err = s.AddSource(ctx, who, info, false)
	}
	if err != nil {
		return err
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
