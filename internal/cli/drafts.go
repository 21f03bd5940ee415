package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"text/tabwriter"

	"pikegate/internal/wire"

	"github.com/spf13/cobra"
)

func (a *app) drafts() *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use:   "drafts",
		Short: "List what was pushed and is not published yet",
		Args:  args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			list, err := a.client().Definitions(cmd.Context())
			if err != nil {
				return err
			}
			shown := []wire.DefinitionInfo{}
			for _, d := range list {
				if d.Draft || all {
					shown = append(shown, d)
				}
			}
			return a.show(shown, func() error {
				w := tabwriter.NewWriter(a.Stdout, 0, 0, 2, ' ', 0)
				for _, d := range shown {
					state := "never published"
					switch {
					case d.Version > 0 && d.Draft:
						state = fmt.Sprintf("changed since version %d", d.Version)
					case d.Version > 0:
						state = fmt.Sprintf("as in version %d", d.Version)
					}
					fmt.Fprintf(w, "%s\t%s\trevision %d\t%s\n", d.Kind, d.Name, d.Revision, state)
				}
				if len(shown) == 0 {
					fmt.Fprintln(a.Stderr, "Everything that was pushed is published.")
				}
				return w.Flush()
			})
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "what is published as it is, too")
	return names(a.printing(cmd))
}

// revisionsFile is where pull and push keep, beside the files, which revision of
// each draft they were changed from.
const revisionsFile = ".pikegate-revisions.json"

// revisionsOf reads what is kept beside files.
func revisionsOf(files []string) (map[string]int, error) {
	revisions := map[string]int{}
	for _, folder := range foldersOf(files) {
		content, err := os.ReadFile(filepath.Join(folder, revisionsFile))
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err == nil {
			err = json.Unmarshal(content, &revisions)
		}
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", filepath.Join(folder, revisionsFile), err)
		}
	}
	return revisions, nil
}

// keepRevisions notes the revisions of definitions beside files, where that was
// begun by pull.
func keepRevisions(files []string, definitions []wire.DefinitionInfo) error {
	for _, folder := range foldersOf(files) {
		path := filepath.Join(folder, revisionsFile)
		if _, err := os.Stat(path); err != nil {
			continue
		}
		revisions, err := revisionsOf([]string{path})
		if err != nil {
			return err
		}
		for _, d := range definitions {
			revisions[d.Kind+" "+d.Name] = d.Revision
		}
		if err := writeRevisions(path, revisions); err != nil {
			return err
		}
	}
	return nil
}

func writeRevisions(path string, revisions map[string]int) error {
	content, err := json.MarshalIndent(revisions, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(path, append(content, '\n'), 0o644)
}

// foldersOf are the folders files are in, each once.
func foldersOf(files []string) []string {
	var folders []string
	seen := map[string]bool{}
	for _, file := range files {
		if folder := filepath.Dir(file); file != "-" && !seen[folder] {
			seen[folder] = true
			folders = append(folders, folder)
		}
	}
	return folders
}

func (a *app) pull() *cobra.Command {
	var into string
	var drafts, force bool
	cmd := &cobra.Command{
		Use:   "pull [NAME…]",
		Short: "Write definitions to files, to be kept in version control and pushed again",
		Long: "Write what is published, or with --drafts what was pushed last, to a file each: KIND/NAME.yaml.\n" +
			"With no name, everything. A file that would change is left alone and named, unless --force is given.\n" +
			"The revisions of the drafts are kept beside the files, so that push can tell when somebody else changed one since.",
		Example: "  pikegate pull --into reports\n  pikegate pull passages-by-date --drafts",
		RunE: func(cmd *cobra.Command, given []string) error {
			list, err := a.client().Definitions(cmd.Context())
			if err != nil {
				return err
			}
			written, err := a.pulled(cmd, list, given, into, drafts, force)
			if err != nil {
				return err
			}
			return a.show(written, func() error {
				for _, file := range written.Files {
					fmt.Fprintln(a.Stdout, file)
				}
				for _, file := range written.LeftAlone {
					fmt.Fprintln(a.Stderr, file+" was changed here and is left alone; --force writes it")
				}
				return nil
			})
		},
	}
	cmd.Flags().StringVar(&into, "into", ".", "the folder to write to")
	cmd.Flags().BoolVar(&drafts, "drafts", false, "what was pushed last instead of what is published")
	cmd.Flags().BoolVar(&force, "force", false, "write files that were changed here, too")
	return names(a.printing(cmd), a.definitionNames)
}

// pulledFiles is what a pull wrote.
type pulledFiles struct {
	Files     []string `json:"files"`
	LeftAlone []string `json:"left_alone"`
}

func (a *app) pulled(cmd *cobra.Command, list []wire.DefinitionInfo, wanted []string, into string, drafts, force bool) (pulledFiles, error) {
	out := pulledFiles{Files: []string{}, LeftAlone: []string{}}
	revisions := map[string]map[string]int{} // by folder
	for _, name := range wanted {
		if !slices.ContainsFunc(list, func(d wire.DefinitionInfo) bool { return d.Name == name }) {
			return out, usageError{fmt.Errorf("there is no definition %s", name)}
		}
	}
	for _, d := range list {
		if len(wanted) > 0 && !slices.Contains(wanted, d.Name) || !drafts && d.Version == 0 {
			continue
		}
		version := 0
		if !drafts {
			version = d.Version
		}
		content, _, err := a.client().Definition(cmd.Context(), d.Kind, d.Name, version)
		if err != nil {
			return out, err
		}
		folder := filepath.Join(into, d.Kind)
		path := filepath.Join(folder, d.Name+".yaml")
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return out, err
		}
		if revisions[folder] == nil {
			if revisions[folder], err = revisionsOf([]string{path}); err != nil {
				return out, err
			}
		}
		old, err := os.ReadFile(path)
		switch {
		case err == nil && string(old) == content:
		case err == nil && !force && !a.pushed(cmd, d, string(old)):
			out.LeftAlone = append(out.LeftAlone, path)
			continue
		default:
			if err := a.save(path, a.data, func(w io.Writer) error { _, err := io.WriteString(w, content); return err }); err != nil {
				return out, err
			}
			out.Files = append(out.Files, path)
		}
		revisions[folder][d.Kind+" "+d.Name] = d.Revision
	}
	for folder, kept := range revisions {
		if err := writeRevisions(filepath.Join(folder, revisionsFile), kept); err != nil {
			return out, err
		}
	}
	return out, nil
}

// pushed tells whether a text is one that the service has or had: then nothing is
// lost by writing another.
func (a *app) pushed(cmd *cobra.Command, d wire.DefinitionInfo, text string) bool {
	for version := range d.Version + 1 {
		content, _, err := a.client().Definition(cmd.Context(), d.Kind, d.Name, version)
		if err == nil && content == text {
			return true
		}
	}
	return false
}

func (a *app) remove() *cobra.Command {
	var anyway bool
	cmd := &cobra.Command{
		Use:   "remove [KIND] NAME",
		Short: "Remove a definition: its draft, and what was published from what can be run",
		Long: "Remove a definition. What others use is refused, with what uses it. Versions that were published stay with the\n" +
			"runs that were made with them; publishing the name again goes on with the next version.",
		Args: args(cobra.RangeArgs(1, 2)),
		RunE: func(cmd *cobra.Command, given []string) error {
			kind, name, err := a.definition(cmd, given)
			if err != nil {
				return err
			}
			if err := a.client().Remove(cmd.Context(), kind, name, anyway); err != nil {
				return err
			}
			return a.show(wire.Dependent{Kind: kind, Name: name}, func() error {
				fmt.Fprintf(a.Stdout, "%s %s is removed\n", kind, name)
				return nil
			})
		},
	}
	cmd.Flags().BoolVar(&anyway, "anyway", false, "although it is used")
	return names(a.printing(cmd), a.definitionNames)
}
