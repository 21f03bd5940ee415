package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/period"
	"pikegate/internal/config"
)

// calendarFlags are the options that say how dates are read.
func calendarFlags(cmd *cobra.Command, s *civil.Settings) {
	cmd.Flags().StringVar(&s.Use, "calendar", s.Use, "the calendar with the organisation's holidays, named periods and fiscal year")
	cmd.Flags().StringVar(&s.Zone, "zone", s.Zone, "the IANA zone in which days begin and end (default the machine's; the demonstration's is Europe/London)")
	cmd.Flags().StringVar(&s.WeekStart, "week-start", s.WeekStart, "the first day of the week (default monday)")
	cmd.Flags().StringVar(&s.FiscalStart, "fiscal-start", s.FiscalStart, "the month the fiscal year starts in, 1 to 12 (default 1)")
	cmd.Flags().StringVar(&s.FiscalNamedBy, "fiscal-named-by", s.FiscalNamedBy, "whether a fiscal year is named by the year of its start or its end (default end)")
	cmd.Flags().StringVar(&s.DateOrder, "date-order", s.DateOrder, "how 03/04/2026 is read: dmy, mdy or language (default: refused)")
	cmd.Flags().StringVar(&s.MissingYear, "missing-year", s.MissingYear, "which year 15 May is in: latest, running or next (default: refused)")
	cmd.Flags().StringVar(&s.TwoDigitYears, "two-digit-years", s.TwoDigitYears, "the first of the hundred years that 5/15/14 is in, such as 1970 (default: refused)")
}

func (a *app) period() *cobra.Command {
	var asOf, format, file, language string
	var settings civil.Settings
	cmd := &cobra.Command{
		Use:     "period EXPRESSION",
		Short:   "Show how a period is read, offline",
		Example: "  pikegate period 'last month' --as-of 2026-04-02\n  pikegate period 2026-03-01/2026-03-31 --format json\n  pikegate period --file expressions.txt --format ndjson\n  pikegate period 'letzter Monat' --language de",
		Args: args(func(_ *cobra.Command, given []string) error {
			if (len(given) > 0) == (file != "") {
				return fmt.Errorf("give an expression, or --file")
			}
			return nil
		}),
		RunE: func(cmd *cobra.Command, given []string) error {
			ctx, err := a.dating(cmd.Context(), settings, language, asOf, format)
			if err != nil {
				return err
			}
			if file != "" {
				if format != "" && format != "ndjson" {
					return usageError{fmt.Errorf("--format %s: a file is read to ndjson", format)}
				}
				return a.readFile(file, ctx)
			}
			return a.readOne(strings.Join(given, " "), format, ctx)
		},
	}
	asOfFlag(cmd, &asOf)
	calendarFlags(cmd, &settings)
	cmd.Flags().Lookup("calendar").Usage = "a calendar of the service, or the file of its definition: its holidays, named periods and fiscal year"
	cmd.Flags().StringVar(&language, "language", "", "a language the expression may be in besides English: de, fr or es")
	cmd.Flags().StringVar(&format, "format", "", "text or json; ndjson for a file")
	cmd.Flags().StringVar(&file, "file", "", "read an expression a line from this file (- is standard input)")
	return cmd
}

// dating is the context in which a command reads dates by itself.
func (a *app) dating(ctx context.Context, settings civil.Settings, language, asOf, format string) (civil.Calendar, error) {
	calendar, err := config.Calendar(civil.Settings{}, a.Now())
	if err != nil {
		return calendar, usageError{err}
	}
	if calendar, err = a.inCalendar(ctx, calendar, settings.Use); err != nil {
		return calendar, err
	}
	if calendar, err = config.In(calendar, settings); err != nil {
		return calendar, usageError{err}
	}
	calendar.Language = language
	calendar, problems := period.AsOf(calendar, asOf)
	if len(problems) > 0 {
		return calendar, a.refusePeriod(problems.In("--as-of"), asOf, format)
	}
	return calendar, nil
}

func (a *app) readOne(expression, format string, ctx civil.Calendar) error {
	if format != "" && format != "text" && format != "json" && format != "ndjson" {
		return usageError{fmt.Errorf("--format %s is not text, json or ndjson", format)}
	}
	reading, problems := period.Describe(expression, ctx)
	switch {
	case len(problems) > 0:
		return a.refusePeriod(problems, expression, format)
	case format == "json":
		return a.printJSON(reading)
	case format == "ndjson":
		return json.NewEncoder(a.data).Encode(reading)
	}
	fmt.Fprintln(a.Stdout, reading.ReadBack)
	fmt.Fprintln(a.Stdout, "  canonical  "+reading.Canonical)
	fmt.Fprintln(a.Stdout, "  from       "+bound(reading.From, reading.FromInstant, "no start"))
	fmt.Fprintln(a.Stdout, "  until      "+bound(reading.Until, reading.UntilInstant, "no end"))
	fmt.Fprintln(a.Stdout, "  zone       "+ctx.Zone.String())
	return nil
}

// refusePeriod tells the problems of what was typed, as text or as JSON.
func (a *app) refusePeriod(problems diag.Problems, typed, format string) error {
	if format == "" || format == "text" {
		a.explainProblems(problems, func(string) string { return typed })
	} else if err := a.printJSON(refusal(problems)); err != nil {
		return err
	}
	return refusedError{}
}

func bound(at, instant *string, open string) string {
	if at == nil {
		return open
	}
	return *at + " = " + *instant
}

// refused is the JSON of an expression that was refused.
type refused struct {
	Errors []refusedEntry `json:"errors"`
}

type refusedEntry struct {
	Code    string `json:"code"`
	Message string `json:"message"`
	Hint    string `json:"hint"`
	Offset  int    `json:"offset"`
	Length  int    `json:"length"`
}

func refusal(problems diag.Problems) refused {
	var r refused
	for _, p := range problems {
		r.Errors = append(r.Errors, refusedEntry{p.Code, p.Message, p.Hint, p.Offset, p.Length})
	}
	return r
}

// maxLine is the longest line of a file that is read; a longer one is refused
// as too long, not cut.
const maxLine = 1 << 20

// readFile reads an expression a line and prints a JSON object a line; a
// refused line gives its problems, and the rest goes on.
func (a *app) readFile(name string, ctx civil.Calendar) error {
	in := a.Stdin
	if name != "-" {
		file, err := os.Open(name)
		if err != nil {
			return usageError{err}
		}
		defer file.Close()
		in = file
	}
	return describeLines(in, a.Stdout, ctx)
}

func describeLines(in io.Reader, w io.Writer, ctx civil.Calendar) error {
	lines := bufio.NewScanner(in)
	lines.Buffer(make([]byte, 64<<10), maxLine)
	out := bufio.NewWriterSize(w, 64<<10)
	objects := json.NewEncoder(out)
	objects.SetEscapeHTML(false)
	for lines.Scan() {
		var object any
		reading, problems := period.Describe(lines.Text(), ctx)
		if object = &reading; len(problems) > 0 {
			object = refusal(problems)
		}
		if err := objects.Encode(object); err != nil {
			return err
		}
	}
	if err := lines.Err(); err != nil {
		return fmt.Errorf("a line is longer than 1 MiB: %w", err)
	}
	return out.Flush()
}
