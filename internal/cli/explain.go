package cli

import (
	"encoding/json"
	"fmt"
	"strings"

	"github.com/spf13/cobra"
)

func (a *app) explain() *cobra.Command {
	var in inputs
	var plan bool
	cmd := &cobra.Command{
		Use:   "explain REPORT",
		Short: "Show how a run would come about, without running it",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			request, err := in.request(cmd.Context(), a.client(), given[0])
			if err != nil {
				return err
			}
			e, err := a.client().Explain(cmd.Context(), given[0], plan, request)
			if err != nil {
				return a.explained(err, request)
			}
			if a.prints == "json" {
				return a.printJSON(e)
			}
			p := func(format string, values ...any) { fmt.Fprintf(a.Stdout, format+"\n", values...) }
			by := ""
			if e.Calendar != "" {
				by = fmt.Sprintf(", by the calendar %s (version %d)", e.Calendar, e.CalendarVersion)
			}
			p("%s\n\nAs of %s, in the zone %s%s.\n\nAsked", e.ReadBack, e.AsOf, e.Zone, by)
			for _, answer := range e.Answers {
				typed := answer.Typed
				switch {
				case !answer.Given:
					typed = "left blank"
				case answer.Default:
					typed += " (default)"
				}
				p("  %s: %s", answer.Name, typed)
				p("      read as %s", strings.Join(append([]string{answer.ReadBack}, answer.Canonical...), " = "))
			}
			p("\nCriteria")
			for _, c := range e.Conditions {
				p("  %s", c.Words)
				p("      written  %s", c.Text)
				if c.SQL == "" {
					p("      SQL      none: it restricts nothing in this run")
				} else {
					p("      SQL      %s", c.SQL)
				}
			}
			if len(e.Restrictions) > 0 {
				p("\nRows you may see")
			}
			for _, r := range e.Restrictions {
				if len(r.Rows) == 0 {
					p("  %s: none", r.Table)
				}
				for _, rows := range r.Rows {
					p("  %s: %s", r.Table, rows.Words)
					if rows.Title != "" {
						p("      %s", rows.Title)
					}
				}
			}
			p("\nSQL\n%s", indent(e.SQL))
			if len(e.Values) > 0 {
				p("\nValues")
			}
			for _, v := range e.Values {
				text, err := json.Marshal(v.Value)
				if err != nil {
					return err
				}
				p("  %d = %s", v.Number, text)
			}
			for i, files := range e.Files {
				if i == 0 {
					p("\nFiles")
				}
				p("  %s", files)
			}
			if e.Plan != nil {
				p("\nHow the database runs it")
				for _, advice := range e.Plan.Advice {
					p("  %s", advice)
				}
				for _, step := range e.Plan.Steps {
					p("      %s", step)
				}
			}
			for i, c := range e.Computed {
				if i == 0 {
					p("\nWorked out from the records, in exact decimals")
				}
				p("  %s", c)
			}
			if len(e.Findings) > 0 {
				p("\nWhat can be proved with these answers")
			}
			for _, f := range e.Findings {
				p("  %s", f.Message)
				p("      %s", f.Hint)
			}
			return nil
		},
	}
	in.flags(cmd)
	a.answersCompleted(cmd, &in)
	cmd.Flags().BoolVar(&plan, "plan", false, "ask the database how it would run it, and whether an index serves the dates")
	return names(a.printing(cmd), a.reportNames)
}
