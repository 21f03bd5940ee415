package cli

import (
	"fmt"
	"strconv"
	"strings"
	"text/tabwriter"

	"pikegate/internal/wire"

	"pikegate/core/definition"

	"github.com/spf13/cobra"
)

func (a *app) versions() *cobra.Command {
	var show, bringBack int
	var differences string
	cmd := &cobra.Command{
		Use:   "versions [KIND] NAME",
		Short: "List, show, compare and bring back the published versions of a definition",
		Long: "List the published versions of a definition, the newest first. Version 0 is what was pushed last.\n" +
			"Bringing a version back makes it the draft; publish makes that the next version.",
		Example: "  pikegate versions passages-by-date\n  pikegate versions passages-by-date --differences 1..0\n  pikegate versions query lock-passages --bring-back 2",
		Args:    args(cobra.RangeArgs(1, 2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			kind, name, err := a.definition(cmd, given)
			if err != nil {
				return err
			}
			flags := cmd.Flags()
			switch {
			case flags.Changed("show"):
				content, _, err := a.client().Definition(cmd.Context(), kind, name, show)
				fmt.Fprint(a.Stdout, content)
				return err
			case flags.Changed("bring-back"):
				content, _, err := a.client().Definition(cmd.Context(), kind, name, bringBack)
				if err != nil {
					return err
				}
				checked, err := a.client().Push(cmd.Context(), content, wire.Keeping{})
				if err != nil {
					return err
				}
				return a.printChecked(checked, "draft")
			case flags.Changed("differences"):
				return a.differences(cmd, kind, name, differences)
			}
			list, err := a.client().Versions(cmd.Context(), kind, name)
			if err != nil {
				return err
			}
			if a.prints == "json" {
				return a.printJSON(list)
			}
			w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
			for _, v := range list {
				fmt.Fprintf(w, "%d\t%s\n", v.Number, v.PublishedAt.Format("2006-01-02 15:04:05Z"))
			}
			if len(list) == 0 {
				fmt.Fprintf(a.Stderr, "The %s %s was never published.\n", kind, name)
			}
			return w.Flush()
		},
	}
	cmd.Flags().IntVar(&show, "show", 0, "print this version")
	cmd.Flags().StringVar(&differences, "differences", "", "say how two versions differ, as FROM..TO")
	cmd.Flags().IntVar(&bringBack, "bring-back", 0, "make this version the draft")
	return names(a.printing(cmd), a.definitionNames)
}

func (a *app) differences(cmd *cobra.Command, kind, name, between string) error {
	left, right, ok := strings.Cut(between, "..")
	from, err1 := strconv.Atoi(left)
	to, err2 := strconv.Atoi(right)
	if !ok || err1 != nil || err2 != nil {
		return usageError{fmt.Errorf("--differences %q is not two versions, such as 1..2", between)}
	}
	found, err := a.client().Differences(cmd.Context(), kind, name, from, to)
	if err != nil {
		return err
	}
	return a.show(found, func() error {
		a.printDifferences(found)
		return nil
	})
}

func (a *app) printDifferences(found []definition.Difference) {
	for _, d := range found {
		fmt.Fprintln(a.Stdout, "  "+d.Words)
	}
	if len(found) == 0 {
		fmt.Fprintln(a.Stdout, "  Nothing differs but comments and the order of fields.")
	}
}

// definition finds the kind of a name that was given without one.
func (a *app) definition(cmd *cobra.Command, given []string) (kind, name string, err error) {
	if len(given) == 2 {
		return given[0], given[1], nil
	}
	all, err := a.client().Definitions(cmd.Context())
	if err != nil {
		return "", "", err
	}
	var kinds []string
	for _, d := range all {
		if d.Name == given[0] {
			kinds = append(kinds, d.Kind)
		}
	}
	switch len(kinds) {
	case 0:
		return "report", given[0], nil // the service says that there is none
	case 1:
		return kinds[0], given[0], nil
	}
	return "", "", usageError{fmt.Errorf("%s is the name of a %s; name the kind too", given[0], strings.Join(kinds, " and of a "))}
}

func (a *app) review() *cobra.Command {
	return names(a.printing(&cobra.Command{
		Use:   "review NAME",
		Short: "Show what publishing a name would do: the differences, the examples, who is affected",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			r, err := a.client().Review(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			err = a.show(r, func() error {
				a.explainProblems(r.Problems, nil)
				for _, c := range r.Changes {
					fmt.Fprintf(a.Stdout, "%s %s would become version %d\n", c.Kind, c.Name, c.Version)
					if c.Version > 1 {
						a.printDifferences(c.Differences)
					}
				}
				if len(r.Changes) == 0 {
					fmt.Fprintln(a.Stdout, "What was pushed is published already, with what it uses.")
				}
				a.printExamples(r.Examples)
				for _, u := range r.Users {
					fmt.Fprintf(a.Stdout, "%s %s uses it\n", u.Kind, u.Name)
				}
				return nil
			})
			if err != nil {
				return err
			}
			if r.Problems.Failed() || !allKept(r.Examples) {
				return refusedError{}
			}
			return nil
		},
	}), a.definitionNames)
}
