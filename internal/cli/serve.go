package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"pikegate/internal/config"
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
	cmd := &cobra.Command{
		Use:   name,
		Short: short,
		Long:  short + ".\nThe address is the first line on standard output.",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := c.Validate(); err != nil {
				return usageError{err}
			}
			return a.Serve(cmd.Context(), c, demo, func(address string) {
				fmt.Fprintln(a.Stdout, address)
				if demo {
					a.invite(address)
				}
			})
		},
	}
	cmd.Flags().StringVar(&c.Listen, "listen", c.Listen, "HOST:PORT; port 0 picks a free one; beyond this machine's loopback there have to be users, and TLS")
	cmd.Flags().StringVar(&c.Data, "data", c.Data, "the folder of the service's own records; it is made if need be")
	calendarFlags(cmd, &c.Calendar)
	cmd.Flags().StringVar(&c.Secrets, "secrets", c.Secrets, "a file of passwords, a line NAME=PASSWORD for each source (or PIKEGATE_SECRETS)")
	cmd.Flags().StringVar(&c.TLSCert, "tls-cert", "", "the file of the service's own certificate (PEM, with those that vouch for it); it is read again when it changes")
	cmd.Flags().StringVar(&c.TLSKey, "tls-key", "", "the file of the certificate's key")
	cmd.Flags().StringArrayVar(&c.BehindProxy, "behind-proxy", nil, "a network such as 10.1.2.0/24 whose proxies tell where requests come from; can be repeated")
	cmd.Flags().StringVar(&c.PublicURL, "public-url", os.Getenv("PIKEGATE_PUBLIC_URL"), "the address people use, such as https://reports.example.org (or PIKEGATE_PUBLIC_URL)")
	cmd.Flags().DurationVar(&c.TimeLimit, "time-limit", c.TimeLimit, "the longest a statement may take; 0 means no limit")
	cmd.Flags().DurationVar(&c.Stall, "stall", c.Stall, "how long a caller may take nothing of what is sent to it; 0 means for ever")
	cmd.Flags().StringArrayVar(&c.Folders, "sources", nil, "a folder that the files of sources may be in; can be repeated (default anywhere)")
	cmd.Flags().IntVar(&c.Memory, "memory", c.Memory, "the memory to keep to, in MiB; 0 means no limit")
	cmd.Flags().IntVar(&c.Keep.Days, "keep-days", c.Keep.Days, "how many days the record of a run is kept; 0 means for ever")
	cmd.Flags().IntVar(&c.Keep.Runs, "keep-runs", c.Keep.Runs, "how many records of runs are kept; 0 means all")
	cmd.Flags().IntVar(&c.Keep.MiB, "keep-mib", c.Keep.MiB, "how large the service's own records may grow before the oldest runs go, in MiB; 0 means without bound")
	return cmd
}

// invite prints what to try with the demonstration.
func (a *app) invite(address string) {
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
