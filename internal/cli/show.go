package cli

import (
	"encoding/json"
	"fmt"
	"slices"

	"github.com/spf13/cobra"
)

// printing gives a command that prints things its --format.
func (a *app) printing(cmd *cobra.Command) *cobra.Command {
	cmd.Flags().StringVar(&a.prints, "format", "text", "text or json")
	completed(cmd, "format", "text", "json")
	run := cmd.RunE
	cmd.RunE = func(cmd *cobra.Command, given []string) error {
		if a.prints != "text" && a.prints != "json" {
			return usageError{fmt.Errorf("--format %s is not text or json", a.prints)}
		}
		return run(cmd, given)
	}
	return cmd
}

// show prints what a command found, as JSON where that was asked for, else as
// text prints it.
func (a *app) show(v any, text func() error) error {
	if a.prints == "json" {
		return a.printJSON(v)
	}
	return text()
}

// printLines prints each of a list as a line of JSON.
func printLines[T any](a *app, list []T) error {
	e := json.NewEncoder(a.data)
	e.SetEscapeHTML(false)
	for _, v := range list {
		if err := e.Encode(v); err != nil {
			return err
		}
	}
	return nil
}

func (a *app) printJSON(v any) error {
	e := json.NewEncoder(a.data)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	return e.Encode(v)
}

// completed has a shell complete an option with one of some words.
func completed(cmd *cobra.Command, option string, words ...string) {
	err := cmd.RegisterFlagCompletionFunc(option, cobra.FixedCompletions(words, cobra.ShellCompDirectiveNoFileComp))
	if err != nil {
		panic("cli: " + err.Error()) // an option that the command does not have
	}
}

// names has a shell complete the positional arguments with what is there; each
// function lists those of its place.
func names(cmd *cobra.Command, places ...func(*cobra.Command, []string) []string) *cobra.Command {
	cmd.ValidArgsFunction = func(cmd *cobra.Command, given []string, _ string) ([]cobra.Completion, cobra.ShellCompDirective) {
		if len(places) == 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return places[min(len(given), len(places)-1)](cmd, given), cobra.ShellCompDirectiveNoFileComp
	}
	return cmd
}

// reportNames lists the published reports; with no service there are none.
func (a *app) reportNames(cmd *cobra.Command, given []string) []string {
	list, err := a.client().Reports(cmd.Context())
	if err != nil || len(given) > 0 {
		return nil
	}
	var out []string
	for _, r := range list {
		out = append(out, r.Name+"\t"+r.Title)
	}
	return out
}

// definitionNames lists what was pushed.
func (a *app) definitionNames(cmd *cobra.Command, given []string) []string {
	list, err := a.client().Definitions(cmd.Context())
	if err != nil {
		return nil
	}
	var out []string
	for _, d := range list {
		if !slices.Contains(given, d.Name) {
			out = append(out, d.Name+"\t"+d.Kind)
		}
	}
	return out
}

// sourceNames lists the sources.
func (a *app) sourceNames(cmd *cobra.Command, _ []string) []string {
	list, err := a.client().Sources(cmd.Context())
	if err != nil {
		return nil
	}
	var out []string
	for _, s := range list {
		out = append(out, s.Name+"\t"+s.Engine)
	}
	return out
}

// tableNames lists the tables of the source that was named.
func (a *app) tableNames(cmd *cobra.Command, given []string) []string {
	if len(given) == 0 {
		return nil
	}
	catalogue, err := a.client().Source(cmd.Context(), given[0])
	if err != nil {
		return nil
	}
	return catalogue.TableNames()
}

// columnNames lists TABLE.COLUMN of the source that was named.
func (a *app) columnNames(cmd *cobra.Command, given []string) []string {
	if len(given) == 0 {
		return nil
	}
	catalogue, err := a.client().Source(cmd.Context(), given[0])
	if err != nil {
		return nil
	}
	var out []string
	for _, t := range catalogue.Tables {
		for _, c := range t.Columns {
			out = append(out, t.Name+"."+c.Name)
		}
	}
	return out
}
