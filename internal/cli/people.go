package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"pikegate/internal/config"
	"pikegate/internal/wire"
)

// holding is a command that only holds others.
func holding(use, short string, commands ...*cobra.Command) *cobra.Command {
	cmd := &cobra.Command{Use: use, Short: short, Args: args(cobra.NoArgs), RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() }}
	cmd.AddCommand(commands...)
	return cmd
}

func (a *app) user() *cobra.Command {
	return holding("user", "Make, change and let in the people who use the service", a.userAdd(), a.userRecover(), a.userInvite(), a.userList(), a.userShow(), a.userChange(), a.userLink())
}

func (a *app) userAdd() *cobra.Command {
	var u wire.User
	var data string
	cmd := &cobra.Command{
		Use:   "add NAME --role ROLE",
		Short: "Make a user at the service's machine, the first one among them",
		Long: "Make a user at the service's machine, in the files of its data folder, whether it runs or not. The first user closes\n" +
			"the service: from then on it serves nobody it does not know. What is printed is a link with which they set their\n" +
			"password, once, within a day. An administrator who is signed in says user invite instead, from anywhere.",
		Example: "  pikegate user add ava --role administrator --data /var/lib/pikegate",
		Args:    args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			u.Name = given[0]
			made, err := a.AddUser(cmd.Context(), data, u)
			return a.invited(made, err)
		},
	}
	userFlags(cmd, &u)
	dataFlag(cmd, &data)
	return names(a.printing(cmd))
}

func (a *app) userRecover() *cobra.Command {
	var data string
	cmd := &cobra.Command{
		Use:   "recover NAME",
		Short: "Let a user in again, at the service's machine",
		Long: "Let a user in again, at the service's machine: they are enabled, their second factor is taken away, and a link is\n" +
			"printed with which they set their password, once, within a day.",
		Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			made, err := a.RecoverUser(cmd.Context(), data, given[0])
			return a.invited(made, err)
		},
	}
	dataFlag(cmd, &data)
	return names(a.printing(cmd), a.userNames)
}

func dataFlag(cmd *cobra.Command, data *string) {
	cmd.Flags().StringVar(data, "data", config.DefaultServe("pikegate-data").Data, "the folder of the service's own records (or PIKEGATE_DATA)")
}

func userFlags(cmd *cobra.Command, u *wire.User) {
	cmd.Flags().StringVar(&u.Role, "role", "", "reader (finds and runs), author (also writes, where granted) or administrator")
	cmd.Flags().StringVar(&u.Display, "display", "", "how others see the name")
	cmd.Flags().StringVar(&u.Email, "email", "", "an e-mail address")
	completed(cmd, "role", "reader", "author", "administrator")
}

// invited prints the link that somebody sets their password with.
func (a *app) invited(made wire.Invitation, err error) error {
	if err != nil {
		return err
	}
	made.Link = a.server + made.Link
	return a.show(made, func() error {
		fmt.Fprintf(a.Stdout, "%s sets a password here, once, before %s:\n\n  %s\n", made.User, made.Expires.Local().Format("2006-01-02 15:04"), made.Link)
		return nil
	})
}

func (a *app) userInvite() *cobra.Command {
	var u wire.User
	var attributes []string
	cmd := &cobra.Command{
		Use:     "invite NAME --role ROLE",
		Short:   "Make a user, and a link with which they set their password",
		Example: "  pikegate user invite bo --role reader --group keepers --attribute regions='Upper Tarn'",
		Args:    args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			var err error
			if u.Attributes, err = attributesOf(attributes); err != nil {
				return err
			}
			u.Name = given[0]
			made, err := a.client().Invite(cmd.Context(), u)
			return a.invited(made, err)
		},
	}
	userFlags(cmd, &u)
	cmd.Flags().StringArrayVar(&u.Groups, "group", nil, "a group to put them in; can be repeated")
	cmd.Flags().StringArrayVar(&attributes, "attribute", nil, "what row rules ask for, as NAME=VALUE; can be repeated, for several values too")
	return names(a.printing(cmd))
}

// attributesOf reads NAME=VALUE, each perhaps several times.
func attributesOf(given []string) (map[string][]string, error) {
	out := map[string][]string{}
	for _, text := range given {
		name, value, ok := strings.Cut(text, "=")
		if !ok {
			return nil, usageError{fmt.Errorf("--attribute %q is not NAME=VALUE", text)}
		}
		if out[name] = append([]string{}, out[name]...); value != "" {
			out[name] = append(out[name], value)
		}
	}
	return out, nil
}

func (a *app) userList() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "list",
		Short: "List everybody who can sign in",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Users(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(list, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, u := range list {
					fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", named(u.Name, u.Display), u.Role, strings.Join(u.Groups, ", "), stateOf(u))
				}
				return w.Flush()
			})
		},
	}
	return names(a.printing(cmd))
}

func stateOf(u wire.User) string {
	switch {
	case u.Disabled:
		return "disabled"
	case !u.HasPassword:
		return "has not set a password"
	case u.SecondFactor:
		return "with a second factor"
	}
	return ""
}

func (a *app) userShow() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "show NAME",
		Short: "Show a user",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			u, err := a.client().User(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			return a.printUser(u)
		},
	}
	return names(a.printing(cmd), a.userNames)
}

func (a *app) printUser(u wire.User) error {
	return a.show(u, func() error {
		w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
		fmt.Fprintf(w, "name\t%s\nrole\t%s\n", named(u.Name, u.Display), u.Role)
		for _, line := range [][2]string{{"e-mail", u.Email}, {"groups", strings.Join(u.Groups, ", ")}, {"state", stateOf(u)}} {
			if line[1] != "" {
				fmt.Fprintf(w, "%s\t%s\n", line[0], line[1])
			}
		}
		for _, name := range slices.Sorted(maps.Keys(u.Attributes)) {
			fmt.Fprintf(w, "%s\t%s\n", name, strings.Join(u.Attributes[name], ", "))
		}
		return w.Flush()
	})
}

func (a *app) userChange() *cobra.Command {
	var display, email, role string
	var groups, attributes []string
	var disable, enable, noFactor bool
	cmd := &cobra.Command{
		Use:   "change NAME",
		Short: "Change a user; what is not named stays",
		Long:  "Change a user; what is not named stays. One who is disabled is signed out everywhere, and what they have under way ends.",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			change := wire.UserChange{NoFactor: noFactor}
			for flag, field := range map[string]struct {
				to   **string
				from *string
			}{"display": {&change.Display, &display}, "email": {&change.Email, &email}, "role": {&change.Role, &role}} {
				if cmd.Flags().Changed(flag) {
					*field.to = field.from
				}
			}
			if disable && enable {
				return usageError{fmt.Errorf("--disable and --enable are opposites")}
			}
			if disable || enable {
				change.Disabled = &disable
			}
			if cmd.Flags().Changed("group") {
				groups = slices.DeleteFunc(groups, func(g string) bool { return g == "" })
				change.Groups = &groups
			}
			if cmd.Flags().Changed("attribute") {
				u, err := a.client().User(cmd.Context(), given[0])
				if err != nil {
					return err
				}
				changed, err := attributesOf(attributes)
				if err != nil {
					return err
				}
				all := maps.Clone(u.Attributes)
				if all == nil {
					all = map[string][]string{}
				}
				maps.Copy(all, changed)
				maps.DeleteFunc(all, func(_ string, values []string) bool { return len(values) == 0 })
				change.Attributes = &all
			}
			u, err := a.client().ChangeUser(cmd.Context(), given[0], change)
			if err != nil {
				return err
			}
			return a.printUser(u)
		},
	}
	cmd.Flags().StringVar(&display, "display", "", "how others see the name")
	cmd.Flags().StringVar(&email, "email", "", "an e-mail address")
	cmd.Flags().StringVar(&role, "role", "", "reader, author or administrator")
	cmd.Flags().StringArrayVar(&groups, "group", nil, "a group they are in, in the place of all there are; can be repeated; '' for none")
	cmd.Flags().StringArrayVar(&attributes, "attribute", nil, "what row rules ask for, as NAME=VALUE; can be repeated; NAME= takes it away")
	cmd.Flags().BoolVar(&disable, "disable", false, "they may no longer sign in")
	cmd.Flags().BoolVar(&enable, "enable", false, "they may sign in again")
	cmd.Flags().BoolVar(&noFactor, "no-second-factor", false, "take the second factor away, for somebody who has lost it")
	completed(cmd, "role", "reader", "author", "administrator")
	return names(a.printing(cmd), a.userNames)
}

func (a *app) userLink() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "link NAME",
		Short: "Give a user another link to set their password with",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			made, err := a.client().NewLink(cmd.Context(), given[0])
			return a.invited(made, err)
		},
	}
	return names(a.printing(cmd), a.userNames)
}

// userNames lists the users.
func (a *app) userNames(cmd *cobra.Command, _ []string) []string {
	list, err := a.client().Users(cmd.Context())
	if err != nil {
		return nil
	}
	out := make([]string, len(list))
	for i, u := range list {
		out[i] = u.Name + "\t" + u.Role
	}
	return out
}

func (a *app) group() *cobra.Command {
	return holding("group", "Put users together, to give them rights", a.groupList(), a.groupSave(), a.groupMember("join", "Put users into a group", true), a.groupMember("leave", "Take users out of a group", false), a.groupRemove())
}

func (a *app) groupList() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "list",
		Short: "List the groups and who is in them",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Groups(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(list, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, g := range list {
					fmt.Fprintf(w, "%s\t%s\n", named(g.Name, g.Title), strings.Join(g.Members, ", "))
				}
				return w.Flush()
			})
		},
	}
	return names(a.printing(cmd))
}

func (a *app) groupSave() *cobra.Command {
	g := wire.Group{}
	cmd := &cobra.Command{
		Use:   "save NAME",
		Short: "Make or replace a group",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			g.Name = given[0]
			if g.Members == nil {
				g.Members = []string{}
			}
			return a.savedGroup(a.client().SaveGroup(cmd.Context(), g))
		},
	}
	cmd.Flags().StringVar(&g.Title, "title", "", "what people read")
	cmd.Flags().StringArrayVar(&g.Members, "member", nil, "a user who is in it; can be repeated")
	return names(a.printing(cmd), a.groupNames)
}

func (a *app) savedGroup(g wire.Group, err error) error {
	if err != nil {
		return err
	}
	return a.show(g, func() error {
		members := strings.Join(g.Members, ", ")
		if members == "" {
			members = "nobody"
		}
		fmt.Fprintf(a.Stdout, "In %s: %s.\n", named(g.Name, g.Title), members)
		return nil
	})
}

func (a *app) groupMember(use, short string, join bool) *cobra.Command {
	cmd := &cobra.Command{
		Use:   use + " GROUP USER…",
		Short: short,
		Args:  args(cobra.MinimumNArgs(2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			g, err := a.groupOf(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			g.Members = slices.DeleteFunc(g.Members, func(m string) bool { return slices.Contains(given[1:], m) })
			if join {
				g.Members = append(g.Members, given[1:]...)
			}
			return a.savedGroup(a.client().SaveGroup(cmd.Context(), g))
		},
	}
	return names(a.printing(cmd), a.groupNames, a.userNames)
}

func (a *app) groupOf(ctx context.Context, name string) (wire.Group, error) {
	list, err := a.client().Groups(ctx)
	if err != nil {
		return wire.Group{}, err
	}
	for _, g := range list {
		if g.Name == name {
			return g, nil
		}
	}
	return wire.Group{}, usageError{fmt.Errorf("there is no group %s; pikegate group save %s makes one", name, name)}
}

func (a *app) groupRemove() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "remove NAME",
		Short: "Remove a group and what was granted to it",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if err := a.client().RemoveGroup(cmd.Context(), given[0]); err != nil {
				return err
			}
			fmt.Fprintln(a.Stdout, "removed the group "+given[0])
			return nil
		},
	}
	return names(cmd, a.groupNames)
}

// groupNames lists the groups.
func (a *app) groupNames(cmd *cobra.Command, _ []string) []string {
	list, err := a.client().Groups(cmd.Context())
	if err != nil {
		return nil
	}
	out := make([]string, len(list))
	for i, g := range list {
		out[i] = g.Name + "\t" + g.Title
	}
	return out
}

func (a *app) token() *cobra.Command {
	return holding("token", "List and end what scripts sign in with; they are made on one's account's page", a.tokenList(), a.tokenEnd())
}

func (a *app) tokenList() *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use:   "list",
		Short: "List your tokens",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Tokens(cmd.Context(), all)
			if err != nil {
				return err
			}
			return a.show(list, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, t := range list {
					used := "never used"
					if t.Used != nil {
						used = "used " + t.Used.Format("2006-01-02 15:04Z")
					}
					scope := map[string]string{"full": "does what its user can", "read": "only reads", "report": "only runs " + t.Report}[t.Scope]
					fmt.Fprintf(w, "%d\t%s\t%s\t%s\tuntil %s\t%s\n", t.ID, t.User, t.Name, scope, t.Expires.Format(time.DateOnly), used)
				}
				return w.Flush()
			})
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "everybody's, for administrators")
	return names(a.printing(cmd))
}

func (a *app) tokenEnd() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "end NUMBER",
		Short: "End a token",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			id, err := strconv.ParseUint(given[0], 10, 32)
			if err != nil {
				return usageError{fmt.Errorf("%q is not the number of a token", given[0])}
			}
			if err := a.client().EndToken(cmd.Context(), uint(id)); err != nil {
				return err
			}
			fmt.Fprintf(a.Stdout, "ended the token %d\n", id)
			return nil
		},
	}
	return names(cmd)
}
