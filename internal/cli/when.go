package cli

import (
	"fmt"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/period"
	"pikegate/core/recurrence"
)

// mostTimes is how many times are shown at the most.
const mostTimes = 1000

func (a *app) when() *cobra.Command {
	var asOf, format, answer string
	var n int
	var settings civil.Settings
	cmd := &cobra.Command{
		Use:   "when RULE",
		Short: "Show when something that happens again is due next, offline",
		Example: "  pikegate when 'every monday at 07:00'\n" +
			"  pikegate when 'on the first working day of every month at 07:00' --calendar waterway --next 12\n" +
			"  pikegate when 'every monday at 07:00' --period 'last week'",
		Args: args(cobra.MinimumNArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if format != "" && format != "text" && format != "json" {
				return usageError{fmt.Errorf("--format %s is not text or json", format)}
			}
			if n < 1 || n > mostTimes {
				return usageError{fmt.Errorf("--next %d: from 1 to %d times are shown", n, mostTimes)}
			}
			ctx, err := a.dating(cmd.Context(), settings, "", asOf, format)
			if err != nil {
				return err
			}
			text := strings.Join(given, " ")
			reading, problems := recurrence.Describe(text, n, ctx)
			if len(problems) > 0 {
				return a.refusePeriod(problems, text, format)
			}
			list, problems := meant(reading, answer, ctx)
			if len(problems) > 0 {
				return a.refusePeriod(problems.In("--period"), answer, format)
			}
			if format == "json" {
				return a.printJSON(struct {
					recurrence.Reading
					Times []dueTime `json:"times"`
				}{reading, list})
			}
			return a.printTimes(reading, list)
		},
	}
	asOfFlag(cmd, &asOf)
	calendarFlags(cmd, &settings)
	cmd.Flags().Lookup("calendar").Usage = "a calendar of the service, or the file of its definition: its holidays and fiscal year"
	cmd.Flags().IntVar(&n, "next", 5, "how many times to show")
	cmd.Flags().StringVar(&answer, "period", "", "a period, to show what it means at each of the times")
	cmd.Flags().StringVar(&format, "format", "", "text or json")
	return cmd
}

// dueTime is a time that is due, and what a period means at it.
type dueTime struct {
	recurrence.DueTime
	Period   string `json:"period,omitempty"`
	ReadBack string `json:"readback,omitempty"`
}

// meant reads a period as of each time.
func meant(r recurrence.Reading, answer string, ctx civil.Calendar) (list []dueTime, problems diag.Problems) {
	for _, d := range r.Times {
		made := dueTime{DueTime: d}
		if answer != "" {
			ctx.Now = d.Due.At
			span, problems := period.Read(answer, ctx)
			if len(problems) > 0 {
				return nil, problems
			}
			made.Period, made.ReadBack = span.Canonical(), span.ReadBack()
		}
		list = append(list, made)
	}
	return list, nil
}

// printTimes prints when a rule is due.
func (a *app) printTimes(r recurrence.Reading, list []dueTime) error {
	fmt.Fprintf(a.Stdout, "%s, in %s\n", r.Rule, r.Zone)
	w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
	for _, d := range list {
		line := "  " + period.Span{From: d.Due.Civil.Date().Midnight(), Until: (d.Due.Civil.Date() + 1).Midnight()}.ReadBack() + "\t" + d.At[11:]
		if d.Meant != "" {
			line += ", as the clock leaves out " + d.Meant[11:16]
		}
		if d.ReadBack != "" {
			line += "\t" + d.ReadBack
		}
		fmt.Fprintln(w, line)
	}
	err := w.Flush()
	if r.Ended != "" {
		fmt.Fprintln(a.Stdout, r.Ended)
	}
	return err
}
