package cli

import (
	"fmt"
	"strconv"
	"text/tabwriter"

	"github.com/spf13/cobra"
)

func (a *app) runs() *cobra.Command {
	var report, outcome string
	var limit int
	cmd := &cobra.Command{
		Use:   "runs [NUMBER]",
		Short: "List the newest runs, or show the whole record of one",
		Args:  args(cobra.MaximumNArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if len(given) == 1 {
				id, err := runNumber(given[0])
				if err != nil {
					return err
				}
				record, err := a.client().RunRecord(cmd.Context(), id)
				if err != nil {
					return err
				}
				return a.printJSON(record)
			}
			records, err := a.client().RunRecords(cmd.Context(), report, outcome, limit)
			if err != nil {
				return err
			}
			if a.prints == "json" {
				return a.printJSON(records)
			}
			w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
			for _, r := range records {
				fmt.Fprintf(w, "%d\t%s\t%s\t%s\t%d\t%s\n", r.Run, r.StartedAt.Format("2006-01-02 15:04:05Z"), r.Report, r.Outcome, r.Count, r.ReadBack)
			}
			return w.Flush()
		},
	}
	cmd.Flags().StringVar(&report, "report", "", "only runs of this report")
	cmd.Flags().StringVar(&outcome, "outcome", "", "only runs that ended so: done, empty, failed, refused, cancelled, timed_out, stalled or stopped")
	cmd.Flags().IntVar(&limit, "limit", 20, "how many at the most")
	return names(a.printing(cmd))
}

func runNumber(text string) (uint, error) {
	id, err := strconv.ParseUint(text, 10, 32)
	if err != nil {
		return 0, usageError{fmt.Errorf("%q is not the number of a run", text)}
	}
	return uint(id), nil
}
