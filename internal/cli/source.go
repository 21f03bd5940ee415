package cli

import (
	"fmt"
	"path/filepath"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"pikegate/core/catalog"
	"pikegate/internal/client"
)

func (a *app) source() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "source",
		Short: "Connect databases and look at what is in them",
		Args:  args(cobra.NoArgs),
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cmd.AddCommand(a.sourceAdd(), a.sourceList(), a.sourceShow(), a.sourceEncoding())
	return cmd
}

func (a *app) sourceAdd() *cobra.Command {
	var engine, at string
	var encodings []string
	cmd := &cobra.Command{
		Use:     "add NAME",
		Short:   "Connect a database, to be read only",
		Example: "  pikegate source add navigation --engine sqlite --at /srv/navigation.db --encoding maintenance_jobs.due_on=ymd",
		Args:    args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			info := client.SourceInfo{Name: given[0], Engine: engine, Address: at, Encodings: map[string]string{}}
			for _, e := range encodings {
				column, encoding, ok := strings.Cut(e, "=")
				if !ok {
					return usageError{fmt.Errorf("--encoding %q is not TABLE.COLUMN=ENCODING", e)}
				}
				info.Encodings[column] = encoding
			}
			if engine == "sqlite" && at != "" {
				absolute, err := filepath.Abs(at)
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
	cmd.Flags().StringVar(&engine, "engine", "sqlite", "the kind of database: sqlite")
	cmd.Flags().StringVar(&at, "at", "", "where it is: for SQLite the path of its file")
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
				fmt.Fprintf(w, "%s\t%s\t%s\n", s.Name, s.Engine, s.Address)
			}
			return w.Flush()
		},
	}
}

func (a *app) sourceShow() *cobra.Command {
	return &cobra.Command{
		Use:   "show NAME",
		Short: "Show a source's tables, columns, types and date encodings",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			catalogue, err := a.client().Source(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			return a.printCatalogue(catalogue)
		},
	}
}

func (a *app) printCatalogue(s catalog.Source) error {
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
