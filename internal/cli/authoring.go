package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/client"
	"pikegate/internal/wire"
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

// decodeFiles reads every document of the files, with every problem. Whole puts the files
// into them that they name.
func (a *app) decodeFiles(names []string, whole bool) (contents map[string][]byte, documents []definition.Document, problems diag.Problems, err error) {
	contents, err = a.readFiles(names)
	for _, name := range names {
		if whole && err == nil {
			if contents[name], err = embedded(name, contents[name]); err != nil {
				err = usageError{fmt.Errorf("%s: %w", name, err)}
			}
		}
		found, failed := definition.Decode(name, contents[name])
		documents = append(documents, found...)
		problems = append(problems, failed...)
	}
	return contents, documents, problems, err
}

// offline is what can be known without a service: the days ahead, in UTC.
func (a *app) offline() definition.Environment {
	calendar := civil.Calendar{Zone: time.UTC, Now: civil.Instant(a.Now().Unix()), WeekStart: time.Monday}
	return definition.Environment{Zone: time.LoadLocation, Library: definition.Library{Calendar: &calendar}}
}

func (a *app) check() *cobra.Command {
	var run, published bool
	cmd := &cobra.Command{
		Use:   "check FILE… | --published",
		Short: "Check definitions, offline: everything that can be known without the databases",
		Long: "Check definitions, offline: everything that can be known without the databases.\n" +
			"With --run the service checks them against their sources as they are now and runs the examples of reports; nothing is kept.\n" +
			"With --published it does so for everything published: for a nightly job. The exit code is 3 if anything does not fit.",
		Args: args(func(_ *cobra.Command, given []string) error {
			if (len(given) > 0) == published {
				return fmt.Errorf("give files, or --published")
			}
			return nil
		}),
		RunE: func(cmd *cobra.Command, given []string) error {
			if published {
				return a.checkPublished(cmd)
			}
			contents, documents, problems, err := a.decodeFiles(given, true)
			if err != nil {
				return err
			}
			if run && !problems.Failed() {
				found, err := a.client().Check(cmd.Context(), joined(given, contents), true)
				if err != nil {
					return err
				}
				found.Problems = apart(given, contents, found.Problems)
				return a.examined(found)
			}
			_, wrong := definition.Check(documents, a.offline())
			problems = append(problems, placed(given, contents, wrong)...)
			found := wire.Examination{Problems: problems, Definitions: infos(documents)}
			return a.examined(found)
		},
	}
	cmd.Flags().BoolVar(&published, "published", false, "have the service check every published report against its source as it is now, and run its examples")
	cmd.Flags().BoolVar(&run, "run", false, "have the service run the examples of reports; exit with 3 if one is not kept")
	return a.printing(cmd)
}

// examined prints what a check found; the error says that it was not all well.
func (a *app) examined(found wire.Examination) error {
	err := a.show(found, func() error {
		a.explainProblems(found.Problems, nil)
		if found.Problems.Failed() {
			return nil
		}
		for _, d := range found.Definitions {
			fmt.Fprintf(a.Stdout, "%s %s is valid\n", d.Kind, d.Name)
		}
		a.printExamples(found.Examples)
		return nil
	})
	if err != nil {
		return err
	}
	if found.Problems.Failed() || !allKept(found.Examples) {
		return refusedError{}
	}
	return nil
}

// checkPublished prints what was found of everything that is published.
func (a *app) checkPublished(cmd *cobra.Command) error {
	found, err := a.client().CheckPublished(cmd.Context())
	if err != nil {
		return err
	}
	well := true
	for _, p := range found {
		well = well && !p.Problems.Failed() && allKept(p.Examples)
	}
	err = a.show(found, func() error {
		for _, p := range found {
			if len(p.Problems) == 0 {
				fmt.Fprintf(a.Stdout, "report %s, version %d, fits its source\n", p.Report, p.Version)
			}
			for i := range p.Problems {
				p.Problems[i].Field = strings.TrimSuffix("report "+p.Report+": "+p.Problems[i].Field, ": ")
			}
			a.explainProblems(p.Problems, nil)
			a.printExamples(p.Examples)
		}
		return nil
	})
	if err == nil && !well {
		err = refusedError{}
	}
	return err
}

// infos are the definitions of files.
func infos(documents []definition.Document) []wire.DefinitionInfo {
	out := []wire.DefinitionInfo{}
	for _, d := range documents {
		info := wire.DefinitionInfo{Draft: true}
		info.Kind, info.Name = d.Ident()
		info.Title, _ = d.Heading()
		out = append(out, info)
	}
	return out
}

// placed puts the problems of definitions into the files they stand in, their
// lines counted there.
func placed(files []string, contents map[string][]byte, problems diag.Problems) diag.Problems {
	where := map[string]string{}
	for _, file := range files {
		documents, _ := definition.Decode(file, contents[file])
		for _, d := range documents {
			if kind, name := d.Ident(); where[kind+" "+name] == "" {
				where[kind+" "+name] = file
			}
		}
	}
	for i := range problems {
		if id, _, _ := strings.Cut(problems[i].Field, ": "); problems[i].File == "" {
			problems[i].File = where[id]
		}
	}
	return problems
}

// allKept tells whether examples found what they say.
func allKept(examples []wire.ExampleResult) bool {
	return !slices.ContainsFunc(examples, func(e wire.ExampleResult) bool { return !e.Kept })
}

// printExamples tells what became of examples.
func (a *app) printExamples(examples []wire.ExampleResult) {
	for _, e := range examples {
		word := "kept"
		if !e.Kept {
			word = "BROKEN"
		}
		fmt.Fprintf(a.Stdout, "report %s, example %d: %s. %s\n", e.Report, e.Number, word, e.Words)
	}
}

// between stands between the files that are sent as one text.
const between = "\n---\n"

// joined is the text of several files as one.
func joined(names []string, contents map[string][]byte) string {
	whole := ""
	for _, name := range names {
		whole += between + string(contents[name])
	}
	return whole
}

// apart puts problems whose lines were counted in the joined text back into
// their files, those without a line by their definition.
func apart(names []string, contents map[string][]byte, problems diag.Problems) diag.Problems {
	for i := range problems {
		p := &problems[i]
		begin := 0
		for _, name := range names {
			begin += strings.Count(between, "\n")
			lines := bytes.Count(contents[name], []byte("\n"))
			if p.File == "" && p.Line > begin && p.Line <= begin+lines+1 {
				p.File, p.Line = name, p.Line-begin
			}
			begin += lines
		}
	}
	return placed(names, contents, problems)
}

func (a *app) push() *cobra.Command {
	var how wire.Keeping
	var keep bool
	cmd := &cobra.Command{
		Use:   "push FILE…",
		Short: "Check definitions against their sources and keep them as drafts",
		Long: "Check definitions against their sources and keep them as drafts, all or none.\n" +
			"What changes in the drafts is told in words; on a terminal nothing is kept until that is agreed to, or with --keep.\n" +
			"Where somebody else has pushed one of them since it was pulled, nothing is kept and both changes are told. With --merge both are kept, in the file too, where they touch different fields.",
		Args: args(cobra.MinimumNArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			contents, documents, problems, err := a.decodeFiles(given, true)
			if err != nil {
				return err
			}
			if problems.Failed() {
				a.explainProblems(problems, nil)
				return refusedError{}
			}
			if how.Revisions, err = revisionsOf(given); err != nil {
				return err
			}
			push := func(how wire.Keeping) (checked wire.Checked, err error) {
				checked, err = a.client().Push(cmd.Context(), joined(given, contents), how)
				var refusal *client.Refusal
				if errors.As(err, &refusal) {
					refusal.Problems = apart(given, contents, refusal.Problems)
				}
				checked.Warnings = apart(given, contents, checked.Warnings)
				return checked, err
			}
			if a.Terminal && !keep && !how.Preview && a.prints != "json" {
				preview := how
				preview.Preview = true
				checked, err := push(preview)
				if err != nil {
					return err
				}
				if len(checked.Changes) > 0 {
					if err := a.printChecked(checked, "draft"); err != nil {
						return err
					}
					if !a.agreed("Keep these changes as drafts?") {
						fmt.Fprintln(a.Stderr, "Nothing was changed.")
						return nil
					}
				}
			}
			checked, err := push(how)
			if err != nil {
				return err
			}
			if how.Preview {
				return a.printChecked(checked, "draft")
			}
			if err := writeMerged(given, contents, documents, checked.Changes); err != nil {
				return err
			}
			if err := keepRevisions(given, checked.Definitions); err != nil {
				return err
			}
			if a.Terminal && !keep {
				checked.Changes = nil // they were told before
			}
			return a.printChecked(checked, "draft")
		},
	}
	cmd.Flags().BoolVar(&how.Preview, "preview", false, "only tell what would change")
	cmd.Flags().BoolVar(&how.Merge, "merge", false, "keep both changes where somebody else has changed other fields meanwhile")
	cmd.Flags().BoolVar(&keep, "keep", false, "keep the changes without asking")
	cmd.MarkFlagsMutuallyExclusive("preview", "keep")
	return a.printing(cmd)
}

// writeMerged writes the documents that have another author's change as well into their
// files.
func writeMerged(files []string, contents map[string][]byte, documents []definition.Document, changes []wire.DraftChange) error {
	for _, file := range files {
		content := string(contents[file])
		for _, c := range changes {
			for _, d := range documents {
				if kind, name := d.Ident(); kind == c.Kind && name == c.Name && c.Merged != "" {
					content = strings.Replace(content, d.Raw(), c.Merged, 1)
				}
			}
		}
		if content == string(contents[file]) || file == "-" {
			continue
		}
		if err := os.WriteFile(file, []byte(content), 0o644); err != nil {
			return err
		}
	}
	return nil
}

func (a *app) publish() *cobra.Command {
	return names(a.printing(&cobra.Command{
		Use:   "publish NAME…",
		Short: "Freeze what was pushed under a name as its next version",
		Args:  args(cobra.MinimumNArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			all := wire.Checked{Definitions: []wire.DefinitionInfo{}}
			for _, name := range given {
				checked, err := a.client().Publish(cmd.Context(), name)
				if err != nil {
					return err
				}
				all.Definitions, all.Warnings = append(all.Definitions, checked.Definitions...), append(all.Warnings, checked.Warnings...)
			}
			return a.printChecked(all, "published")
		},
	}), a.definitionNames)
}

func (a *app) printChecked(checked wire.Checked, word string) error {
	return a.show(checked, func() error {
		a.explainProblems(checked.Warnings, nil)
		a.printChanges(checked.Changes)
		for _, d := range checked.Definitions {
			switch {
			case d.Unchanged:
				fmt.Fprintf(a.Stdout, "%s %s is unchanged\n", d.Kind, d.Name)
			case word == "draft":
				fmt.Fprintf(a.Stdout, "%s %s is kept as a draft, revision %d\n", d.Kind, d.Name, d.Revision)
			default:
				fmt.Fprintf(a.Stdout, "%s %s is published as version %d\n", d.Kind, d.Name, d.Version)
			}
		}
		return nil
	})
}

// printChanges tells in words what drafts become.
func (a *app) printChanges(changes []wire.DraftChange) {
	for _, c := range changes {
		if c.New {
			fmt.Fprintf(a.Stdout, "%s %s is new\n", c.Kind, c.Name)
			continue
		}
		fmt.Fprintf(a.Stdout, "%s %s\n", c.Kind, c.Name)
		if c.Merged != "" {
			fmt.Fprintln(a.Stdout, "  It has the change that somebody else made meanwhile as well.")
		}
		for _, d := range c.Differences {
			fmt.Fprintln(a.Stdout, "  "+d.Words)
		}
		if len(c.Differences) == 0 {
			fmt.Fprintln(a.Stdout, "  Comments or the order of fields.")
		}
	}
}

func (a *app) uses() *cobra.Command {
	return names(a.printing(&cobra.Command{
		Use:   "uses NAME",
		Short: "List what depends on a definition, a source, a table or a column (TABLE.COLUMN)",
		Args:  args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, given []string) error {
			users, err := a.client().Dependents(cmd.Context(), given[0])
			if err != nil {
				return err
			}
			if a.prints == "json" {
				return a.printJSON(users)
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
	}), a.definitionNames)
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
