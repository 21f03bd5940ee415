// Package cli is the command line: one file per command. Commands that need
// records talk to a running service; the others work offline on the heart.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"pikegate/core/diag"
	"pikegate/internal/client"
	"pikegate/internal/config"
	"pikegate/internal/wire"
)

// The exit codes.
const (
	exitDone    = 0
	exitFailed  = 1
	exitUsage   = 2
	exitRefused = 3
)

// Env is what the commands need from outside.
type Env struct {
	Stdin          io.Reader
	Stdout, Stderr io.Writer
	// Now is the clock.
	Now func() time.Time
	// Serve runs the service until the context ends; demo adds the
	// demonstration. Ready is called with its address once it listens, and with the links
	// of its people when they were made.
	Serve func(ctx context.Context, c config.Serve, demo Demo, ready func(address string, invited []wire.Invitation)) error
	// AddUser and RecoverUser work on the files of a data folder at the machine.
	AddUser     func(ctx context.Context, data string, u wire.User) (wire.Invitation, error)
	RecoverUser func(ctx context.Context, data, name string) (wire.Invitation, error)
	// Version is Pike Gate's own.
	Version string
	// Terminal tells that a person sits at the other end of standard input and
	// output, who can be asked.
	Terminal bool
	// Program is how the binary was called, for commands that can be copied.
	Program string
}

// usageError is a wrong use of a command.
type usageError struct{ error }

// refusedError says that input was refused and has been explained already.
type refusedError struct{}

func (refusedError) Error() string { return "input refused" }

// Run runs the command that the arguments name and gives its exit code.
func Run(ctx context.Context, args []string, env Env) int {
	app := &app{Env: env, data: env.Stdout}
	app.Stdout, app.Stderr = &visible{to: env.Stdout}, &visible{to: env.Stderr}
	root := app.root()
	root.SetArgs(args)
	root.SetIn(env.Stdin)
	root.SetOut(app.Stdout)
	root.SetErr(app.Stderr)
	return app.exit(root.ExecuteContext(ctx))
}

type app struct {
	Env
	// data is standard output for what another program reads: byte by byte.
	data   io.Writer
	server string
	// prints is how the command prints what it finds: text or json.
	prints string
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:           "pikegate",
		Short:         "Records between two dates, with an answer that can be trusted",
		Long:          "Pike Gate runs parameterized reports on business records: it asks for dates and more,\nreads back what was understood, and returns the matching records, sorted.",
		Version:       a.Version,
		SilenceErrors: true,
		SilenceUsage:  true,
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return nil
			}
			var names []string
			for _, c := range cmd.Commands() {
				names = append(names, c.Name())
			}
			return usageError{fmt.Errorf("there is no command %q. %s", args[0], diag.DidYouMean(args[0], names))}
		},
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	root.PersistentFlags().StringVar(&a.server, "server", config.DefaultServer(), "address of the service (or PIKEGATE_SERVER)")
	root.AddCommand(a.reports(), a.ask(), a.begin(), a.copy(), a.rename(), a.run(), a.overviews(), a.overview(), a.runs(), a.compare(), a.explain(), a.why(), a.coverage(), a.check(), a.format(), a.push(), a.review(), a.publish(), a.versions(),
		a.drafts(), a.pull(), a.remove(), a.uses(), a.schema(), a.period(), a.when(), a.schedules(), a.schedule(), a.verify(), a.calendar(), a.source(), a.signIn(), a.signOut(), a.whoami(), a.user(), a.group(), a.token(), a.rights(), a.audit(), a.answers(), a.secretCommand(), a.serve(), a.demo())
	return root
}

// client talks to the service, signed in with the token there is for it. It goes to
// that service alone, and not in the clear beyond this machine.
func (a *app) client() *client.Client {
	c := &client.Client{Server: a.server}
	if kept, err := config.KeptTokens(); err == nil && client.Private(a.server) {
		c.Token = kept.Of(a.server)
	}
	return c
}

// args wraps a check of positional arguments, so that it counts as usage.
func args(check cobra.PositionalArgs) cobra.PositionalArgs {
	return func(cmd *cobra.Command, given []string) error {
		if err := check(cmd, given); err != nil {
			return usageError{fmt.Errorf("%w; usage: %s", err, cmd.UseLine())}
		}
		return nil
	}
}

// exit explains an error, once, and gives its exit code.
func (a *app) exit(err error) int {
	var usage usageError
	var refused refusedError
	var refusal *client.Refusal
	var problems diag.Problems
	var unreachable *client.Unreachable
	switch {
	case err == nil:
		return exitDone
	case errors.As(err, &refused):
		return exitRefused
	case errors.As(err, &usage):
		fmt.Fprintln(a.Stderr, "usage:", usage.error)
		return exitUsage
	case errors.As(err, &refusal):
		a.explainProblems(refusal.Problems, nil)
		// What was asked for is refused by these; anything else went wrong.
		if refusal.Status >= 400 && refusal.Status < 500 {
			return exitRefused
		}
		return exitFailed
	case errors.As(err, &problems):
		a.explainProblems(problems, nil)
		return exitRefused
	case errors.As(err, &unreachable):
		fmt.Fprintln(a.Stderr, "error:", err)
		fmt.Fprintln(a.Stderr, "  Start one with pikegate demo or pikegate serve, or name another with --server.")
		return exitFailed
	case errors.Is(err, context.Canceled):
		fmt.Fprintln(a.Stderr, "stopped")
		return exitFailed
	}
	fmt.Fprintln(a.Stderr, "error:", err)
	return exitFailed
}
