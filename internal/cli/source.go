package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/internal/client"
	"pikegate/internal/output"
	"pikegate/internal/wire"
)

func (a *app) source() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "source",
		Short: "Connect databases and look at what is in them",
		Args:  args(cobra.NoArgs),
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cmd.AddCommand(a.sourceAdd(), a.sourceList(), a.sourceChange(), a.sourceRemove(), a.sourceShow(), a.sourceCheck(), a.sourceEncoding(), a.sourceFile(), a.sourceUpload())
	return cmd
}

func (a *app) sourceAdd() *cobra.Command {
	var info wire.SourceInfo
	var encodings []string
	var anyway bool
	cmd := &cobra.Command{
		Use:   "add NAME",
		Short: "Connect a database, to be read only",
		Long: "Connect a database, to be read only. A password is never given here: the service looks it up under the name of\n" +
			"the source (or --secret) in its environment, PIKEGATE_SECRET_NAME, or in the file named with serve --secrets.",
		Example: "  pikegate source add navigation --engine sqlite --at /srv/navigation.db --encoding maintenance_jobs.due_on=ymd\n" +
			"  pikegate source add dues --engine postgresql --at db.example:5432 --database dues --user reader",
		Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			info.Name, info.Encodings = given[0], map[string]string{}
			for _, e := range encodings {
				column, encoding, ok := strings.Cut(e, "=")
				if !ok {
					return usageError{fmt.Errorf("--encoding %q is not TABLE.COLUMN=ENCODING", e)}
				}
				info.Encodings[column] = encoding
			}
			if err := absolute(&info); err != nil {
				return err
			}
			catalogue, err := a.client().AddSource(cmd.Context(), info, anyway)
			if err != nil {
				return err
			}
			return a.connected(given[0], catalogue)
		},
	}
	connectionFlags(cmd, &info, "sqlite")
	cmd.Flags().BoolVar(&anyway, "anyway", false, "set encodings that do not fit what is stored, too")
	cmd.Flags().StringArrayVar(&encodings, "encoding", nil, "how dates are stored, as TABLE.COLUMN=ENCODING; can be repeated")
	return names(a.printing(cmd))
}

// connectionFlags are the options that say where a database is.
func connectionFlags(cmd *cobra.Command, info *wire.SourceInfo, engine string) {
	cmd.Flags().StringVar(&info.Engine, "engine", engine, "the kind of database: sqlite, postgresql, mysql (which is MariaDB too), or files for a folder of data files")
	cmd.Flags().StringVar(&info.Address, "at", "", "where it is: for SQLite the path of its file, for files that of their folder, otherwise HOST:PORT")
	cmd.Flags().StringVar(&info.Database, "database", "", "the name of the database on the server")
	cmd.Flags().StringVar(&info.User, "user", "", "the login")
	cmd.Flags().StringVar(&info.Secret, "secret", "", "the name of the password (default the source's own)")
	cmd.Flags().StringVar(&info.TLS, "tls", "", "off, on or verify (default: verify; on this machine where the server offers it)")
	cmd.Flags().BoolVar(&info.PassPerson, "pass-person", false, "tell a PostgreSQL database who asks, in the setting pikegate.user of each transaction")
	cmd.Flags().BoolVar(&info.PowerfulLogin, "powerful-login", false, "take a login that can write even where it is only to read")
	completed(cmd, "engine", "sqlite", "postgresql", "mysql", "files")
	completed(cmd, "tls", "off", "on", "verify")
}

// absolute makes the path of a file whole: the service may run elsewhere.
func absolute(info *wire.SourceInfo) error {
	if info.Engine != "sqlite" && info.Engine != "files" && info.Engine != "" || info.Address == "" || info.Engine == "" && !isFile(info.Address) {
		return nil
	}
	path, err := filepath.Abs(info.Address)
	info.Address = path
	return err
}

func isFile(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

func (a *app) connected(name string, catalogue catalog.Source) error {
	return a.show(catalogue, func() error {
		fmt.Fprintf(a.Stdout, "source %s is connected: %s\n", name, output.Counted(int64(len(catalogue.Tables)), "table or view", "tables and views"))
		return nil
	})
}

func (a *app) sourceChange() *cobra.Command {
	var info wire.SourceInfo
	cmd := &cobra.Command{
		Use:     "change NAME",
		Short:   "Change the connection of a source; what is left out stays",
		Example: "  pikegate source change navigation --at /srv/new/navigation.db",
		Args:    args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			info.Name = given[0]
			if err := absolute(&info); err != nil {
				return err
			}
			catalogue, err := a.client().ChangeSource(cmd.Context(), info)
			if err != nil {
				return err
			}
			return a.connected(given[0], catalogue)
		},
	}
	connectionFlags(cmd, &info, "")
	return names(a.printing(cmd), a.sourceNames)
}

func (a *app) sourceRemove() *cobra.Command {
	var anyway bool
	cmd := &cobra.Command{
		Use:   "remove NAME",
		Short: "Remove the connection of a source; what uses it is named and bars it",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if err := a.client().RemoveSource(cmd.Context(), given[0], anyway); err != nil {
				return err
			}
			return a.show(wire.Dependent{Kind: "source", Name: given[0]}, func() error {
				fmt.Fprintf(a.Stdout, "source %s is removed\n", given[0])
				return nil
			})
		},
	}
	cmd.Flags().BoolVar(&anyway, "anyway", false, "although it is used")
	return names(a.printing(cmd), a.sourceNames)
}

// encodingNames lists the encodings.
func encodingNames(*cobra.Command, []string) []string {
	var out []string
	for _, e := range catalog.Encodings {
		out = append(out, string(e))
	}
	return out
}

func (a *app) sourceList() *cobra.Command {
	return names(a.printing(&cobra.Command{
		Use:   "list",
		Short: "List the sources",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Sources(cmd.Context())
			if err != nil {
				return err
			}
			if a.prints == "json" {
				return a.printJSON(list)
			}
			w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
			for _, s := range list {
				where := s.Address
				if where == "" && s.Engine == "files" {
					where = "uploaded files"
					if s.Name == "kept" { // the service's own
						where = "results that schedules keep"
					}
				}
				if s.Database != "" {
					where += " " + s.Database
				}
				if s.User != "" {
					where += " as " + s.User
				}
				fmt.Fprintf(w, "%s\t%s\t%s\n", s.Name, s.Engine, where)
			}
			return w.Flush()
		},
	}))
}

func (a *app) sourceShow() *cobra.Command {
	var rows int
	var unfit string
	cmd := &cobra.Command{
		Use:     "show NAME [TABLE]",
		Short:   "Show a source's tables, columns, types, keys, indexes and date encodings",
		Long:    "Show a source's tables and views. Of one table also what each column holds: blanks, distinct values,\nthe minimum and the maximum; with --rows its first rows; with --unfit the records in which a column with dates holds\nwhat is none, with their keys.",
		Example: "  pikegate source show navigation maintenance_jobs --unfit due_on",
		Args:    args(cobra.RangeArgs(1, 2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			catalogue, err := a.client().Source(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			if len(given) == 1 {
				if unfit != "" || rows > 0 {
					return usageError{fmt.Errorf("--rows and --unfit need a table")}
				}
				return a.show(catalogue, func() error { return a.printCatalogue(catalogue, nil) })
			}
			if unfit != "" {
				return a.showUnfit(cmd, given[0], given[1], unfit)
			}
			extents, err := a.client().Extents(cmd.Context(), given[0], given[1])
			if err != nil {
				return err
			}
			t, _ := catalogue.Table(given[1])
			catalogue.Tables = []catalog.Table{t}
			found := shownTable{t, extents, nil}
			if rows > 0 {
				first, err := a.client().FirstRows(cmd.Context(), given[0], given[1], rows)
				if err != nil {
					return err
				}
				found.Rows = &first
			}
			return a.show(found, func() error {
				if err := a.printCatalogue(catalogue, extents); err != nil || found.Rows == nil {
					return err
				}
				fmt.Fprintln(a.Stdout)
				return a.printRows(*found.Rows)
			})
		},
	}
	cmd.Flags().StringVar(&unfit, "unfit", "", "list the records in which this column with dates holds what is none")
	cmd.Flags().IntVar(&rows, "rows", 0, "show so many of a table's first rows too, 200 at the most")
	return names(a.printing(cmd), a.sourceNames, a.tableNames)
}

// shownTable is what is shown of one table.
type shownTable struct {
	Table   catalog.Table       `json:"table"`
	Extents []wire.ColumnExtent `json:"extents"`
	Rows    *output.Result      `json:"rows,omitempty"`
}

// unfitRows is how many records are listed at the most.
const unfitRows = 1000

func (a *app) showUnfit(cmd *cobra.Command, source, table, column string) error {
	found, err := a.client().Unfit(cmd.Context(), source, table, column, unfitRows)
	if err != nil {
		return err
	}
	return a.show(found, func() error {
		if len(found.Rows) == 0 {
			fmt.Fprintf(a.Stderr, "Every value of %s.%s is a date as the column stores them.\n", table, column)
			return nil
		}
		if err := a.printRows(found); err != nil {
			return err
		}
		if len(found.Rows) == unfitRows {
			fmt.Fprintf(a.Stderr, "These are the first %s; there may be more.\n", output.Thousands(unfitRows))
		}
		return nil
	})
}

// printRows prints the rows of a small result as they are, apart by tabs.
func (a *app) printRows(r output.Result) error {
	w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
	line := make([]string, len(r.Columns))
	for i, c := range r.Columns {
		line[i] = c.Name
	}
	fmt.Fprintln(w, strings.Join(line, "\t"))
	for _, row := range r.Rows {
		cells, _ := row.([]any)
		fmt.Fprintln(w, strings.Join(cellTexts(cells, r.Columns), "\t"))
	}
	return w.Flush()
}

// cellTexts are the cells of a small result as a terminal shows them.
func cellTexts(cells []any, columns []plan.Output) []string {
	out := make([]string, len(cells))
	for i, v := range cells {
		out[i] = cellText(v, columns[i].Type)
	}
	return out
}

func (a *app) sourceCheck() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "check NAME",
		Short: "Look at a source: what answers, whether it can only read, and which definitions do not fit it",
		Long: "Look at a source: what answers, whether it can only read, and which definitions do not fit it as it is now, because a table or a column is gone or is of another type.\n" +
			"The exit code is 3 if writing is not refused, or if a definition does not fit.",
		Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			r, err := a.client().CheckSource(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			err = a.show(r, func() error { return a.printSourceCheck(r) })
			if err == nil && (!r.ReadOnly || len(r.Unfit) > 0) {
				err = refusedError{}
			}
			return err
		},
	}
	return names(a.printing(cmd), a.sourceNames)
}

func (a *app) printSourceCheck(r client.SourceCheck) error {
	w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
	reads := "NO: writing was not refused"
	if r.ReadOnly {
		reads = "yes: writing was tried and refused"
	}
	fmt.Fprintf(w, "version\t%s\ntime zone\t%s\nonly reads\t%s\n\t%s\n", r.Version, r.Zone, reads, r.Proof)
	for _, power := range r.Powers {
		fmt.Fprintf(a.Stdout, "The login can do more than read: %s.\n", power)
	}
	for _, note := range r.Notes {
		fmt.Fprintf(w, "note\t%s\n", note)
	}
	if err := w.Flush(); err != nil {
		return err
	}
	for _, u := range r.Unfit {
		state := "the draft"
		if u.Version > 0 {
			state = fmt.Sprintf("version %d", u.Version)
		}
		fmt.Fprintf(a.Stdout, "%s %s does not fit (%s)\n", u.Kind, u.Name, state)
		a.explainProblems(u.Problems, nil)
	}
	return nil
}

func (a *app) printCatalogue(s catalog.Source, extents []wire.ColumnExtent) error {
	w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
	for i, t := range s.Tables {
		if i > 0 {
			fmt.Fprintln(w)
		}
		kind := "table"
		if t.View {
			kind = "view"
		}
		key := ""
		if len(t.Key) > 0 {
			key = ", key " + strings.Join(t.Key, ", ")
		}
		fmt.Fprintf(w, "%s (%s%s)\n", t.Name, kind, key)
		if t.Evidence != "" {
			fmt.Fprintf(w, "  %s\n", t.Evidence)
		}
		for _, c := range t.Columns {
			blank := ""
			if c.Nullable {
				blank = "can be blank"
			}
			fmt.Fprintf(w, "  %s\t%s\t%s\t%s\t%s\n", c.Name, c.Type, c.Encoding, blank, c.Evidence)
		}
		for _, index := range t.Indexes {
			fmt.Fprintf(w, "  index %s\ton %s\n", index.Name, strings.Join(index.Columns, ", "))
		}
		for _, e := range extents {
			bounds := ""
			if e.Earliest != "" {
				bounds = "from " + e.Earliest + " to " + e.Latest
			}
			fmt.Fprintf(w, "  %s\t%s distinct\t%s blank\tof %s\t%s\n", e.Column, output.Thousands(e.Distinct), output.Thousands(e.Blank), output.Thousands(e.Records), bounds)
		}
	}
	return w.Flush()
}

func (a *app) sourceEncoding() *cobra.Command {
	var anyway bool
	cmd := &cobra.Command{
		Use:   "set-encoding NAME TABLE.COLUMN ENCODING",
		Short: "Say how the dates of a column are stored",
		Args:  args(cobra.ExactArgs(3)),
		RunE: func(cmd *cobra.Command, given []string) error {
			catalogue, err := a.client().SetEncoding(cmd.Context(), given[0], given[1], given[2], anyway)
			if err != nil {
				return err
			}
			table, column, _ := catalog.SplitColumn(given[1])
			t, _ := catalogue.Table(table)
			c, _ := t.Column(column)
			return a.show(c, func() error {
				fmt.Fprintf(a.Stdout, "%s of %s is read as %s: %s\n", given[1], given[0], given[2], c.Evidence)
				return nil
			})
		},
	}
	cmd.Flags().BoolVar(&anyway, "anyway", false, "although values do not fit it")
	return names(a.printing(cmd), a.sourceNames, a.columnNames, encodingNames)
}

func (a *app) sourceUpload() *cobra.Command {
	var replace bool
	var removed []string
	cmd := &cobra.Command{
		Use:   "upload NAME [FILE]...",
		Short: "Upload data files to a source, which is made where there is none of the name; without files, list those that were uploaded",
		Example: "  pikegate source upload stock stock.xlsx\n" +
			"  pikegate source upload stock stock.xlsx --replace\n" +
			"  pikegate source upload stock --remove stock-2019.csv",
		Args: args(cobra.MinimumNArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			for _, name := range removed {
				if err := a.client().RemoveUpload(cmd.Context(), given[0], name); err != nil {
					return err
				}
			}
			if len(given) == 1 {
				return a.printUploads(cmd, given[0])
			}
			var catalogue catalog.Source
			for _, path := range given[1:] {
				file, err := os.Open(path)
				if err != nil {
					return err
				}
				catalogue, err = a.client().Upload(cmd.Context(), given[0], filepath.Base(path), replace, io.NopCloser(file))
				if err = errors.Join(err, file.Close()); err != nil {
					return err
				}
			}
			return a.show(catalogue, func() error { return a.printCatalogue(catalogue, nil) })
		},
	}
	cmd.Flags().BoolVar(&replace, "replace", false, "replace files of the same names")
	cmd.Flags().StringSliceVar(&removed, "remove", nil, "remove this file; can be repeated")
	return names(a.printing(cmd), a.sourceNames)
}

// printUploads lists the files that were uploaded to a source.
func (a *app) printUploads(cmd *cobra.Command, source string) error {
	list, err := a.client().Uploads(cmd.Context(), source)
	if err != nil {
		return err
	}
	return a.show(list, func() error {
		w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
		for _, f := range list {
			fmt.Fprintf(w, "%s\t%s bytes\t%s\n", f.Name, output.Thousands(f.Size), f.At.Local().Format("2006-01-02 15:04"))
		}
		return w.Flush()
	})
}

func (a *app) sourceFile() *cobra.Command {
	var format catalog.FileFormat
	cmd := &cobra.Command{
		Use:   "set-file NAME TABLE",
		Short: "Say which files a table is made of and how they are written; what is left out is found from them",
		Example: "  pikegate source set-file exports gauge --delimiter ';' --decimal ,\n" +
			"  pikegate source set-file exports old_tolls --files 'archive/tolls-*.csv'\n" +
			"  pikegate source set-file exports stoppages --sheet 2025 --range B4:F200\n" +
			"  pikegate source set-file exports gauge    # back to what is found",
		Args: args(cobra.ExactArgs(2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			catalogue, err := a.client().SetFile(cmd.Context(), given[0], given[1], format)
			if err != nil {
				return err
			}
			var shown any = catalogue
			if t, ok := catalogue.Table(given[1]); ok { // else nothing is said of it any more
				shown, catalogue.Tables = t, []catalog.Table{t}
			}
			return a.show(shown, func() error { return a.printCatalogue(catalogue, nil) })
		},
	}
	cmd.Flags().StringVar(&format.Delimiter, "delimiter", "", "the delimiter of the fields: one character, or tab")
	cmd.Flags().StringVar(&format.Decimal, "decimal", "", "the decimal mark of numbers: a point or a comma")
	cmd.Flags().StringVar(&format.Header, "header", "", "whether the first record names the columns: yes or no")
	cmd.Flags().StringVar(&format.Skip, "skip", "", "how many lines stand before the header row, or the first record")
	cmd.Flags().StringVar(&format.Encoding, "encoding", "", "the encoding of the text: utf-8, utf-16, windows-1252 or latin-1")
	cmd.Flags().StringVar(&format.Files, "files", "", "the files that the table is made of, as a pattern of their paths in the folder: archive/passages-*.csv")
	cmd.Flags().StringVar(&format.Comment, "comment", "", "what lines begin with that are no records: one mark, such as #")
	cmd.Flags().StringVar(&format.Sheet, "sheet", "", "the sheet of a workbook")
	cmd.Flags().StringVar(&format.Range, "range", "", "the cells of a sheet, header row first (B4:F200), or the name of a table or range of the workbook")
	cmd.Flags().StringVar(&format.Dates, "dates", "", "the layout of dates kept as text, for the columns whose values fit it: D.M.Y")
	cmd.Flags().StringSliceVar(&format.Blank, "blank", nil, "words that stand for no value in a column of numbers, in the place of the usual ones")
	completed(cmd, "header", "yes", "no")
	completed(cmd, "encoding", catalog.TextEncodings...)
	return names(a.printing(cmd), a.sourceNames)
}
