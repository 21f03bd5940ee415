package cli

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"pikegate/core/parameter"
	"pikegate/internal/client"
	"pikegate/internal/wire"
)

func (a *app) answers() *cobra.Command {
	return holding("answers", "Save answers to a report or an overview under a name", a.answersList(), a.answersSave(), a.answersRemove())
}

// askedFlag has a command take the name of an overview instead of a report's.
func askedFlag(cmd *cobra.Command, overview *bool) {
	cmd.Flags().BoolVar(overview, "overview", false, "the name is that of an overview")
}

// asker is what was named.
func (in *inputs) asker(name string) client.Asker {
	if in.overview {
		return client.OverviewAsker(name)
	}
	return client.ReportAsker(name)
}

// askedNames completes the name of a report or an overview.
func (a *app) askedNames(in *inputs) func(cmd *cobra.Command, given []string) []string {
	return func(cmd *cobra.Command, given []string) []string {
		if in.overview {
			return a.overviewNames(cmd, given)
		}
		return a.reportNames(cmd, given)
	}
}

func (a *app) answersList() *cobra.Command {
	var in inputs
	cmd := &cobra.Command{
		Use:   "list REPORT",
		Short: "List the answers that are saved: your own, and those for all readers",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			list, err := a.client().SavedAnswers(cmd.Context(), in.asker(given[0]))
			if err != nil {
				return err
			}
			return a.show(list, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, saved := range list {
					whose := "yours"
					if saved.Shared {
						whose = "for all readers"
					}
					if saved.Begins {
						whose += ", the page begins with them"
					}
					fmt.Fprintf(w, "%s\t%s\t%s\n", saved.Name, whose, typedAnswers(saved.Inputs))
				}
				return w.Flush()
			})
		},
	}
	askedFlag(cmd, &in.overview)
	return names(a.printing(cmd), a.askedNames(&in))
}

// typedAnswers is what was typed, as options would give it.
func typedAnswers(inputs parameter.Inputs) string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(inputs)) {
		in := inputs[name]
		values := slices.Clone(in.Texts)
		if in.Start != nil {
			values = append(values, "from "+*in.Start)
		}
		if in.End != nil {
			values = append(values, "through "+*in.End)
		}
		out = append(out, name+"="+strings.Join(values, ", "))
	}
	return strings.Join(out, "; ")
}

func (a *app) answersSave() *cobra.Command {
	var in inputs
	var saved wire.SavedAnswers
	cmd := &cobra.Command{
		Use:     "save REPORT NAME",
		Short:   "Save answers under a name; words such as last month are read anew each time",
		Example: "  pikegate answers save passages-by-date 'Last month' --set period='last month'\n  pikegate run passages-by-date --answers 'Last month'",
		Args:    args(cobra.ExactArgs(2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			request, err := in.request(cmd.Context(), a.client(), given[0])
			if err != nil {
				return err
			}
			saved.Name, saved.Inputs = given[1], request.Inputs
			kept, err := a.client().SaveAnswers(cmd.Context(), in.asker(given[0]), saved)
			if err != nil {
				return err
			}
			return a.show(kept, func() error {
				fmt.Fprintf(a.Stdout, "saved %s: %s\n", kept.Name, typedAnswers(kept.Inputs))
				return nil
			})
		},
	}
	cmd.Flags().StringArrayVar(&in.set, "set", nil, "an answer, as NAME=VALUE; repeat it for several answers to one question")
	cmd.Flags().StringVar(&in.start, "start", "", "the start of the report's period")
	cmd.Flags().StringVar(&in.end, "end", "", "the end of the report's period; it counts in full")
	cmd.Flags().BoolVar(&saved.Shared, "shared", false, "for all readers, by who manages the folder")
	cmd.Flags().BoolVar(&saved.Begins, "begin", false, "the page begins with them")
	askedFlag(cmd, &in.overview)
	a.answersCompleted(cmd, &in)
	return names(a.printing(cmd), a.askedNames(&in))
}

func (a *app) answersRemove() *cobra.Command {
	var in inputs
	var shared bool
	cmd := &cobra.Command{
		Use:   "remove REPORT NAME",
		Short: "Remove saved answers",
		Args:  args(cobra.ExactArgs(2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if err := a.client().RemoveAnswers(cmd.Context(), in.asker(given[0]), given[1], shared); err != nil {
				return err
			}
			fmt.Fprintln(a.Stdout, "removed the answers "+given[1])
			return nil
		},
	}
	cmd.Flags().BoolVar(&shared, "shared", false, "those for all readers")
	askedFlag(cmd, &in.overview)
	return names(cmd, a.askedNames(&in))
}

func (a *app) secretCommand() *cobra.Command {
	return holding("secret", "Keep the passwords of sources in the service, sealed", a.secretSet(), a.secretList(), a.secretRemove())
}

func (a *app) secretSet() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "set NAME",
		Short: "Keep the password of sources under a name, sealed",
		Long: "Keep the password of sources under a name, sealed under the installation's key. It is asked for, or read from the\n" +
			"first line of standard input; never from the command line, which others can see. A source takes the one of its own\n" +
			"name, or that of --secret. One in the environment or the file of secrets comes first.",
		Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			secret, err := a.secret("Password: ")
			if err != nil {
				return err
			}
			if err := a.client().SaveSecret(cmd.Context(), given[0], secret); err != nil {
				return err
			}
			fmt.Fprintln(a.Stdout, "kept the secret "+given[0])
			return nil
		},
	}
	return names(cmd, a.sourceNames)
}

func (a *app) secretList() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "list",
		Short: "List the secrets that are kept sealed, by name",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Secrets(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(list, func() error {
				for _, s := range list {
					fmt.Fprintf(a.Stdout, "%s  set %s\n", s.Name, s.At.Format("2006-01-02 15:04Z"))
				}
				return nil
			})
		},
	}
	return names(a.printing(cmd))
}

func (a *app) secretRemove() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "remove NAME",
		Short: "Forget a secret",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if err := a.client().RemoveSecret(cmd.Context(), given[0]); err != nil {
				return err
			}
			fmt.Fprintln(a.Stdout, "forgot the secret "+given[0])
			return nil
		},
	}
	return names(cmd)
}
