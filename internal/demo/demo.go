package demo

import (
	"context"
	"embed"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"pikegate/internal/delivery"
	"pikegate/internal/demo/mailbox"
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
	overviews, err := s.Overviews(ctx, who)
	if err != nil {
		return err
	}
	there = append(there, overviews...)
	calendars, err := s.Calendars(ctx, who)
	if err != nil {
		return err
	}
	files, err := fs.Glob(definitions, "definitions/*.yaml")
	if err != nil {
		return err
	}
	schedules, err := s.Schedules(ctx, who, true)
	if err != nil {
		return err
	}
	const first = "definitions/waterway.yaml" // the calendar, which reports use; overviews and schedules use reports
	files = inOrder(files, first)
	for _, file := range files {
		name := filepath.Base(file[:len(file)-len(".yaml")])
		if slices.ContainsFunc(there, func(r wire.ReportInfo) bool { return r.Name == name }) || file == first && len(calendars) > 0 ||
			slices.ContainsFunc(schedules, func(k wire.ScheduleInfo) bool { return k.Name == name }) || isOf("schedule", file) && !s.Demonstration {
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
		if isOf("schedule", file) { // so that there is something to see
			if _, err := s.RunSchedule(ctx, who, name, time.Time{}); err != nil {
				return err
			}
		}
	}
	return nil
}

// inOrder puts a file first, and schedules last.
func inOrder(files []string, first string) []string {
	slices.SortStableFunc(files, func(a, b string) int {
		place := func(file string) int {
			switch {
			case file == first:
				return 0
			case isOf("overview", file):
				return 2
			case isOf("schedule", file):
				return 3
			}
			return 1
		}
		return place(a) - place(b)
	})
	return files
}

// isOf tells whether a file holds a definition of a kind.
func isOf(kind, file string) bool {
	content, err := definitions.ReadFile(file)
	return err == nil && strings.Contains("\n"+string(content), "\nkind: "+kind+"\n")
}

// MailPath is where the mails of the demonstration are shown, beneath the service's own address.
const MailPath = "/demo-mail"

// Destinations are where the schedules of the demonstration deliver: a mail server that sends none
// of it on, and a folder.
func Destinations(folder string) (delivery.Destinations, *mailbox.Mailbox, error) {
	box, err := mailbox.Listen("127.0.0.1:0", nil)
	if err != nil {
		return delivery.Destinations{}, nil, err
	}
	dues, err := filepath.Abs(filepath.Join(folder, "dues"))
	if err == nil {
		err = os.MkdirAll(dues, 0o755)
	}
	return delivery.Destinations{
		Folders: map[string]string{"dues": dues},
		Mail:    delivery.MailServer{Server: box.Address(), TLS: "none", From: "reports@navigation.example", Domains: []string{"navigation.example"}},
		Mailbox: MailPath + "/",
	}, box, err
}
