package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"
)

func (a *app) begin() *cobra.Command {
	var source, on string
	cmd := &cobra.Command{
		Use:   "begin TABLE --source NAME",
		Short: "Begin a report from a table: print a whole query and report to go on from",
		Long: "Begin a report from a table: print a whole query and report to go on from.\n" +
			"They have the table's columns, what its foreign keys lead to, a question for a period, and the newest records first. Nothing is kept: save what is printed to a file, change it, and push it.",
		Example: "  pikegate begin passages --source navigation > passages.yaml\n  pikegate push passages.yaml && pikegate publish passages",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, given []string) error {
			made, err := a.client().Begin(cmd.Context(), source, given[0], on)
			if err != nil {
				return err
			}
			return a.show(made, func() error {
				for _, d := range made.Dates {
					switch {
					case d.Asked:
						fmt.Fprintf(a.Stderr, "Asks about %s (%s).\n", d.Column, d.Why)
					default:
						fmt.Fprintf(a.Stderr, "Or about %s (%s): --on %s\n", d.Column, d.Why, d.Column)
					}
				}
				if len(made.Dates) == 0 {
					fmt.Fprintln(a.Stderr, "The table has no date to ask about. If one of its columns holds dates, say how with pikegate source set-encoding.")
				}
				if len(made.LeftOut) > 0 {
					fmt.Fprintf(a.Stderr, "Left out: %s.\n", strings.Join(made.LeftOut, ", "))
				}
				_, err := fmt.Fprint(a.Stdout, made.Content)
				return err
			})
		},
	}
	cmd.Flags().StringVar(&source, "source", "", "the source the table is in")
	cmd.Flags().StringVar(&on, "on", "", "the date to ask about, instead of the one that fits best")
	_ = cmd.MarkFlagRequired("source") // it is there
	return a.printing(cmd)
}

func (a *app) copy() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "copy [KIND] NAME NEW",
		Short: "Copy a definition under another name, to be varied",
		Long: "Keep what was pushed last under another name, as a draft.\n" +
			"A report takes its query along where no other report uses it, so that both can be varied.",
		Example: "  pikegate copy passages-by-date passages-of-mine",
		Args:    args(cobra.RangeArgs(2, 3)),
		RunE: func(cmd *cobra.Command, given []string) error {
			to := given[len(given)-1]
			kind, name, err := a.definition(cmd, given[:len(given)-1])
			if err != nil {
				return err
			}
			checked, err := a.client().Copy(cmd.Context(), kind, name, to)
			if err != nil {
				return err
			}
			return a.show(checked, func() error {
				for _, d := range checked.Definitions {
					fmt.Fprintf(a.Stdout, "%s %s is kept as a draft, revision %d\n", d.Kind, d.Name, d.Revision)
				}
				return nil
			})
		},
	}
	return names(a.printing(cmd), a.definitionNames)
}
