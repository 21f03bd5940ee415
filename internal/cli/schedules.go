package cli

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"pikegate/internal/wire"
)

func (a *app) schedules() *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use:   "schedules",
		Short: "List the schedules of yours, or all that you may see",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c := a.client()
			list, err := c.Schedules(cmd.Context(), all)
			if err != nil {
				return err
			}
			notices, err := c.Notices(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(list, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, s := range list {
					fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\n", s.Name, s.When, nextInWords(s), lastInWords(s.Last), s.Title)
				}
				if err := w.Flush(); err != nil {
					return err
				}
				for _, n := range notices {
					fmt.Fprintln(a.Stderr, noticeInWords(n))
				}
				return nil
			})
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "those of others too, as far as you may see them")
	return names(a.printing(cmd))
}

func nextInWords(s wire.ScheduleInfo) string {
	switch {
	case s.Paused != "":
		return "paused"
	case s.Next == nil:
		return "never again"
	}
	at := *s.Next
	if zone, err := time.LoadLocation(s.Zone); err == nil {
		at = at.In(zone)
	}
	return "next " + at.Format("2006-01-02 15:04")
}

func lastInWords(o *wire.OccurrenceSummary) string {
	if o == nil {
		return "not run yet"
	}
	return inWords(o.State)
}

// inWords is a state as people read it.
func inWords(state string) string { return strings.ReplaceAll(state, "_", " ") }

func noticeInWords(n wire.Notice) string {
	about := n.Schedule
	if n.Occurrence > 0 {
		about += fmt.Sprintf(", occurrence %d", n.Occurrence)
	}
	if about != "" {
		about += ": "
	}
	return n.At.Format("2006-01-02 15:04Z") + "  " + about + n.Words
}

func (a *app) schedule() *cobra.Command {
	return holding("schedule", "Show, pause, resume and run schedules", a.scheduleShow(), a.scheduleOccurrence(), a.scheduleMake(), a.schedulePause(), a.scheduleResume(), a.scheduleRun(), a.scheduleCancel(), a.scheduleRemove(), a.scheduleDestinations(), a.scheduleDismiss(), a.scheduleHandOver())
}

func (a *app) scheduleNames(cmd *cobra.Command, _ []string) []string {
	list, err := a.client().Schedules(cmd.Context(), true)
	if err != nil {
		return nil
	}
	names := make([]string, len(list))
	for i, s := range list {
		names[i] = s.Name
	}
	return names
}

func (a *app) scheduleShow() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "show SCHEDULE",
		Short: "Tell when a schedule is due next, what its answers mean then, and what came of it",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			s, err := a.client().Schedule(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			return a.show(s, func() error { return a.printSchedule(s) })
		},
	}
	return names(a.printing(cmd), a.scheduleNames)
}

func (a *app) printSchedule(s wire.ScheduleDetail) error {
	fmt.Fprintf(a.Stdout, "%s\n%s runs %s, %s", s.Title, s.Name, s.Report, s.When)
	fmt.Fprintf(a.Stdout, " in %s", s.Zone)
	if s.Owner != "" {
		fmt.Fprintf(a.Stdout, ", for %s", s.Owner)
	}
	fmt.Fprintln(a.Stdout)
	if s.Paused != "" {
		fmt.Fprintf(a.Stdout, "Paused: %s\n", s.Paused)
	}
	for _, d := range s.Deliver {
		to := map[string]string{"folder": "To the file ", "mail": "By mail to ", "web": "To the address ", "keep": "Kept as the table "}[d.Way] + d.Target
		if d.Way == "mail" && d.Format != "" {
			to += " with a file of " + d.Format
		}
		fmt.Fprintln(a.Stdout, to)
	}
	if s.Each != "" {
		fmt.Fprintf(a.Stdout, "Once for each %s\n", s.Each)
	}
	if s.Only != "" {
		fmt.Fprintf(a.Stdout, "Only if %s\n", s.Only)
	}
	fmt.Fprintln(a.Stdout, "\nDue next")
	w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
	for _, t := range s.Times {
		line := "  " + clockText(t.At)
		if t.Meant != "" {
			line += ", as the clock leaves out " + t.Meant[11:16]
		}
		var meant []string
		for _, answer := range t.Answers {
			if answer.ReadBack != "" && answer.Given {
				meant = append(meant, answer.Label+": "+answer.ReadBack)
			}
		}
		for _, p := range t.Problems {
			meant = append(meant, p.Message)
		}
		fmt.Fprintln(w, line+"\t"+strings.Join(meant, "; "))
	}
	if err := w.Flush(); err != nil {
		return err
	}
	if s.Ended != "" {
		fmt.Fprintln(a.Stdout, "  "+s.Ended)
	}
	fmt.Fprintln(a.Stdout, "\nPast occurrences")
	for _, o := range s.Occurrences {
		repeat := ""
		if o.Repeat > 0 {
			repeat = fmt.Sprintf(", repeat %d", o.Repeat)
		}
		fmt.Fprintf(w, "  %d\t%s%s\t%s\t%s\n", o.Occurrence, o.DueText, repeat, inWords(o.State), o.Problem)
	}
	if len(s.Occurrences) == 0 {
		fmt.Fprintln(w, "  It has not run yet.")
	}
	return w.Flush()
}

// clockText is a time with its offset, as people read it.
func clockText(at string) string { return strings.Replace(at[:16], "T", " ", 1) }

func (a *app) scheduleOccurrence() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "occurrence NUMBER",
		Short: "Tell of one time at which a schedule was due, in full",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			id, err := occurrenceNumber(given[0])
			if err != nil {
				return err
			}
			o, err := a.client().Occurrence(cmd.Context(), id)
			if err != nil {
				return err
			}
			return a.show(o, func() error { return a.printOccurrence(o) })
		},
	}
	return names(a.printing(cmd))
}

func occurrenceNumber(text string) (uint, error) {
	id, err := strconv.ParseUint(text, 10, 32)
	if err != nil {
		return 0, usageError{fmt.Errorf("%q is not the number of an occurrence", text)}
	}
	return uint(id), nil
}

func (a *app) printOccurrence(o wire.Occurrence) error {
	fmt.Fprintf(a.Stdout, "%s, due %s: %s\n", o.Schedule, o.DueText, inWords(o.State))
	if o.Problem != "" {
		fmt.Fprintln(a.Stdout, o.Problem)
	}
	if o.Retry != nil {
		fmt.Fprintf(a.Stdout, "Tried again at %s\n", o.Retry.Format("2006-01-02 15:04:05Z"))
	}
	w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
	for _, p := range o.Parts {
		name := p.Label
		if p.Blank {
			name = "blank"
		}
		fmt.Fprintf(w, "\nPart %d\t%s\n", p.Number, name)
		if p.Run > 0 {
			fmt.Fprintf(w, "  run %d\t%s. %s\n", p.Run, records(p.Count), p.ReadBack)
		}
		if p.Problem != "" {
			fmt.Fprintf(w, "  \t%s\n", p.Problem)
		}
		for _, d := range p.Deliveries {
			line := inWords(d.State)
			if d.Problem != "" {
				line += ": " + d.Problem
			}
			if d.Answer != "" {
				line += " (" + d.Answer + ")"
			}
			fmt.Fprintf(w, "  %s %s\t%s\n", d.Way, d.Target, line)
		}
	}
	return w.Flush()
}

func (a *app) scheduleMake() *cobra.Command {
	var own wire.OwnSchedule
	var in inputs
	cmd := &cobra.Command{
		Use:   "make REPORT",
		Short: "Have a report, or an overview, come to you by mail, by itself",
		Long:  "Have a report, or an overview, come to you by mail, by itself, with the answers read as of each time it is due.\nTo the addresses of others it goes where you hold the right to deliver.",
		Example: "  pikegate schedule make passages-by-date --set period='last week' --when 'every monday at 07:00' --format xlsx\n" +
			"  pikegate schedule make jobs-due --set period='this week' --when 'every working day at 06:30' --only 'count >= 1'\n" +
			"  pikegate schedule make navigation-at-a-glance --overview --set period='last month' --when 'on the 1st of every month at 07:00' --format pdf",
		Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			request, err := in.request(cmd.Context(), a.client(), given[0])
			if err != nil {
				return err
			}
			if own.Set = request.Inputs; in.overview {
				own.Overview = given[0]
			} else {
				own.Report = given[0]
			}
			info, err := a.client().MakeSchedule(cmd.Context(), own)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.Stdout, "%s: %s, %s\n", info.Name, info.When, nextInWords(info))
			return nil
		},
	}
	in.flags(cmd)
	a.answersCompleted(cmd, &in)
	cmd.Flags().StringVar(&own.When, "when", "", "when it is due, such as 'every monday at 07:00'")
	cmd.Flags().StringVar(&own.Title, "title", "", "what it is called (default as the report)")
	cmd.Flags().StringVar(&own.Zone, "zone", "", "the zone of its times (default the report's)")
	cmd.Flags().StringVar(&own.Only, "only", "", "a condition on totals without which nothing is sent, such as 'count >= 1'")
	cmd.Flags().StringVar(&own.Format, "format", "", "the format of the file attached: "+strings.Join(fileNames(), ", ")+" (default none)")
	cmd.Flags().StringArrayVar(&own.To, "to", nil, "a mail address (default your own); can be repeated")
	completed(cmd, "format", fileNames()...)
	askedFlag(cmd, &in.overview)
	return names(cmd, a.askedNames(&in))
}

// change is a command that does something to a schedule.
func (a *app) changeSchedule(use, short string, do func(cmd *cobra.Command, name string) error) *cobra.Command {
	return names(&cobra.Command{
		Use: use + " SCHEDULE", Short: short, Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error { return do(cmd, given[0]) },
	}, a.scheduleNames)
}

func (a *app) schedulePause() *cobra.Command {
	var why string
	cmd := a.changeSchedule("pause", "Stop a schedule until it is resumed", func(cmd *cobra.Command, name string) error {
		info, err := a.client().PauseSchedule(cmd.Context(), name, why)
		if err == nil {
			fmt.Fprintf(a.Stdout, "%s is paused: %s\n", info.Name, info.Paused)
		}
		return err
	})
	cmd.Flags().StringVar(&why, "why", "", "why, for those who see it")
	return cmd
}

func (a *app) scheduleResume() *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use:   "resume SCHEDULE",
		Short: "Have a schedule run again; the times that passed meanwhile are skipped",
		Args:  args(cobra.MaximumNArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			if all == (len(given) == 1) {
				return usageError{errors.New("name a schedule, or say --all")}
			}
			c, list := a.client(), given
			if all {
				known, err := c.Schedules(cmd.Context(), true)
				if err != nil {
					return err
				}
				for _, s := range known {
					if s.Paused != "" && s.Changes {
						list = append(list, s.Name)
					}
				}
			}
			var failed error
			for _, name := range list {
				info, err := c.ResumeSchedule(cmd.Context(), name)
				if err != nil {
					failed = errors.Join(failed, err)
					continue
				}
				fmt.Fprintf(a.Stdout, "%s: %s\n", info.Name, nextInWords(info))
			}
			return failed
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "every schedule that is paused and that you may change")
	return names(cmd, a.scheduleNames)
}

func (a *app) scheduleRun() *cobra.Command {
	var due string
	cmd := a.changeSchedule("run", "Run a schedule now, or again for a time at which it was due", func(cmd *cobra.Command, name string) error {
		var at time.Time
		if due != "" {
			var err error
			if at, err = time.Parse(time.RFC3339, due); err != nil {
				return usageError{fmt.Errorf("--due %s is not a time such as 2026-03-30T07:00:00+01:00", due)}
			}
		}
		o, err := a.client().RunSchedule(cmd.Context(), name, at)
		if err == nil {
			fmt.Fprintf(a.Stdout, "occurrence %d, due %s\n", o.Occurrence, o.DueText)
		}
		return err
	})
	cmd.Flags().StringVar(&due, "due", "", "a time at which it was due, such as 2026-03-30T07:00:00+01:00 (default now)")
	return cmd
}

func (a *app) scheduleCancel() *cobra.Command {
	return &cobra.Command{
		Use: "cancel NUMBER", Short: "End what is under way of an occurrence", Args: args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			id, err := occurrenceNumber(given[0])
			if err == nil {
				err = a.client().CancelOccurrence(cmd.Context(), id)
			}
			if err == nil {
				fmt.Fprintln(a.Stdout, "cancelled")
			}
			return err
		},
	}
}

func (a *app) scheduleRemove() *cobra.Command {
	return a.changeSchedule("remove", "End a schedule that you made of a result", func(cmd *cobra.Command, name string) error {
		err := a.client().RemoveSchedule(cmd.Context(), name)
		if err == nil {
			fmt.Fprintln(a.Stdout, "removed")
		}
		return err
	})
}

func (a *app) scheduleDestinations() *cobra.Command {
	cmd := &cobra.Command{
		Use: "destinations", Short: "Tell where schedules may deliver", Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			d, err := a.client().Destinations(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(d, func() error {
				if !d.Mails {
					fmt.Fprintln(a.Stdout, "There is no mail server.")
				}
				for _, p := range d.Places {
					may := ""
					if !p.May {
						may = "  not by you"
					}
					fmt.Fprintln(a.Stdout, p.Place+may)
				}
				return nil
			})
		},
	}
	return names(a.printing(cmd))
}

func (a *app) scheduleDismiss() *cobra.Command {
	return &cobra.Command{
		Use: "dismiss", Short: "Take away the notices that schedules lists", Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c := a.client()
			list, err := c.Notices(cmd.Context())
			if err != nil {
				return err
			}
			for _, n := range list {
				if err := c.DropNotice(cmd.Context(), n.Number); err != nil {
					return err
				}
			}
			fmt.Fprintf(a.Stdout, "%d taken away\n", len(list))
			return nil
		},
	}
}

func (a *app) scheduleHandOver() *cobra.Command {
	return &cobra.Command{
		Use: "hand-over FROM TO", Short: "Give the schedules of somebody who leaves to somebody else", Args: args(cobra.ExactArgs(2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			list, err := a.client().HandOver(cmd.Context(), given[0], given[1])
			for _, s := range list {
				fmt.Fprintf(a.Stdout, "%s runs for %s\n", s.Name, s.Owner)
			}
			if err == nil && len(list) == 0 {
				fmt.Fprintf(a.Stdout, "%s has no schedules.\n", given[0])
			}
			return err
		},
	}
}

func (a *app) verify() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "verify FILE",
		Short: "Tell whether a file is what a schedule delivered, byte for byte",
		Long:  "Tell whether a file is what a schedule delivered, byte for byte, and where it came from.\nThe exit code is 3 where it is not.",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			sum, err := hashOf(given[0])
			if err != nil {
				return err
			}
			found, err := a.client().VerifyFile(cmd.Context(), sum)
			if err != nil {
				return err
			}
			return a.show(found, func() error {
				if len(found) == 0 {
					fmt.Fprintf(a.Stderr, "No delivery had this file: %s\n  It was changed, or came from elsewhere. SHA-256 %s\n", given[0], sum)
					return refusedError{}
				}
				for i, p := range found {
					if i > 0 {
						fmt.Fprintln(a.Stdout)
					}
					a.printProvenance(p)
				}
				return nil
			})
		},
	}
	return names(a.printing(cmd))
}

func hashOf(path string) (string, error) {
	file, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer file.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, file); err != nil {
		return "", err
	}
	return hex.EncodeToString(sum.Sum(nil)), nil
}

func (a *app) printProvenance(p wire.Provenance) {
	fmt.Fprintf(a.Stdout, "It is what the schedule %s delivered on %s.\n", p.Schedule, p.Delivered.Format("2006-01-02 15:04:05Z"))
	line := func(name, text string) {
		if text != "" {
			fmt.Fprintf(a.Stdout, "  %-11s %s\n", name, text)
		}
	}
	line("to", strings.TrimSpace(p.Way+" "+p.Target))
	line("occurrence", fmt.Sprintf("%d, part %d", p.Occurrence, p.Part))
	if p.Run > 0 {
		line("report", fmt.Sprintf("%s, version %d, run %d", p.Report, p.Version, p.Run))
		line("selected", p.ReadBack)
		line("as of", p.AsOf+" in "+p.Zone)
		found := records(p.Count)
		if p.First != "" {
			found += ", first " + p.First + ", last " + p.Last
		}
		line("records", found)
	}
	line("SHA-256", p.SHA256)
}
