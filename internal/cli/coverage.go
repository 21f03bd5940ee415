package cli

import (
	"fmt"
	"strings"

	"github.com/rivo/uniseg"
	"github.com/spf13/cobra"
)

// barWidth is how many characters the longest bar has.
const barWidth = 50

func (a *app) coverage() *cobra.Command {
	var in inputs
	var by string
	cmd := &cobra.Command{
		Use:     "coverage REPORT",
		Short:   "Show how many records each day, month or year holds",
		Long:    "Show how many records each unit of time holds, the other answers applied: where there is anything to find.",
		Example: "  pikegate coverage passages-by-date --by quarter --set 'locks=Harrow Top'",
		Args:    args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			request, err := in.request(cmd.Context(), a.client(), given[0])
			if err != nil {
				return err
			}
			c, err := a.client().Coverage(cmd.Context(), given[0], by, request)
			if err != nil {
				return a.explained(err, request)
			}
			if a.prints == "json" {
				return a.printJSON(c)
			}
			most, width := int64(1), 0
			for i, u := range c.Units {
				if u.Name != "" {
					c.Units[i].Period = u.Name
				}
				most = max(most, u.Count)
				width = max(width, uniseg.StringWidth(c.Units[i].Period))
			}
			digits := len(fmt.Sprint(most))
			for _, u := range c.Units {
				fmt.Fprintf(a.Stdout, "%-*s  %*d  %s\n", width, u.Period, digits, u.Count, bar(u.Count, most))
			}
			note := ""
			if c.Blank > 0 {
				note = fmt.Sprintf(", %d of them without a date", c.Blank)
			}
			if c.Unfit > 0 {
				note += fmt.Sprintf(", %d with a date that cannot be read", c.Unfit)
			}
			if c.Outside > 0 {
				note += fmt.Sprintf(", %d in none of them", c.Outside)
			}
			fmt.Fprintf(a.Stderr, "%s%s, by %s in %s.\n", records(c.Total), note, c.By, c.Zone)
			return nil
		},
	}
	in.flags(cmd)
	a.answersCompleted(cmd, &in)
	cmd.Flags().StringVar(&by, "by", "month", "day, week, month, quarter, half, year, 'fiscal quarter', or a period of the calendar such as season")
	return names(a.printing(cmd), a.reportNames)
}

// bar draws a count in eighths of a character; a count that is not nothing is
// never drawn as nothing.
func bar(count, most int64) string {
	eighths := max(int(count*barWidth*8/most), 1)
	if count == 0 {
		eighths = 0
	}
	text := strings.Repeat("█", eighths/8)
	if rest := eighths % 8; rest > 0 {
		text += string([]rune("▏▎▍▌▋▊▉")[rest-1])
	}
	return text
}
