package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"pikegate/internal/config"
	"pikegate/internal/wire"
)

func (a *app) serve() *cobra.Command {
	return a.serving("serve", "Run the service until interrupted", "pikegate-data", false)
}

func (a *app) demo() *cobra.Command {
	return a.serving("demo", "Run the service with the demonstration data until interrupted", "pikegate-demo", true)
}

// serving is serve or demo, which differ in the data only.
func (a *app) serving(name, short, folder string, demo bool) *cobra.Command {
	c := config.DefaultServe(folder)
	people := false
	cmd := &cobra.Command{
		Use:   name,
		Short: short,
		Long:  short + ".\nThe address is the first line on standard output.",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := c.Validate(); err != nil {
				return usageError{err}
			}
			return a.Serve(cmd.Context(), c, Demo{Data: demo, People: people}, func(address string, invited []wire.Invitation) {
				fmt.Fprintln(a.Stdout, address)
				if demo {
					a.invite(address, people, invited)
				}
			})
		},
	}
	if demo {
		cmd.Flags().BoolVar(&people, "people", false, "begin with users, groups, rights and row rules: a clerk, a keeper, a report developer and an administrator")
	}
	cmd.Flags().StringVar(&c.Listen, "listen", c.Listen, "HOST:PORT; port 0 picks a free one; beyond this machine's loopback there have to be users, and TLS")
	cmd.Flags().StringVar(&c.Data, "data", c.Data, "the folder of the service's own records; it is made if need be")
	calendarFlags(cmd, &c.Calendar)
	cmd.Flags().StringVar(&c.Secrets, "secrets", c.Secrets, "a file of passwords, a line NAME=PASSWORD for each source (or PIKEGATE_SECRETS)")
	cmd.Flags().StringVar(&c.TLSCert, "tls-cert", "", "the file of the service's own certificate (PEM, with those that vouch for it); it is read again when it changes")
	cmd.Flags().StringVar(&c.TLSKey, "tls-key", "", "the file of the certificate's key")
	cmd.Flags().StringArrayVar(&c.BehindProxy, "behind-proxy", nil, "a network such as 10.1.2.0/24 whose proxies tell where requests come from; can be repeated")
	cmd.Flags().StringVar(&c.PublicURL, "public-url", os.Getenv("PIKEGATE_PUBLIC_URL"), "the address people use, such as https://reports.example.org (or PIKEGATE_PUBLIC_URL)")
	cmd.Flags().StringVar(&c.IdentityProvider, "identity-provider", c.IdentityProvider, "a file that tells of an OpenID Connect provider at which people sign in (or PIKEGATE_IDENTITY_PROVIDER)")
	cmd.Flags().StringVar(&c.Destinations, "destinations", c.Destinations, "a file that says where schedules may deliver: folders, a mail server, hosts of the web (or PIKEGATE_DESTINATIONS)")
	cmd.Flags().Int64Var(&c.ExportsTold, "exports-told", c.ExportsTold, "above how many records the audit log is told of an export")
	cmd.Flags().DurationVar(&c.TimeLimit, "time-limit", c.TimeLimit, "the longest a statement may take; 0 means no limit")
	cmd.Flags().DurationVar(&c.Stall, "stall", c.Stall, "how long a caller may take nothing of what is sent to it; 0 means for ever")
	cmd.Flags().StringArrayVar(&c.Folders, "sources", nil, "a folder that the files of sources may be in; can be repeated (default anywhere)")
	cmd.Flags().IntVar(&c.Memory, "memory", c.Memory, "the memory to keep to, in MiB; 0 means no limit")
	cmd.Flags().IntVar(&c.Keep.Days, "keep-days", c.Keep.Days, "how many days the record of a run is kept; 0 means for ever")
	cmd.Flags().IntVar(&c.Keep.TypedDays, "keep-typed-days", c.Keep.TypedDays, "how many days the record of a run holds what was typed; 0 means as long as there is the record")
	cmd.Flags().IntVar(&c.Keep.Runs, "keep-runs", c.Keep.Runs, "how many records of runs are kept; 0 means all")
	cmd.Flags().IntVar(&c.Keep.MiB, "keep-mib", c.Keep.MiB, "how large the service's own records may grow before the oldest runs go, in MiB; 0 means without bound")
	return cmd
}

// Demo says whether the demonstration is served, and with people of its own.
type Demo struct{ Data, People bool }

// invite prints what to try with the demonstration.
func (a *app) invite(address string, people bool, invited []wire.Invitation) {
	if people {
		a.welcome(address, invited)
		return
	}
	server := ""
	if address != "http://"+config.DefaultListen {
		server = " --server " + address
	}
	fmt.Fprintf(a.Stdout, `
The Tarn and Wold Navigation is open. Its records run from 2023-01-01 to 2025-12-31.

  Console   %s
  Try       %[2]s reports%[3]s
            %[2]s run passages-by-date --start 2025-03-01 --end 2025-03-31%[3]s
            %[2]s explain jobs-due --set period='first week of 2025'%[3]s

Press Ctrl+C to stop.
`, address, a.Program, server)
}

// welcome prints how the people of the demonstration sign in.
func (a *app) welcome(address string, invited []wire.Invitation) {
	fmt.Fprintf(a.Stdout, "\nThe Tarn and Wold Navigation is open to its people alone.\n\n")
	if invited == nil {
		fmt.Fprintf(a.Stdout, "  Console   %s\n\nThey sign in with the passwords they set; pikegate user recover NAME gives ada, cleo, kit or dev another link.\nPress Ctrl+C to stop.\n", address)
		return
	}
	about := map[string]string{"ada": "administrator", "cleo": "clerk, sees everything", "kit": "keeper, sees the locks of the Upper Tarn", "dev": "report developer"}
	for _, i := range invited {
		fmt.Fprintf(a.Stdout, "  %-5s %s\n        %s%s\n", i.User, about[i.User], address, i.Link)
	}
	fmt.Fprintf(a.Stdout, "\nEach link sets a password, once, within a day. Nell, another keeper, and Omar, a clerk, sign in\nat the stand-in for an identity provider: %s\n\nPress Ctrl+C to stop.\n", address)
}
