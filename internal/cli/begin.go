package cli

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"
)

func (a *app) begin() *cobra.Command {
	var source, on, sql string
	cmd := &cobra.Command{
		Use:   "begin [TABLE] --source NAME",
		Short: "Begin a report from a table or a statement: print a whole query and report to go on from",
		Long: "Begin a report from a table or a statement: print a whole query and report to go on from.\n" +
			"Of a table they have its columns, what its foreign keys lead to, a question for a period, and the newest records first. Of a statement (--sql FILE, - for standard input) they have a question for each date, number and text that its conditions compare a column with; what stands there now is the answer it begins with. Nothing is kept: save what is printed to a file, change it, and push it.",
		Example: "  pikegate begin passages --source navigation > passages.yaml\n  pikegate push passages.yaml && pikegate publish passages\n  pikegate begin --sql passages.sql --source navigation > passages.yaml",
		Args: func(cmd *cobra.Command, given []string) error {
			if sql != "" {
				return cobra.NoArgs(cmd, given)
			}
			return cobra.ExactArgs(1)(cmd, given)
		},
		RunE: func(cmd *cobra.Command, given []string) error {
			if sql != "" {
				return a.beginSQL(cmd, source, sql)
			}
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
	cmd.Flags().StringVar(&sql, "sql", "", "a file with the statement to begin with, instead of a table")
	cmd.Flags().StringVar(&on, "on", "", "the date to ask about, instead of the one that fits best")
	cmd.MarkFlagsMutuallyExclusive("sql", "on")
	_ = cmd.MarkFlagRequired("source") // it is there
	return a.printing(cmd)
}

func (a *app) beginSQL(cmd *cobra.Command, source, file string) error {
	var statement []byte
	var err error
	if file == "-" {
		statement, err = io.ReadAll(a.Stdin)
	} else {
		statement, err = os.ReadFile(file)
	}
	if err != nil {
		return err
	}
	made, err := a.client().BeginSQL(cmd.Context(), source, string(statement))
	if err != nil {
		return err
	}
	return a.show(made, func() error {
		for _, q := range made.Questions {
			fmt.Fprintf(a.Stderr, "Asks for %s: %s is now %s.", q.Name, q.Condition, q.Becomes)
			if q.Note != "" {
				fmt.Fprint(a.Stderr, " "+q.Note)
			}
			fmt.Fprintln(a.Stderr)
		}
		if len(made.Questions) == 0 {
			fmt.Fprintln(a.Stderr, "No condition of the statement compares a column with a value that could be asked for.")
		}
		_, err := fmt.Fprint(a.Stdout, made.Content)
		return err
	})
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
