package cli

import (
	"fmt"
	"io"
	"os"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/client"
)

// readFiles reads the named files; - is standard input.
func (a *app) readFiles(names []string) (map[string][]byte, error) {
	contents := map[string][]byte{}
	for _, name := range names {
		var content []byte
		var err error
		if name == "-" {
			content, err = io.ReadAll(io.LimitReader(a.Stdin, definition.MaxSize+1))
		} else {
			content, err = os.ReadFile(name)
		}
		if err != nil {
			return nil, usageError{err}
		}
		contents[name] = content
	}
	return contents, nil
}

// decodeFiles reads every document of the files, with every problem.
func (a *app) decodeFiles(names []string) (contents map[string][]byte, documents []definition.Document, problems diag.Problems, err error) {
	contents, err = a.readFiles(names)
	for _, name := range names {
		found, failed := definition.Decode(name, contents[name])
		documents = append(documents, found...)
		problems = append(problems, failed...)
	}
	return contents, documents, problems, err
}

func (a *app) check() *cobra.Command {
	var run bool
	cmd := &cobra.Command{
		Use:   "check FILE…",
		Short: "Check definitions, offline: everything that can be known without the databases",
		Long: "Check definitions, offline: everything that can be known without the databases.\n" +
			"With --run the service checks them against their sources and runs the examples of reports; nothing is kept.",
		Args: args(cobra.MinimumNArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			contents, documents, problems, err := a.decodeFiles(given)
			if err != nil {
				return err
			}
			if run && !problems.Failed() {
				return a.checkRun(cmd, joined(given, contents))
			}
			problems = append(problems, definition.Check(documents, definition.Known{Zone: time.LoadLocation})...)
			if len(given) == 1 {
				for i := range problems {
					problems[i].File = given[0]
				}
			}
			a.explainProblems(problems, nil)
			if problems.Failed() {
				return refusedError{}
			}
			for _, d := range documents {
				kind, name := d.Ident()
				fmt.Fprintf(a.Stdout, "%s %s is sound\n", kind, name)
			}
			return nil
		},
	}
	cmd.Flags().BoolVar(&run, "run", false, "have the service run the examples of reports; exit with 3 if one is not kept")
	return cmd
}

// checkRun has the service check definitions and run their examples.
func (a *app) checkRun(cmd *cobra.Command, content string) error {
	found, err := a.client().Check(cmd.Context(), content, true)
	if err != nil {
		return err
	}
	a.explainProblems(found.Problems, nil)
	if found.Problems.Failed() {
		return refusedError{}
	}
	for _, d := range found.Definitions {
		fmt.Fprintf(a.Stdout, "%s %s is sound\n", d.Kind, d.Name)
	}
	if !a.printExamples(found.Examples) {
		return refusedError{}
	}
	return nil
}

// printExamples tells what became of examples, and whether all were kept.
func (a *app) printExamples(examples []client.ExampleResult) bool {
	all := true
	for _, e := range examples {
		word := "kept"
		if !e.Kept {
			word, all = "BROKEN", false
		}
		fmt.Fprintf(a.Stdout, "report %s, example %d: %s. %s\n", e.Report, e.Number, word, e.Words)
	}
	return all
}

// joined is the text of several files as one.
func joined(names []string, contents map[string][]byte) string {
	whole := ""
	for _, name := range names {
		whole += "\n---\n" + string(contents[name])
	}
	return whole
}

func (a *app) push() *cobra.Command {
	return &cobra.Command{
		Use:   "push FILE…",
		Short: "Check definitions against their sources and keep them as drafts",
		Args:  args(cobra.MinimumNArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			contents, _, problems, err := a.decodeFiles(given)
			if err != nil {
				return err
			}
			if problems.Failed() {
				a.explainProblems(problems, nil)
				return refusedError{}
			}
			checked, err := a.client().Push(cmd.Context(), joined(given, contents))
			if err != nil {
				return err
			}
			a.printChecked(checked, "draft")
			return nil
		},
	}
}

func (a *app) publish() *cobra.Command {
	return &cobra.Command{
		Use:   "publish NAME…",
		Short: "Freeze what was pushed under a name as its next version",
		Args:  args(cobra.MinimumNArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			for _, name := range given {
				checked, err := a.client().Publish(cmd.Context(), name)
				if err != nil {
					return err
				}
				a.printChecked(checked, "published")
			}
			return nil
		},
	}
}

func (a *app) printChecked(checked client.Checked, word string) {
	a.explainProblems(checked.Warnings, nil)
	for _, d := range checked.Definitions {
		if word == "draft" {
			fmt.Fprintf(a.Stdout, "%s %s is kept as a draft\n", d.Kind, d.Name)
		} else {
			fmt.Fprintf(a.Stdout, "%s %s is published as version %d\n", d.Kind, d.Name, d.Version)
		}
	}
}

func (a *app) uses() *cobra.Command {
	return &cobra.Command{
		Use:   "uses NAME",
		Short: "List what depends on a definition or a source",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			users, err := a.client().Users(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			if len(users) == 0 {
				fmt.Fprintln(a.Stderr, "Nothing uses "+given[0]+".")
			}
			w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
			for _, u := range users {
				states := map[[2]bool]string{{true, true}: "draft and published", {true, false}: "draft", {false, true}: "published"}
				through := ""
				if u.Through != "" {
					through = "through " + u.Through
				}
				fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", u.Kind, u.Name, states[[2]bool{u.Draft, u.Published}], through)
			}
			return w.Flush()
		},
	}
}

func (a *app) schema() *cobra.Command {
	return &cobra.Command{
		Use:   "schema",
		Short: "Print the JSON Schema of definitions, for editors",
		Args:  args(cobra.NoArgs),
		RunE: func(*cobra.Command, []string) error {
			text, err := definition.Schema()
			if err == nil {
				_, err = fmt.Fprintln(a.Stdout, string(text))
			}
			return err
		},
	}
}
