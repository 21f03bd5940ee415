package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/core/diag"
	"pikegate/core/period"
	"pikegate/internal/config"
)

func (a *app) period() *cobra.Command {
	var asOf, zoneName, format string
	cmd := &cobra.Command{
		Use:     "period EXPRESSION",
		Short:   "Show how a period is read, offline",
		Example: "  pikegate period 'last month' --as-of 2026-04-02\n  pikegate period 2026-03-01/2026-03-31 --format json",
		Args:    args(cobra.MinimumNArgs(1)),
		RunE: func(_ *cobra.Command, given []string) error {
			if format != "text" && format != "json" {
				return usageError{fmt.Errorf("--format %s is not text or json", format)}
			}
			zone, err := config.Location(zoneName)
			if err != nil {
				return usageError{fmt.Errorf("--zone: %w", err)}
			}
			expression := strings.Join(given, " ")
			ctx, problems := period.AsOf(config.Calendar(zone, a.Now()), asOf)
			var reading period.Reading
			if problems = problems.In("--as-of"); len(problems) == 0 {
				reading, problems = period.Describe(expression, ctx)
			}
			if len(problems) > 0 {
				return a.refusePeriod(problems, expression, asOf, format)
			}
			if format == "json" {
				return a.printJSON(reading)
			}
			fmt.Fprintln(a.Stdout, reading.ReadBack)
			fmt.Fprintln(a.Stdout, "  canonical  "+reading.Canonical)
			fmt.Fprintln(a.Stdout, "  from       "+bound(reading.From, reading.FromInstant, "no start"))
			fmt.Fprintln(a.Stdout, "  until      "+bound(reading.Until, reading.UntilInstant, "no end"))
			fmt.Fprintln(a.Stdout, "  zone       "+zone.String())
			return nil
		},
	}
	asOfFlag(cmd, &asOf)
	cmd.Flags().StringVar(&zoneName, "zone", "", "the IANA zone in which days begin and end (default the machine's)")
	cmd.Flags().StringVar(&format, "format", "text", "text or json")
	return cmd
}

func bound(at, instant *string, open string) string {
	if at == nil {
		return open
	}
	return *at + " = " + *instant
}

// refusePeriod tells the problems as text, or as JSON of the promised shape.
func (a *app) refusePeriod(problems diag.Problems, expression, asOf, format string) error {
	if format == "text" {
		a.explainProblems(problems, func(field string) string {
			if field == "--as-of" {
				return asOf
			}
			return expression
		})
		return refusedError{}
	}
	type entry struct {
		Code    string `json:"code"`
		Message string `json:"message"`
		Hint    string `json:"hint"`
		Offset  int    `json:"offset"`
		Length  int    `json:"length"`
	}
	var refused struct {
		Errors []entry `json:"errors"`
	}
	for _, p := range problems {
		refused.Errors = append(refused.Errors, entry{p.Code, p.Message, p.Hint, p.Offset, p.Length})
	}
	if err := a.printJSON(refused); err != nil {
		return err
	}
	return refusedError{}
}
