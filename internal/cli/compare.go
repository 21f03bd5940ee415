package cli

import (
	"fmt"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"pikegate/internal/output"
	"pikegate/internal/wire"
)

func (a *app) compare() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "compare RUN RUN",
		Short: "Show which records came, went and changed between two runs of a report",
		Long: "Ask two runs anew, each with its version, answers and day, and show how their records differ: + came, - went,\n" +
			"~ changed; and which records came since a run, where its fingerprints are kept. Up to 500 of each kind are shown; all are counted.",
		Example: "  pikegate compare 17 23",
		Args:    args(cobra.ExactArgs(2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			before, err := runNumber(given[0])
			if err != nil {
				return err
			}
			after, err := runNumber(given[1])
			if err != nil {
				return err
			}
			c, err := a.client().Compare(cmd.Context(), before, after)
			if err != nil {
				return err
			}
			if a.prints == "json" {
				return a.printJSON(c)
			}
			w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
			line := func(mark string, cells []any) {
				fmt.Fprintln(w, mark+"\t"+strings.Join(cellTexts(cells, c.Columns), "\t"))
			}
			for _, d := range c.Rows {
				switch d.Kind {
				case "came":
					line("+", d.After)
				case "went":
					line("-", d.Before)
				case "since":
					line(fmt.Sprintf("since %d", d.Run), d.After)
				default:
					line("~ was", d.Before)
					line("~ is", d.After)
				}
			}
			if err := w.Flush(); err != nil {
				return err
			}
			for _, side := range []wire.Side{c.Before, c.After} {
				changed := ""
				if s := side.Since; s != nil && s.Came+s.Went > 0 {
					changed = fmt.Sprintf(": %s came since or changed, %s are no longer there as they were", output.Thousands(s.Came), output.Thousands(s.Went))
				}
				fmt.Fprintf(a.Stderr, "Run %d found %s then and finds %s now%s.\n", side.Run, strings.ToLower(records(side.Then)), strings.ToLower(records(side.Now)), changed)
			}
			fmt.Fprintf(a.Stderr, "%s came, %s went, %s changed, %s stayed the same.\n", output.Thousands(c.Came), output.Thousands(c.Went), output.Thousands(c.Changed), output.Thousands(c.Same))
			return nil
		},
	}
	return names(a.printing(cmd))
}
