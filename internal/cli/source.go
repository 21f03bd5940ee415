package cli

import (
	"fmt"
	"path/filepath"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"pikegate/core/catalog"
	"pikegate/core/plan"
	"pikegate/internal/client"
)

func (a *app) source() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "source",
		Short: "Connect databases and look at what is in them",
		Args:  args(cobra.NoArgs),
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cmd.AddCommand(a.sourceAdd(), a.sourceList(), a.sourceShow(), a.sourceCheck(), a.sourceEncoding())
	return cmd
}

func (a *app) sourceAdd() *cobra.Command {
	var info client.SourceInfo
	var encodings []string
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
			if info.Engine == "sqlite" && info.Address != "" {
				absolute, err := filepath.Abs(info.Address)
				if err != nil {
					return err
				}
				info.Address = absolute
			}
			catalogue, err := a.client().AddSource(cmd.Context(), info)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.Stdout, "source %s is connected: %d tables and views\n", given[0], len(catalogue.Tables))
			return nil
		},
	}
	cmd.Flags().StringVar(&info.Engine, "engine", "sqlite", "the kind of database: sqlite, postgresql or mysql (which is MariaDB too)")
	cmd.Flags().StringVar(&info.Address, "at", "", "where it is: for SQLite the path of its file, otherwise HOST:PORT")
	cmd.Flags().StringVar(&info.Database, "database", "", "the name of the database on the server")
	cmd.Flags().StringVar(&info.User, "user", "", "the login")
	cmd.Flags().StringVar(&info.Secret, "secret", "", "the name of the password (default the source's own)")
	cmd.Flags().StringVar(&info.TLS, "tls", "", "off, on or verify (default: where the server offers it)")
	cmd.Flags().StringArrayVar(&encodings, "encoding", nil, "how dates are stored, as TABLE.COLUMN=ENCODING; can be repeated")
	return cmd
}

func (a *app) sourceList() *cobra.Command {
	return &cobra.Command{
		Use:   "list",
		Short: "List the sources",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Sources(cmd.Context())
			if err != nil {
				return err
			}
			w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
			for _, s := range list {
				where := s.Address
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
	}
}

func (a *app) sourceShow() *cobra.Command {
	var rows int
	cmd := &cobra.Command{
		Use:   "show NAME [TABLE]",
		Short: "Show a source's tables, columns, types, keys, indexes and date encodings",
		Long:  "Show a source's tables and views. Of one table also what each column holds: blanks, different values,\nthe earliest and the latest; and with --rows its first rows.",
		Args:  args(cobra.RangeArgs(1, 2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			catalogue, err := a.client().Source(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			if len(given) == 1 {
				return a.printCatalogue(catalogue, nil)
			}
			extents, err := a.client().Extents(cmd.Context(), given[0], given[1])
			if err != nil {
				return err
			}
			t, _ := catalogue.Table(given[1])
			catalogue.Tables = []catalog.Table{t}
			if err := a.printCatalogue(catalogue, extents); err != nil || rows == 0 {
				return err
			}
			first, err := a.client().FirstRows(cmd.Context(), given[0], given[1], rows)
			if err != nil {
				return err
			}
			fmt.Fprintln(a.Stdout)
			return a.printRows(first)
		},
	}
	cmd.Flags().IntVar(&rows, "rows", 0, "show so many of a table's first rows too, 200 at the most")
	return cmd
}

// printRows prints the rows of a small result as they are, apart by tabs.
func (a *app) printRows(r client.Result) error {
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
	var format string
	cmd := &cobra.Command{
		Use:   "check NAME",
		Short: "Look at a connection: what answers, and whether it can only read",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if err := textOrJSON(format); err != nil {
				return err
			}
			r, err := a.client().CheckSource(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			if format == "json" {
				return a.printJSON(r)
			}
			w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
			reads := "NO: writing was not refused"
			if r.ReadOnly {
				reads = "yes: writing was tried and refused"
			}
			fmt.Fprintf(w, "version\t%s\ntime zone\t%s\nonly reads\t%s\n\t%s\n", r.Version, r.Zone, reads, r.Proof)
			for _, note := range r.Notes {
				fmt.Fprintf(w, "note\t%s\n", note)
			}
			if err := w.Flush(); err != nil || r.ReadOnly {
				return err
			}
			return refusedError{}
		},
	}
	cmd.Flags().StringVar(&format, "format", "text", "text or json")
	return cmd
}

func (a *app) printCatalogue(s catalog.Source, extents []client.Extent) error {
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
			fmt.Fprintf(w, "  %s\t%s different\t%s blank\tof %s\t%s\n", e.Column, thousands(e.Distinct), thousands(e.Blank), thousands(e.Records), bounds)
		}
	}
	return w.Flush()
}

func (a *app) sourceEncoding() *cobra.Command {
	return &cobra.Command{
		Use:   "set-encoding NAME TABLE.COLUMN ENCODING",
		Short: "Say how the dates of a column are stored",
		Args:  args(cobra.ExactArgs(3)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if _, err := a.client().SetEncoding(cmd.Context(), given[0], given[1], given[2]); err != nil {
				return err
			}
			fmt.Fprintf(a.Stdout, "%s of %s is read as %s\n", given[1], given[0], given[2])
			return nil
		},
	}
}
