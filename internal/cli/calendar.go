package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/period"
	"pikegate/internal/wire"
)

func (a *app) calendar() *cobra.Command {
	cmd := &cobra.Command{Use: "calendar", Short: "Show the organisation's calendars: holidays, working days, named periods, fiscal years"}
	list := &cobra.Command{
		Use: "list", Short: "List the published calendars", Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			all, err := a.client().Calendars(cmd.Context())
			if err != nil {
				return err
			}
			if a.prints == "json" {
				return a.printJSON(all)
			}
			for _, c := range all {
				fmt.Fprintf(a.Stdout, "%-24s version %-4d %s\n", c.Name, c.Version, c.Title)
			}
			return nil
		},
	}
	year := 0
	show := &cobra.Command{
		Use: "show CALENDAR", Short: "Show a year of a calendar: its weeks and fiscal periods, holidays and named periods",
		Example: "  pikegate calendar show waterway --year 2026",
		Args:    args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			c, err := a.client().CalendarYear(cmd.Context(), given[0], year)
			if err != nil {
				return err
			}
			if a.prints == "json" {
				return a.printJSON(c)
			}
			a.printCalendar(c)
			return nil
		},
	}
	show.Flags().IntVar(&year, "year", 0, "the year (default this one)")
	cmd.AddCommand(a.printing(list), names(a.printing(show), a.calendarNames))
	return cmd
}

// calendarNames are the names of the calendars, for completion.
func (a *app) calendarNames(cmd *cobra.Command, _ []string) []string {
	all, _ := a.client().Calendars(cmd.Context()) // nothing is completed where nobody answers
	names := make([]string, len(all))
	for i, c := range all {
		names[i] = c.Name
	}
	return names
}

// printCalendar prints a year: a line for each week with the days that are not worked
// marked, then what has a name.
func (a *app) printCalendar(c wire.CalendarYear) {
	fmt.Fprintf(a.Stdout, "%s, %d (%s, version %d)\n\n", c.Title, c.Year, c.Name, c.Version)
	worked := map[string]bool{}
	for _, day := range c.Working {
		worked[day] = true
	}
	holidays := map[string]wire.CalendarHoliday{}
	for _, h := range c.Holidays {
		holidays[h.Day] = h
	}
	// A part begins in the week that holds its first day.
	begins := map[civil.Date][]string{}
	for _, s := range append(append([]wire.CalendarStretch{}, c.Fiscal...), c.Periods...) {
		if s.Kind != "fiscal week" && s.Kind != "month" {
			begins[dayIn(s.From)] = append(begins[dayIn(s.From)], s.Name)
		}
	}
	fmt.Fprintln(a.Stdout, "            Mon Tue Wed Thu Fri Sat Sun  worked  begins")
	for _, w := range c.Weeks {
		monday := dayIn(w.From)
		line := fmt.Sprintf("  %-9s", w.Name)
		var starts []string
		for d := monday; d < monday+7; d++ {
			year, _, day := d.YMD()
			if year != c.Year {
				line += "    "
				continue
			}
			mark := " "
			if _, ok := holidays[d.String()]; ok {
				mark = "*"
			} else if !worked[strings.ToLower(d.Weekday().String())] {
				mark = "·"
			}
			line += fmt.Sprintf(" %2d%s", day, mark)
			starts = append(starts, begins[d]...)
		}
		fmt.Fprintln(a.Stdout, strings.TrimRight(fmt.Sprintf("%s  %6d  %s", line, w.Worked, strings.Join(starts, ", ")), " "))
	}
	fmt.Fprintln(a.Stdout, "\n  * a holiday   · not worked")
	if !c.Known {
		fmt.Fprintln(a.Stdout, "  The holidays of this year are not known to the calendar.")
	}
	if len(c.Holidays) > 0 {
		fmt.Fprintln(a.Stdout, "\nHolidays")
		for _, h := range c.Holidays {
			fmt.Fprintf(a.Stdout, "  %-16s %s\n", period.OfDays(dayIn(h.Day), dayIn(h.Day)).ReadBack(), h.Name)
		}
	}
	for _, part := range []struct {
		title string
		of    []wire.CalendarStretch
	}{{"Named periods", c.Periods}, {"Fiscal", c.Fiscal}} {
		if len(part.of) == 0 {
			continue
		}
		fmt.Fprintf(a.Stdout, "\n%s\n", part.title)
		width := 0
		for _, s := range part.of {
			width = max(width, len(s.Name))
		}
		for _, s := range part.of {
			if s.Kind != "fiscal week" { // the weeks above would say it again
				fmt.Fprintf(a.Stdout, "  %-*s  %s  %3d worked\n", width, s.Name, period.OfDays(dayIn(s.From), dayIn(s.Through)).ReadBack(), s.Worked)
			}
		}
	}
}

// dayIn is a day that the service told.
func dayIn(text string) civil.Date {
	span, _ := period.Read(text, civil.Calendar{Zone: civil.UTC})
	return span.FirstDay()
}

// inCalendar is a context as a calendar has it: one in a file, or one of the service.
func (a *app) inCalendar(ctx context.Context, c civil.Calendar, name string) (civil.Calendar, error) {
	if name == "" {
		return c, nil
	}
	var documents []definition.Document
	var problems diag.Problems
	if ext := filepath.Ext(name); ext == ".yaml" || ext == ".yml" || ext == ".json" {
		var err error
		if _, documents, problems, err = a.decodeFiles([]string{name}, true); err != nil {
			return c, err
		}
	} else {
		text, _, err := a.client().Definition(ctx, "calendar", name, 0)
		if err != nil {
			return c, err
		}
		documents, problems = definition.Decode(name, []byte(text))
	}
	if problems.Failed() {
		return c, problems
	}
	for _, d := range documents {
		if named, ok := d.(*definition.Calendar); ok {
			library := definition.Library{CalendarOf: func(string) (*definition.Calendar, bool) { return named, true }}
			c, problems = library.In(c, named.Name)
			return c, problems.Err()
		}
	}
	return c, usageError{fmt.Errorf("--calendar %s: there is no definition of a calendar in it", name)}
}

// embedded puts the files that a definition names into it, from the folder it lies in.
func embedded(name string, content []byte) ([]byte, error) {
	return definition.Embed(content, func(file string) ([]byte, error) {
		if !filepath.IsAbs(file) {
			file = filepath.Join(filepath.Dir(name), file)
		}
		return os.ReadFile(file)
	})
}
