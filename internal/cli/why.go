package cli

import (
	"fmt"
	"maps"
	"strconv"
	"strings"

	"github.com/rivo/uniseg"
	"github.com/spf13/cobra"

	"pikegate/core/parameter"
	"pikegate/internal/output"
	"pikegate/internal/wire"
)

func (a *app) why() *cobra.Command {
	var in inputs
	cmd := &cobra.Command{
		Use:   "why RUN | REPORT",
		Short: "Show how many records each condition matches, and where the nearest records are",
		Long: "Show why a run found what it found, or would: how many records each condition matches alone and with those before it,\n" +
			"which two exclude each other, and the nearest records before and after the period.",
		Example: "  pikegate why 17\n  pikegate why passages-by-date --set period=2025-03-01/2025-03-07 --set 'locks=Harrow Top'",
		Args:    args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			why, report, answers, err := a.askWhy(cmd, given[0], &in)
			if err != nil {
				return err
			}
			if a.prints == "json" {
				return a.printJSON(why)
			}
			a.printWhy(why, report, answers)
			return nil
		},
	}
	in.flags(cmd)
	a.answersCompleted(cmd, &in)
	return names(a.printing(cmd), a.reportNames)
}

// askWhy asks of a run by its number, or of a report with answers; the answers
// come back as well.
func (a *app) askWhy(cmd *cobra.Command, what string, in *inputs) (why wire.Why, report string, answers parameter.Inputs, err error) {
	if id, notNumber := strconv.ParseUint(what, 10, 32); notNumber == nil {
		if len(in.set) > 0 || in.start != "" || in.end != "" || in.asOf != "" {
			return why, "", nil, usageError{fmt.Errorf("a run has its answers already; name the report to give others")}
		}
		record, err := a.client().RunRecord(cmd.Context(), uint(id))
		if err != nil {
			return why, "", nil, err
		}
		why, err = a.client().WhyRun(cmd.Context(), uint(id))
		return why, record.Report, record.Typed, err
	}
	request, err := in.request(cmd.Context(), a.client(), what)
	if err != nil {
		return why, "", nil, err
	}
	why, err = a.client().Why(cmd.Context(), what, request)
	if err != nil {
		err = a.explained(err, request)
	}
	return why, what, request.Inputs, err
}

func (a *app) printWhy(w wire.Why, report string, answers parameter.Inputs) {
	p := func(format string, values ...any) { fmt.Fprintf(a.Stdout, format+"\n", values...) }
	p("%s\n\n%s", w.ReadBack, strings.Join(w.Advice, "\n"))
	if w.Table == "" { // hand-written SQL
		return
	}
	p("")
	lines := [][3]string{{"", "alone", "left"}, {"all records of " + w.Table, output.Thousands(w.Records), output.Thousands(w.Records)}}
	if w.Joined != w.Records {
		lines = append(lines, [3]string{"with the tables joined to it", output.Thousands(w.Joined), output.Thousands(w.Joined)})
	}
	for _, c := range w.Conditions {
		lines = append(lines, [3]string{c.Words, output.Thousands(c.Alone), output.Thousands(c.Left)})
	}
	width, digits := 0, 5
	for _, l := range lines {
		width, digits = max(width, uniseg.StringWidth(l[0])), max(digits, len(l[1]), len(l[2]))
	}
	for _, l := range lines {
		p("  %s%s  %*s  %*s", l[0], strings.Repeat(" ", width-uniseg.StringWidth(l[0])), digits, l[1], digits, l[2])
	}
	for i, way := range w.WaysOut {
		if i == 0 {
			p("")
		}
		changed := maps.Clone(answers)
		if changed == nil {
			changed = parameter.Inputs{}
		}
		for name, text := range way.Inputs {
			changed[name] = parameter.Typed(text)
		}
		p("%s:\n  %s run %s%s", way.Words, a.Program, report, options(changed))
	}
}
