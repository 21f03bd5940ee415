package cli

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v4"

	"pikegate/internal/client"
	"pikegate/internal/wire"
)

func (a *app) rights() *cobra.Command {
	return holding("rights", "Say who may do what, by folder and by source", a.rightsList(), a.rightsGive("give", "Give a right, in the place of another in the same place", true), a.rightsGive("take", "Take a right back", false), a.rightsReaders(), a.rightsExport(), a.rightsApply())
}

func (a *app) rightsList() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "list",
		Short: "List who was granted what, as far as you manage it",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Rights(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(list, func() error { return a.printGrants(list) })
		},
	}
	return names(a.printing(cmd))
}

func (a *app) printGrants(list []wire.Grant) error {
	w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
	for _, g := range list {
		fmt.Fprintln(w, grantInWords(g))
	}
	return w.Flush()
}

func grantInWords(g wire.Grant) string {
	whom := "user " + g.User
	if g.Group != "" {
		whom = "group " + g.Group
	}
	if g.Folder != nil {
		return whom + "\t" + g.Right + "\tin " + folderName(*g.Folder)
	}
	if g.Destination != "" {
		return whom + "\t" + g.Right + "\tto " + g.Destination
	}
	return whom + "\t" + g.Right + "\ton " + sourceInWords(g.Source)
}

func (a *app) rightsGive(use, short string, give bool) *cobra.Command {
	var g wire.Grant
	var folder string
	arguments, example := cobra.ExactArgs(1), "  pikegate rights give run --group clerks --folder dues\n  pikegate rights give sql --user bea --source navigation\n  pikegate rights give deliver --group clerks --destination mail:navigation.example"
	line := use + " RIGHT"
	if !give {
		arguments, example, line = cobra.NoArgs, "  pikegate rights take --group clerks --folder dues", use
	}
	cmd := &cobra.Command{
		Use:   line,
		Short: short,
		Long: short + ".\nIn a folder and all below it: run, draft, publish or manage. On a source: read (write queries on it), sql (write SQL by\n" +
			"hand on it) or manage (change its connection). Each holds those before it. To a destination of schedules: deliver.",
		Example: example,
		Args:    args(arguments),
		RunE: func(cmd *cobra.Command, given []string) error {
			if cmd.Flags().Changed("folder") {
				g.Folder = &folder
			}
			places := 0
			for _, named := range []bool{g.Folder != nil, g.Source != "", g.Destination != ""} {
				if named {
					places++
				}
			}
			if places != 1 || (g.User != "") == (g.Group != "") {
				return usageError{errors.New("name --folder, --source or --destination, and --user or --group")}
			}
			c := a.client()
			if !give {
				g.Right = "manage" // whatever it was
				if err := c.TakeRight(cmd.Context(), g); err != nil {
					return err
				}
				fmt.Fprintln(a.Stdout, "taken back")
				return nil
			}
			g.Right = given[0]
			if err := c.GiveRight(cmd.Context(), g); err != nil {
				return err
			}
			return a.printGrants([]wire.Grant{g})
		},
	}
	cmd.Flags().StringVar(&folder, "folder", "", "the folder, '' for all of them")
	cmd.Flags().StringVar(&g.Source, "source", "", "the source, '*' for all of them")
	cmd.Flags().StringVar(&g.Destination, "destination", "", "where schedules deliver: folder:NAME, mail:DOMAIN, web:HOST or keep; * for every one of a way, such as mail:*")
	cmd.Flags().StringVar(&g.User, "user", "", "to whom")
	cmd.Flags().StringVar(&g.Group, "group", "", "to which group")
	if give {
		return names(cmd, func(*cobra.Command, []string) []string {
			return []string{"run", "draft", "publish", "manage", "read", "sql", "deliver"}
		})
	}
	return names(cmd)
}

func (a *app) rightsReaders() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "readers REPORT",
		Short: "Tell who can run a report, and why",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			list, err := a.client().Readers(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			return a.show(list, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, r := range list {
					for i, because := range r.Because {
						name := named(r.User, r.Display)
						if i > 0 {
							name = ""
						}
						fmt.Fprintf(w, "%s\t%s\n", name, because)
					}
				}
				return w.Flush()
			})
		},
	}
	return names(a.printing(cmd), a.reportNames)
}

func (a *app) rightsExport() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "export",
		Short: "Write all rights as a document, to be kept under version control",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Rights(cmd.Context())
			if err != nil {
				return err
			}
			content, err := yaml.Marshal(list)
			if err == nil {
				_, err = a.data.Write(content)
			}
			return err
		},
	}
	return names(cmd)
}

func (a *app) rightsApply() *cobra.Command {
	var dry bool
	cmd := &cobra.Command{
		Use:   "apply FILE",
		Short: "Put the rights of a document in the place of all that there are",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			contents, err := a.readFiles(given)
			if err != nil {
				return err
			}
			var list []wire.Grant
			if err := yaml.Load(contents[given[0]], &list, yaml.WithKnownFields()); err != nil && !errors.Is(err, io.EOF) {
				return fmt.Errorf("%s is no list of rights: %w", given[0], err)
			}
			if list == nil {
				list = []wire.Grant{}
			}
			applied, err := a.client().ApplyRights(cmd.Context(), list, dry)
			if err != nil {
				return err
			}
			return a.show(applied, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, g := range applied.Given {
					fmt.Fprintln(w, "given\t"+grantInWords(g))
				}
				for _, g := range applied.Taken {
					fmt.Fprintln(w, "taken\t"+grantInWords(g))
				}
				if len(applied.Given)+len(applied.Taken) == 0 {
					fmt.Fprintln(w, "Nothing changes.")
				}
				return w.Flush()
			})
		},
	}
	cmd.Flags().BoolVar(&dry, "dry", false, "only tell what it would change")
	return a.printing(cmd)
}

func (a *app) audit() *cobra.Command {
	cmd := a.auditList()
	cmd.AddCommand(a.auditVerify())
	return cmd
}

func (a *app) auditList() *cobra.Command {
	var f client.Audited
	var since, until string
	var limit int
	cmd := &cobra.Command{
		Use:   "audit",
		Short: "List what was done, the newest first",
		Long:  "List what was done: signing in and out, refusals, changes of users, groups, rights and sources, and publishing.\nWith --format json each entry is a line, for a collector of logs.",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			for _, day := range []struct {
				text, flag string
				to         *time.Time
			}{{since, "since", &f.From}, {until, "until", &f.Until}} {
				if day.text == "" {
					continue
				}
				at, err := instant(day.text)
				if err != nil {
					return usageError{fmt.Errorf("--%s %q is not a day such as 2026-03-31, nor an instant such as 2026-03-31T12:00:00Z", day.flag, day.text)}
				}
				*day.to = at
			}
			list, err := a.client().AuditLog(cmd.Context(), f, limit)
			if err != nil {
				return err
			}
			if a.prints == "json" {
				slices.Reverse(list)
				return printLines(a, list)
			}
			w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
			for _, e := range list {
				who := e.Who
				if who == "" {
					who = "-"
				}
				fmt.Fprintf(w, "%d\t%s\t%s\t%s\t%s\t%s\n", e.Number, e.At.Format("2006-01-02 15:04:05Z"), who, e.What, e.To, e.From)
			}
			return w.Flush()
		},
	}
	cmd.Flags().StringVar(&f.Who, "user", "", "only what this user did")
	cmd.Flags().StringVar(&f.What, "what", "", "only this, or what begins with it and a dot, such as user")
	cmd.Flags().StringVar(&since, "since", "", "only from this day or instant on")
	cmd.Flags().StringVar(&until, "until", "", "only before this day or instant")
	cmd.Flags().IntVar(&limit, "limit", 100, "how many at the most")
	return names(a.printing(cmd))
}

// instant reads an instant, or the beginning of a day in UTC.
func instant(text string) (time.Time, error) {
	if at, err := time.Parse(time.DateOnly, text); err == nil {
		return at, nil
	}
	return time.Parse(time.RFC3339, text)
}

func (a *app) auditVerify() *cobra.Command {
	var head string
	cmd := &cobra.Command{
		Use:   "verify",
		Short: "Tell whether the audit log is as it was written",
		Long: "Tell whether the audit log is as it was written: no entry changed, left out or put in, and, with the end of the log\n" +
			"that was noted before (--head; the service's own log has it every hour), none cut off.",
		Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			verified, err := a.client().VerifyAudit(cmd.Context(), head)
			if err != nil {
				return err
			}
			if err := a.show(verified, func() error {
				if !verified.Whole {
					fmt.Fprintf(a.Stderr, "error: The audit log is not as it was written. %s\n", verified.Problem)
					fmt.Fprintf(a.Stdout, "The %d entries before are whole; they end with %s\n", verified.Entries, verified.Head)
					return nil
				}
				fmt.Fprintf(a.Stdout, "All %d entries are as they were written. Note the end, and give it the next time with --head:\n%s\n", verified.Entries, verified.Head)
				return nil
			}); err != nil {
				return err
			}
			if !verified.Whole {
				return refusedError{}
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&head, "head", "", "the end of the log as it was noted before")
	return names(a.printing(cmd))
}
