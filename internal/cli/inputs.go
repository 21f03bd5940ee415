package cli

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/core/parameter"
	"pikegate/internal/client"
	"pikegate/internal/wire"
)

// inputs are the answers given as options.
type inputs struct {
	set        []string
	start, end string
	asOf       string
	answers    string
	draft      bool
	// overview tells that they are of an overview.
	overview bool
}

func (in *inputs) flags(cmd *cobra.Command) {
	cmd.Flags().StringArrayVar(&in.set, "set", nil, "an answer, as NAME=VALUE; repeat it for several answers to one question")
	cmd.Flags().StringVar(&in.start, "start", "", "the start of the report's period")
	cmd.Flags().StringVar(&in.end, "end", "", "the end of the report's period; it counts in full")
	cmd.Flags().StringVar(&in.answers, "answers", "", "the name of saved answers, under those that are given")
	asOfFlag(cmd, &in.asOf)
	draftFlag(cmd, &in.draft)
}

// answersCompleted has a shell complete --set with the questions of the report or the overview
// that was named, and after NAME= with its choices.
func (a *app) answersCompleted(cmd *cobra.Command, in *inputs) {
	err := cmd.RegisterFlagCompletionFunc("set", func(cmd *cobra.Command, given []string, typed string) ([]cobra.Completion, cobra.ShellCompDirective) {
		const nothing = cobra.ShellCompDirectiveNoFileComp
		if len(given) == 0 {
			return nil, nothing
		}
		form, err := in.ask(cmd.Context(), a.client(), given[0])
		if err != nil {
			return nil, nothing
		}
		name, value, chosen := strings.Cut(typed, "=")
		var out []string
		for _, q := range form.Questions {
			if !chosen {
				out = append(out, q.Name+"=\t"+q.Label)
				continue
			}
			if q.Name != name {
				continue
			}
			choices, err := a.client().Choices(cmd.Context(), in.asker(given[0]), name, value, shownChoices, client.Run{})
			if err != nil {
				return nil, nothing
			}
			for _, c := range choices {
				out = append(out, name+"="+c.Value)
			}
			for _, quick := range q.Quick {
				out = append(out, name+"="+quick)
			}
			if q.Kind == parameter.YesNo {
				out = append(out, name+"=yes", name+"=no")
			}
		}
		if chosen {
			return out, nothing
		}
		return out, nothing | cobra.ShellCompDirectiveNoSpace
	})
	if err != nil {
		panic("cli: " + err.Error()) // a command without --set
	}
}

func draftFlag(cmd *cobra.Command, draft *bool) {
	cmd.Flags().BoolVar(draft, "draft", false, "take what was pushed last instead of the published version")
}

// request makes the request; a start or end needs to know which question is
// the report's period.
func (in *inputs) request(ctx context.Context, c *client.Client, report string) (client.Run, error) {
	answers := parameter.Inputs{}
	for _, s := range in.set {
		name, value, ok := strings.Cut(s, "=")
		if !ok || name == "" {
			return client.Run{}, usageError{fmt.Errorf("--set %q is not NAME=VALUE", s)}
		}
		answers[name] = parameter.Typed(append(answers[name].Texts, value)...)
	}
	if in.start != "" || in.end != "" {
		name, err := in.periodQuestion(ctx, c, report)
		if err != nil {
			return client.Run{}, err
		}
		if _, given := answers[name]; given {
			return client.Run{}, usageError{fmt.Errorf("give the period either as --set %s=… or as --start and --end", name)}
		}
		var period parameter.Input
		if in.start != "" {
			period.Start = &in.start
		}
		if in.end != "" {
			period.End = &in.end
		}
		answers[name] = period
	}
	return client.Run{Inputs: answers, AsOf: in.asOf, Answers: in.answers, Draft: in.draft}, nil
}

func (in *inputs) periodQuestion(ctx context.Context, c *client.Client, report string) (string, error) {
	form, err := in.ask(ctx, c, report)
	if err != nil {
		return "", err
	}
	var names []string
	for _, q := range form.Questions {
		if q.Kind == parameter.Period {
			names = append(names, q.Name)
		}
	}
	if len(names) != 1 {
		return "", usageError{fmt.Errorf("--start and --end need one period question; %s has %d, so use --set", report, len(names))}
	}
	return names[0], nil
}

// ask tells what the report or the overview of a name asks.
func (in *inputs) ask(ctx context.Context, c *client.Client, name string) (wire.ReportForm, error) {
	if in.overview {
		page, err := c.AskOverview(ctx, name, client.Run{Draft: in.draft})
		return page.ReportForm, err
	}
	return c.Ask(ctx, name, client.Run{Draft: in.draft})
}

// explained prints the problems of a refusal under what was typed.
func (a *app) explained(err error, run client.Run) error {
	var refusal *client.Refusal
	if !errors.As(err, &refusal) || refusal.Status != 422 {
		return err
	}
	a.explainProblems(refusal.Problems, func(field string) string { return typedFor(field, run) })
	return refusedError{}
}

// typedFor is what was typed for a field: NAME, or NAME.start and NAME.end.
func typedFor(field string, run client.Run) string {
	if field == "as_of" {
		return run.AsOf
	}
	name, part, _ := strings.Cut(field, ".")
	in := run.Inputs[name]
	switch {
	case part == "start" && in.Start != nil:
		return *in.Start
	case part == "end" && in.End != nil:
		return *in.End
	case len(in.Texts) == 1:
		return in.Texts[0]
	}
	return ""
}

// options are answers as they are given on the command line.
func options(answers parameter.Inputs) string {
	var b strings.Builder
	add := func(option, value string) { b.WriteString(" " + option + " " + quoted(value)) }
	for _, name := range slices.Sorted(maps.Keys(answers)) {
		in := answers[name]
		for _, text := range in.Texts {
			add("--set", name+"="+text)
		}
		if in.None {
			add("--set", name+"=")
		}
		if in.Start != nil {
			add("--start", *in.Start)
		}
		if in.End != nil {
			add("--end", *in.End)
		}
	}
	return b.String()
}

// plainWord is what a shell takes as it is.
var plainWord = regexp.MustCompile(`^[A-Za-z0-9_./:=@%+,-]+$`)

// quoted is a word as a shell takes it.
func quoted(word string) string {
	if plainWord.MatchString(word) {
		return word
	}
	return "'" + strings.ReplaceAll(word, "'", `'\''`) + "'"
}
