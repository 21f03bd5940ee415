package cli

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"pikegate/internal/client"
	"pikegate/internal/output"
	"pikegate/internal/wire"
)

func (a *app) overviews() *cobra.Command {
	return a.printing(&cobra.Command{
		Use:   "overviews",
		Short: "List the overviews: several reports on one page",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Overviews(cmd.Context())
			if err != nil {
				return err
			}
			if len(list) == 0 {
				fmt.Fprintln(a.Stderr, "No overview is published yet.")
			}
			return a.show(list, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, o := range list {
					fmt.Fprintf(w, "%s\t%s\tversion %d\n", o.Name, o.Title, o.Version)
				}
				return w.Flush()
			})
		},
	})
}

// overviewFormats are those an overview is written in, besides text.
var overviewFormats = []output.Format{output.PDF, output.HTML}

// shownRecords is how many records of a part are printed at the most.
const shownRecords = 100_000

func (a *app) overview() *cobra.Command {
	in := inputs{overview: true}
	var format, out string
	cmd := &cobra.Command{
		Use:   "overview NAME",
		Short: "Run an overview and print what its parts find",
		Long: "Run an overview: every part is a report that is run with the same answers. As text each part\n" +
			"is printed as it comes; as PDF or HTML it is one document. A part that fails says so in its\n" +
			"place, and the exit code is 1.",
		Example: "  pikegate overview navigation-at-a-glance --set period=2025-03\n" +
			"  pikegate overview navigation-at-a-glance --set period=2025-03 --out march.pdf",
		Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			document, isText, err := overviewFormat(format, out)
			if err != nil {
				return err
			}
			request, err := in.request(cmd.Context(), a.client(), given[0])
			if err != nil {
				return err
			}
			preview, err := a.client().PreviewOverview(cmd.Context(), given[0], request)
			if err == nil && len(preview.Problems) > 0 {
				err = &client.Refusal{Status: 422, Detail: "The answers are refused.", Problems: preview.Problems}
			}
			if err != nil {
				return a.explained(err, request)
			}
			fmt.Fprintln(a.Stderr, preview.ReadBack)
			if isText {
				return a.save(out, a.Stdout, func(w io.Writer) error { return a.printOverview(cmd, given[0], request, w) })
			}
			content, err := a.client().StartOverview(cmd.Context(), given[0], request, document)
			if err != nil {
				return a.explained(err, request)
			}
			defer content.Close()
			return a.save(out, a.data, func(w io.Writer) error {
				if _, err := io.Copy(w, content); err != nil {
					return fmt.Errorf("the document ended early: %w", err)
				}
				return nil
			})
		},
	}
	in.flags(cmd)
	cmd.Flags().StringVar(&format, "format", "", "text, pdf or html (default text, or by the ending of --out)")
	cmd.Flags().StringVar(&out, "out", "", "write it to this file, whole or not at all")
	completed(cmd, "format", "text", "pdf", "html")
	a.answersCompleted(cmd, &in)
	return names(cmd, a.overviewNames)
}

// overviewNames completes the name of an overview.
func (a *app) overviewNames(cmd *cobra.Command, given []string) (out []string) {
	list, err := a.client().Overviews(cmd.Context())
	if err != nil || len(given) > 0 {
		return nil
	}
	for _, o := range list {
		out = append(out, o.Name+"\t"+o.Title)
	}
	return out
}

func overviewFormat(format, out string) (document output.Format, isText bool, err error) {
	ending := strings.TrimPrefix(filepath.Ext(out), ".")
	for _, f := range overviewFormats {
		if format == f.Name || format == "" && ending == f.Name {
			return f, false, nil
		}
	}
	switch {
	case format == "text" || format == "" && (ending == "" || ending == "txt"):
		return document, true, nil
	case format == "":
		return document, false, usageError{fmt.Errorf("--out %s: an overview is written as .txt, .pdf or .html", out)}
	}
	return document, false, usageError{fmt.Errorf("--format %s is not text, pdf or html", format)}
}

var errPartsFailed = errors.New("not all parts could be shown")

// printOverview prints each part as it comes.
func (a *app) printOverview(cmd *cobra.Command, name string, request client.Run, w io.Writer) error {
	form, err := a.client().AskOverview(cmd.Context(), name, request)
	if err != nil {
		return err
	}
	failed := false
	for i, part := range form.Parts {
		fmt.Fprintf(w, "\n%s\n%s\n", part.Title, strings.Repeat("-", len([]rune(part.Title))))
		if err := a.printPart(cmd, name, i+1, part, request, w); err != nil {
			if cmd.Context().Err() != nil {
				return err
			}
			failed = true
			fmt.Fprintf(w, "Not shown: %s\n", err)
		}
	}
	if failed {
		return errPartsFailed
	}
	return nil
}

func (a *app) printPart(cmd *cobra.Command, name string, number int, part wire.OverviewPart, request client.Run, w io.Writer) error {
	if part.Problem != "" {
		return errors.New(part.Problem)
	}
	if part.Show == "number" {
		figure, err := a.client().Measure(cmd.Context(), name, number, request)
		if err != nil {
			return err
		}
		zone, err := time.LoadLocation(figure.Zone)
		if err != nil {
			return err
		}
		figure.Header = output.Header{Language: figure.Language, Location: zone}
		for _, line := range sayings(figure.Texts()) {
			fmt.Fprintln(w, line)
		}
		return nil
	}
	most := shownRecords
	if part.Show == "chart" {
		most = 0
	}
	rows, err := a.client().StartPart(cmd.Context(), name, number, most, request)
	if err != nil {
		return err
	}
	defer rows.Close()
	table := w
	if part.Show == "chart" {
		table = io.Discard
	}
	summary, err := writeTable(table, rows, func(output.Header) {})
	switch {
	case err != nil:
		return err
	case summary.Problem != "":
		return errors.New(summary.Problem)
	case summary.Count == 0:
		fmt.Fprintln(w, "No records.")
	case summary.Chart != nil && part.Show == "chart":
		fmt.Fprintln(w, summary.Chart.Description())
	default:
		fmt.Fprintln(w, records(summary.Count)+".")
	}
	return nil
}

// sayings are the lines that say something.
func sayings(lines ...string) (out []string) {
	for _, line := range lines {
		if line != "" {
			out = append(out, line)
		}
	}
	return out
}
