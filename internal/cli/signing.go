package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"pikegate/internal/config"
)

func (a *app) signIn() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "sign-in",
		Short: "Sign in to a service with a token from your account's page",
		Long: "Sign in to a service with a token from your account's page in the console. It is asked for, or read from standard\n" +
			"input, and kept in a file that only you can read. A script can have one in PIKEGATE_TOKEN instead.",
		Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			token, err := a.secret("Token: ")
			if err != nil {
				return err
			}
			if token == "" {
				return usageError{errors.New("no token was given; make one on your account's page in the console and paste it here")}
			}
			c := a.client()
			c.Token = token
			me, err := c.Me(cmd.Context())
			if err != nil {
				return err
			}
			kept, err := config.KeptTokens()
			if err == nil {
				err = kept.Keep(a.server, token)
			}
			if err != nil {
				return err
			}
			fmt.Fprintf(a.Stdout, "Signed in to %s as %s (%s).\n", a.server, me.Name, me.Role)
			return nil
		},
	}
	return names(cmd)
}

// secret asks for something that is not shown while it is typed, or reads the first
// line of standard input where nobody can be asked.
func (a *app) secret(prompt string) (string, error) {
	if a.Terminal {
		fmt.Fprint(a.Stderr, prompt)
		typed, err := term.ReadPassword(int(os.Stdin.Fd()))
		fmt.Fprintln(a.Stderr)
		return strings.TrimSpace(string(typed)), err
	}
	line, err := bufio.NewReader(a.Stdin).ReadString('\n')
	if errors.Is(err, io.EOF) {
		err = nil
	}
	return strings.TrimSpace(line), err
}

// agreed asks something that is answered by yes or no, of somebody who can be asked.
func (a *app) agreed(question string) bool {
	if !a.Terminal {
		return false
	}
	fmt.Fprint(a.Stderr, question+" [y/N] ")
	line, _ := bufio.NewReader(a.Stdin).ReadString('\n') // what cannot be read is no
	answer := strings.ToLower(strings.TrimSpace(line))
	return answer == "y" || answer == "yes"
}

func (a *app) signOut() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "sign-out",
		Short: "End the token that sign-in has kept",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			kept, err := config.KeptTokens()
			if err != nil {
				return err
			}
			if kept.Of(a.server) == "" {
				fmt.Fprintln(a.Stdout, "Nobody is signed in to "+a.server+".")
				return nil
			}
			ended := a.client().SignOut(cmd.Context())
			if err := kept.Keep(a.server, ""); err != nil {
				return errors.Join(ended, err)
			}
			if ended != nil {
				fmt.Fprintln(a.Stderr, "The token is forgotten here, but the service did not end it:")
				return ended
			}
			fmt.Fprintln(a.Stdout, "Signed out of "+a.server+". The token was ended.")
			return nil
		},
	}
	return names(cmd)
}

func (a *app) whoami() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "whoami",
		Short: "Tell who the service takes you for, and what you may do",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			me, err := a.client().Me(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(me, func() error {
				if me.State == "open" {
					fmt.Fprintln(a.Stdout, "The service has no users: whoever reaches this machine may do everything.")
					return nil
				}
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				fmt.Fprintf(w, "name\t%s\nrole\t%s\n", named(me.Name, me.Display), me.Role)
				if len(me.Groups) > 0 {
					fmt.Fprintf(w, "groups\t%s\n", strings.Join(me.Groups, ", "))
				}
				for _, name := range slices.Sorted(maps.Keys(me.Attributes)) {
					fmt.Fprintf(w, "%s\t%s\n", name, strings.Join(me.Attributes[name], ", "))
				}
				if me.Role != "administrator" {
					printRights(w, me.Folders, me.Sources)
				}
				if !me.Writes {
					fmt.Fprintln(w, "\twith this token nothing can be changed")
				}
				return w.Flush()
			})
		},
	}
	return names(a.printing(cmd))
}

func printRights(w io.Writer, folders, sources map[string]string) {
	for _, folder := range slices.Sorted(maps.Keys(folders)) {
		fmt.Fprintf(w, "%s\tin %s\n", folders[folder], folderName(folder))
	}
	for _, source := range slices.Sorted(maps.Keys(sources)) {
		fmt.Fprintf(w, "%s\ton %s\n", sources[source], sourceInWords(source))
	}
}

func folderName(folder string) string {
	if folder == "" {
		return "every folder"
	}
	return folder
}

func sourceInWords(source string) string {
	if source == "*" {
		return "every source"
	}
	return source
}

// named is a name, and how others see it.
func named(name, display string) string {
	if display == "" || display == name {
		return name
	}
	return name + " (" + display + ")"
}
