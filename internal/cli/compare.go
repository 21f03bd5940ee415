package cli

import (
	"fmt"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"
)

func (a *app) compare() *cobra.Command {
	var format string
	cmd := &cobra.Command{
		Use:   "compare RUN RUN",
		Short: "Show which records came, went and changed between two runs of a report",
		Long: "Ask two runs anew, each with its version, answers and day, and show how their records differ: + came, - went,\n" +
			"~ changed. Up to 500 of each kind are shown; all are counted.",
		Example: "  pikegate compare 17 23",
		Args:    args(cobra.ExactArgs(2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if err := textOrJSON(format); err != nil {
				return err
			}
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
			if format == "json" {
				return a.printJSON(c)
			}
			w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
			line := func(mark string, cells []any) { fmt.Fprintln(w, mark+"\t"+strings.Join(cellTexts(cells), "\t")) }
			for _, d := range c.Rows {
				switch d.Kind {
				case "came":
					line("+", d.After)
				case "went":
					line("-", d.Before)
				default:
					line("~ was", d.Before)
					line("~ is", d.After)
				}
			}
			if err := w.Flush(); err != nil {
				return err
			}
			for _, side := range []struct {
				run       uint
				then, now int64
			}{{before, c.Before.Then, c.Before.Now}, {after, c.After.Then, c.After.Now}} {
				fmt.Fprintf(a.Stderr, "Run %d found %s then and finds %s now.\n", side.run, strings.ToLower(records(side.then)), strings.ToLower(records(side.now)))
			}
			fmt.Fprintf(a.Stderr, "%s came, %s went, %s changed, %s stayed the same.\n", thousands(c.Came), thousands(c.Went), thousands(c.Changed), thousands(c.Same))
			return nil
		},
	}
	cmd.Flags().StringVar(&format, "format", "text", "text or json")
	return cmd
}
