package cli

import (
	"fmt"
	"text/tabwriter"

	"github.com/spf13/cobra"
)

func (a *app) reports() *cobra.Command {
	return names(a.printing(&cobra.Command{
		Use:   "reports",
		Short: "List the reports that can be run",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Reports(cmd.Context())
			if err != nil {
				return err
			}
			if len(list) == 0 {
				fmt.Fprintln(a.Stderr, "No report is published yet. Write one, then pikegate push FILE and pikegate publish NAME.")
			}
			return a.show(list, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, r := range list {
					fmt.Fprintf(w, "%s\t%s\tversion %d\n", r.Name, r.Title, r.Version)
				}
				return w.Flush()
			})
		},
	}))
}
