package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/internal/wire"
)

func (a *app) rename() *cobra.Command {
	var r wire.Renaming
	cmd := &cobra.Command{
		Use:   "rename [KIND] NAME NEW",
		Short: "Give a query, a shared question or condition, or with --column or --question a part of one, another name wherever it is used",
		Long: "Give a query, a shared question or condition, or with --column or --question a part of one, another name wherever it is used.\n" +
			"Every line that would change is shown first. The changes are kept as drafts, all or none, once that is agreed to, or with --keep; what is published stays as it is until it is published again.",
		Example: "  pikegate rename lock-passages passages-through-locks\n  pikegate rename lock-passages dues --column toll --keep\n  pikegate rename lock-passages days --question period",
		Args:    args(cobra.RangeArgs(2, 3)),
		RunE: func(cmd *cobra.Command, given []string) (err error) {
			r.To = given[len(given)-1]
			if r.Kind, r.Name, err = a.definition(cmd, given[:len(given)-1]); err != nil {
				return err
			}
			renamed, err := a.client().Rename(cmd.Context(), r)
			if err != nil {
				return err
			}
			err = a.show(renamed, func() error {
				a.explainProblems(renamed.Warnings, nil)
				a.printRenamed(renamed)
				return nil
			})
			if err != nil || a.prints == "json" {
				return err
			}
			if !r.Keep && !a.agreed("Keep these changes as drafts?") {
				fmt.Fprintln(a.Stderr, "Nothing was changed. With --keep the changes are kept as drafts.")
				return nil
			}
			if !r.Keep {
				r.Keep = true
				if renamed, err = a.client().Rename(cmd.Context(), r); err != nil {
					return err
				}
			}
			return a.printChecked(wire.Checked{Definitions: renamed.Kept}, "draft")
		},
	}
	cmd.Flags().StringVar(&r.Column, "column", "", "the column of the result that gets the new name")
	cmd.Flags().StringVar(&r.Question, "question", "", "the question that gets the new name")
	cmd.Flags().BoolVar(&r.Keep, "keep", false, "keep the changes as drafts without asking")
	cmd.MarkFlagsMutuallyExclusive("column", "question")
	return names(a.printing(cmd), a.definitionNames)
}

func (a *app) printRenamed(renamed wire.Renamed) {
	for _, c := range renamed.Changes {
		becomes := ""
		if c.Becomes != "" {
			becomes = ", which becomes " + c.Becomes
		}
		fmt.Fprintf(a.Stdout, "%s %s%s\n", c.Kind, c.Name, becomes)
		for _, l := range c.Lines {
			fmt.Fprintf(a.Stdout, "%5d  %s\n", l.Line, strings.TrimSpace(l.Was))
			if l.Is != "" {
				fmt.Fprintf(a.Stdout, "    →  %s\n", strings.TrimSpace(l.Is))
			}
		}
	}
	for _, d := range renamed.Stays {
		why := "definitions that you may not see use it"
		if d.Published {
			why = "it is published: publish what uses it, then remove it"
		}
		fmt.Fprintf(a.Stderr, "The %s %s stays as well, for %s.\n", d.Kind, d.Name, why)
	}
}
