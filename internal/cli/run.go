package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/core/catalog"
	"pikegate/core/diag"
	"pikegate/internal/output"
)

func (a *app) run() *cobra.Command {
	var in inputs
	var format, out string
	var edges, guard bool
	var csv catalog.CSVFormat
	cmd := &cobra.Command{
		Use:   "run REPORT",
		Short: "Run a report and print its records",
		Long: "Run a report. Records go to standard output (or a file), everything else to standard error.\n" +
			"On a terminal, needed answers that were not given are asked for.\n" +
			"The exit code is 0 when done or empty, 2 for wrong usage, 3 when input is refused, 1 when the run failed.",
		Example: "  pikegate run passages-by-date --set period=2025-03\n" +
			"  pikegate run passages-by-date --start 2025-03-01 --end 2025-03-31 --format csv --out march.csv",
		Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			wire, table, err := runFormat(format, out)
			if err != nil {
				return err
			}
			request, err := in.request(cmd.Context(), a.client(), given[0])
			if err != nil {
				return err
			}
			if a.Terminal {
				if request, err = a.interview(cmd.Context(), given[0], request); err != nil {
					return err
				}
			}
			request.Guard, request.CSV = guard, csv
			id, rows, err := a.client().Start(cmd.Context(), given[0], request, wire)
			if err != nil {
				return a.explained(err, request)
			}
			defer rows.Close()
			if table {
				return a.printTable(cmd, id, rows, out, edges)
			}
			record, err := a.client().RunRecord(cmd.Context(), id)
			if err != nil {
				return err
			}
			fmt.Fprintln(a.Stderr, record.ReadBack)
			if err := a.save(out, a.data, func(w io.Writer) error { _, err := io.Copy(w, rows); return err }); err != nil {
				return a.broken(cmd, id, err)
			}
			return a.finish(cmd, id, edges)
		},
	}
	in.flags(cmd)
	a.answersCompleted(cmd, &in)
	cmd.Flags().StringVar(&format, "format", "", "table, "+diag.Listed(fileNames(), "or")+" (default table, or by the ending of --out)")
	cmd.Flags().BoolVar(&edges, "edges", false, "show what lies around the period: the nearest records outside, and how many are of its first and last day")
	cmd.Flags().BoolVar(&guard, "guard", false, "in CSV, put an apostrophe before texts that a spreadsheet would take for formulas")
	cmd.Flags().StringVar(&out, "out", "", "write the records to this file, whole or not at all")
	cmd.Flags().StringVar(&csv.Delimiter, "delimiter", "", "in CSV, the delimiter of the fields: one character, or tab")
	cmd.Flags().StringVar(&csv.Decimal, "decimal", "", "in CSV, the decimal mark: a point or a comma")
	cmd.Flags().StringVar(&csv.Encoding, "encoding", "", "in CSV, the encoding: "+strings.Join(catalog.TextEncodings, ", "))
	cmd.Flags().StringVar(&csv.Mark, "mark", "", "in CSV, whether the file begins with a byte-order mark: yes or no")
	cmd.Flags().StringVar(&csv.Values, "values", "", "in CSV, whether values are written raw, for programs, or as people are shown them: raw or shown")
	completed(cmd, "values", "raw", "shown")
	completed(cmd, "encoding", catalog.TextEncodings...)
	completed(cmd, "mark", "yes", "no")
	completed(cmd, "format", append([]string{"table"}, fileNames()...)...)
	return names(cmd, a.reportNames)
}

// files are the formats that a run can be written in, besides a table.
var files = []output.Format{output.CSV, output.JSON, output.JSONL, output.XLSX, output.Parquet, output.PDF, output.HTML, output.XML, output.SVG, output.PNG}

// fileNames are what these are called.
func fileNames() []string {
	names := make([]string, len(files))
	for i, f := range files {
		names[i] = f.Name
	}
	return names
}

// runFormat chooses the format: what is printed, and what is asked for.
func runFormat(format, out string) (wire output.Format, table bool, err error) {
	ending := strings.TrimPrefix(filepath.Ext(out), ".")
	for _, f := range files {
		if format == f.Name || format == "" && ending == f.Name {
			return f, false, nil
		}
	}
	if format == "" && ending != "" && ending != "txt" {
		return wire, false, usageError{fmt.Errorf("--out %s: .%s is not a format; give a name that ends in .txt or a format (%s), or --format", out, ending, diag.Listed(fileNames(), "or"))}
	}
	if format == "" || format == "table" {
		return output.NDJSON, true, nil
	}
	return wire, false, usageError{fmt.Errorf("--format %s is not table, %s", format, diag.Listed(fileNames(), "or"))}
}

func (a *app) printTable(cmd *cobra.Command, id uint, rows io.Reader, out string, edges bool) error {
	var summary output.Summary
	err := a.save(out, a.Stdout, func(w io.Writer) error {
		var err error
		summary, err = writeTable(w, rows, func(h output.Header) { fmt.Fprintf(a.Stderr, "%s\n%s\n\n", h.Title, h.ReadBack) })
		return err
	})
	if err != nil {
		return a.broken(cmd, id, err)
	}
	fmt.Fprintln(a.Stderr)
	leftOut := ""
	if summary.LeftOut != nil {
		leftOut = summary.LeftOut.Told()
	}
	return a.summarise(id, summary, leftOut, edges)
}

// finish prints how a run ended, as its record tells.
func (a *app) finish(cmd *cobra.Command, id uint, edges bool) error {
	r, err := a.client().RunRecord(cmd.Context(), id)
	if err != nil {
		return err
	}
	return a.summarise(id, output.Summary{Outcome: r.Outcome, Count: r.Count, First: r.First, Last: r.Last, Problem: r.Problem, Millis: r.Millis, Reason: r.Reason, Edges: r.Edges}, r.LeftOut, edges)
}

func (a *app) summarise(id uint, s output.Summary, leftOut string, edges bool) error {
	if s.Problem != "" {
		return fmt.Errorf("run %d %s after %s: %s", id, strings.ReplaceAll(s.Outcome, "_", " "), records(s.Count), s.Problem)
	}
	line := records(s.Count)
	if s.First != "" {
		line += ", first " + s.First + ", last " + s.Last
	}
	fmt.Fprintf(a.Stderr, "%s. Run %d, %d ms.\n", line, id, s.Millis)
	if s.Reason != "" {
		fmt.Fprintln(a.Stderr, s.Reason)
	}
	if s.Count == 0 {
		fmt.Fprintf(a.Stderr, "To see how many records each condition matches: %s why %d\n", a.Program, id)
	}
	if leftOut != "" {
		fmt.Fprintln(a.Stderr, leftOut)
	}
	if edges {
		a.printEdges(s.Edges)
	}
	return nil
}

// printEdges tells what lies around the period.
func (a *app) printEdges(e *output.Edges) {
	if e == nil {
		fmt.Fprintln(a.Stderr, "There is no period with an edge in this run.")
		return
	}
	nearest := func(where, date string, none bool) {
		switch {
		case none:
			fmt.Fprintf(a.Stderr, "  nearest %s  none\n", where)
		case date != "":
			fmt.Fprintf(a.Stderr, "  nearest %s  %s\n", where, date)
		}
	}
	fmt.Fprintln(a.Stderr, "Around the period, of records that meet everything else:")
	nearest("before", e.Before, e.NoBefore)
	day := func(which string, d *output.DayCount) {
		if d != nil {
			fmt.Fprintf(a.Stderr, "  %s day       %s: %s\n", which, d.Day, strings.ToLower(records(d.Count)))
		}
	}
	day("first", e.FirstDay)
	day("last ", e.LastDay)
	nearest("after ", e.After, e.NoAfter)
}

// broken explains a stream that broke off: the record may tell why.
func (a *app) broken(cmd *cobra.Command, id uint, err error) error {
	if r, recordErr := a.client().RunRecord(cmd.Context(), id); recordErr == nil && r.Problem != "" {
		return a.summarise(id, output.Summary{Outcome: r.Outcome, Count: r.Count, Problem: r.Problem}, "", false)
	}
	return fmt.Errorf("run %d ended early: %w", id, err)
}

// records is a count in words, with thousands parted.
func records(n int64) string {
	if n == 0 {
		return "No records"
	}
	return output.Counted(n, "record", "records")
}

// save writes to a file that appears only when whole, or without one to out.
func (a *app) save(path string, out io.Writer, write func(io.Writer) error) error {
	if path == "" {
		return write(out)
	}
	file, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".*")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name()) // of no effect once it is renamed
	err = errors.Join(write(file), file.Chmod(0o644), file.Close())
	if err != nil {
		return err
	}
	return os.Rename(file.Name(), path)
}
