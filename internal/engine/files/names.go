package files

import (
	"context"
	"fmt"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/period"
)

// inName is a stretch of time as the names of files and partitions tell it: 2025, 2025-03,
// 202503, 2025-03-31, 2025-Q1, 2025-W10, year=2025/month=3.
var (
	inName      = regexp.MustCompile(`(?:^|[^0-9])((?:19|20)[0-9]{2})(?:[-_. ]?(?:([Qq][1-4])|([Ww][0-9]{2})|([01][0-9])(?:[-_. ]?([0-3][0-9]))?))?(?:[^0-9]|$)`)
	inPartition = regexp.MustCompile(`(?i)year=([0-9]{4})(?:/month=([0-9]{1,2})(?:/day=([0-9]{1,2}))?)?/`)
)

// periodOf is the stretch of time that the name of a file tells, and how long it is; false
// where it tells none.
func periodOf(f file) (span period.Span, text, unit string, ok bool) {
	if m := inPartition.FindStringSubmatch(filepath.ToSlash(f.rel())); m != nil {
		text = m[1]
		for _, part := range m[2:] {
			if part != "" {
				text += "-" + strings.Repeat("0", 2-len(part)) + part
			}
		}
	} else {
		_, stem := formOf(f.path)
		m := inName.FindStringSubmatch(stem)
		if m == nil {
			return span, "", "", false
		}
		text = m[1]
		for _, part := range m[2:] {
			if part != "" {
				text += "-" + strings.ToUpper(part)
			}
		}
	}
	unit = map[int]string{4: "year", 7: "month", 10: "day"}[len(text)]
	switch {
	case strings.Contains(text, "Q"):
		unit = "quarter"
	case strings.Contains(text, "W"):
		unit = "week"
	}
	read, problems := period.Read(text, civil.Calendar{WeekStart: time.Monday, Zone: time.UTC})
	return read, text, unit, !problems.Failed()
}

// aroundUTC is how far a zone is from UTC at the most.
const aroundUTC = 14 * time.Hour

// mostDatesTold is how many columns are held against the names of files.
const mostDatesTold = 3

// tellPeriods says which dates the names of a table's files tell, and which files hold others:
// the name decides nothing.
func (s *source) tellPeriods(ctx context.Context, t *table, columns []catalog.Column) (string, error) {
	if len(t.parts) < 2 || len(t.parts) != len(t.files) {
		return "", nil
	}
	spans, texts, unit := make([]period.Span, len(t.files)), make([]string, len(t.files)), ""
	for i, f := range t.files {
		span, text, of, ok := periodOf(f)
		if !ok || unit != "" && of != unit {
			return "", nil
		}
		spans[i], texts[i], unit = span, text, of
	}
	tried := 0
	for _, c := range columns {
		if c.Encoding == "" {
			continue
		}
		if tried++; tried > mostDatesTold {
			break
		}
		found, err := s.held(ctx, t, &c)
		if err != nil {
			return "", err
		}
		within, some := 0, 0
		var outside []string
		for i, f := range t.parts {
			h := found[f.path]
			if h.none || h.unsure {
				continue
			}
			some++
			from, until := spans[i].From, spans[i].Until
			if c.Encoding.IsInstant() { // which is a day of some zone
				from, until = from-civil.DateTime(aroundUTC.Seconds()), until+civil.DateTime(aroundUTC.Seconds())
			}
			if h.least >= from && h.greatest < until {
				within++
				continue
			}
			outside = append(outside, fmt.Sprintf("%s holds %s from %s through %s, which is not all in %s", t.files[i].rel(), c.Name, h.least.Date(), h.greatest.Date(), texts[i]))
		}
		if some == 0 || within*2 < some {
			continue
		}
		note := fmt.Sprintf("The names tell the %s of %s.", unit, c.Name)
		if len(outside) > 0 {
			n := len(outside)
			if n > mostNamed {
				outside = outside[:mostNamed]
			}
			note = fmt.Sprintf("The names tell the %s of %s, but not of all: %s. Files are read by what they hold, whatever they are called.", unit, c.Name, strings.Join(outside, "; "))
			if n > mostNamed {
				note = strings.Replace(note, ". Files are", fmt.Sprintf("; and %d more. Files are", n-mostNamed), 1)
			}
		}
		return note, nil
	}
	return "", nil
}
