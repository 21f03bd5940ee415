// Command pikegate is the service and its command line.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"
	"time"
	_ "time/tzdata" // zones are known on machines that have no zone files

	"golang.org/x/term"

	"pikegate/internal/cli"
	"pikegate/internal/wire"
)

// version is set when a release is built.
var version = "0.1.0-dev"

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	context.AfterFunc(ctx, stop) // a second one ends it at once
	code := cli.Run(ctx, os.Args[1:], cli.Env{
		Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr,
		Now: time.Now, Serve: serve, Version: version, Program: os.Args[0],
		AddUser: func(ctx context.Context, data string, u wire.User) (wire.Invitation, error) {
			return atTheMachine(ctx, data, &u, "")
		},
		RecoverUser: func(ctx context.Context, data, name string) (wire.Invitation, error) {
			return atTheMachine(ctx, data, nil, name)
		},
		Terminal: term.IsTerminal(int(os.Stdin.Fd())) && term.IsTerminal(int(os.Stderr.Fd())),
	})
	stop()
	os.Exit(code)
}
