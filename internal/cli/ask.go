package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/core/parameter"
	"pikegate/internal/client"
	"pikegate/internal/wire"
)

func (a *app) ask() *cobra.Command {
	var run client.Run
	cmd := &cobra.Command{
		Use:   "ask REPORT",
		Short: "Show what a report asks: kinds, defaults and limits",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			form, err := a.client().Ask(cmd.Context(), given[0], run)
			if err != nil {
				return err
			}
			if a.prints == "json" {
				return a.printJSON(form)
			}
			fmt.Fprintf(a.Stdout, "%s (%s, %s)\n", form.Title, form.Name, versionWords(form.Version))
			if form.About != "" {
				fmt.Fprintln(a.Stdout, form.About)
			}
			fmt.Fprintf(a.Stdout, "Days are days in %s, where it is %s.\n", form.Zone, form.Today)
			for _, q := range form.Questions {
				fmt.Fprintln(a.Stdout)
				fmt.Fprintf(a.Stdout, "  %s  %s\n", q.Name, q.Label)
				for _, line := range about(q) {
					fmt.Fprintln(a.Stdout, "      "+line)
				}
			}
			return nil
		},
	}
	asOfFlag(cmd, &run.AsOf)
	draftFlag(cmd, &run.Draft)
	return names(a.printing(cmd), a.reportNames)
}

func asOfFlag(cmd *cobra.Command, asOf *string) {
	cmd.Flags().StringVar(asOf, "as-of", "", "the day (or instant) taken for today")
}

func versionWords(version int) string {
	if version == 0 {
		return "the draft"
	}
	return fmt.Sprintf("version %d", version)
}

// about describes a question, a line for each thing there is to say.
func about(q wire.FormQuestion) []string {
	kind := string(q.Kind)
	if q.Many {
		kind += ", several answers"
	}
	if q.Required {
		kind += ", needed"
	} else {
		kind += ", may be left out"
	}
	lines := []string{kind}
	add := func(format string, values ...any) { lines = append(lines, fmt.Sprintf(format, values...)) }
	if q.Help != "" {
		add("%s", q.Help)
	}
	if len(q.Default) > 0 {
		add("default: %s  (today: %s)", strings.Join(q.Default, ", "), q.DefaultReadBack)
	}
	if q.Earliest != "" || q.Latest != "" {
		add("from %s to %s", orAny(q.Earliest), orAny(q.Latest))
	}
	if q.Limits.Longest != "" {
		unit := ""
		if q.Kind == parameter.Text {
			unit = " characters"
		}
		add("at most %s%s", q.Limits.Longest, unit)
	}
	switch q.Limits.Ends {
	case parameter.EndsClosed:
		add("needs both a start and an end")
	case parameter.EndsOpenStart:
		add("the start may be left open (..)")
	case parameter.EndsOpenEnd:
		add("the end may be left open (..)")
	case parameter.EndsOpen:
		add("start and end may be left open (..)")
	}
	if q.Choices.Column != "" {
		add("one of the values of %s", q.Choices.Column)
	}
	for _, c := range q.Choices.Listed {
		add("choice: %s  %s", c.Value, c.Label)
	}
	if len(q.Quick) > 0 {
		add("for example: %s", strings.Join(q.Quick, ", "))
	}
	return lines
}

func orAny(s string) string {
	if s == "" {
		return "any"
	}
	return s
}
