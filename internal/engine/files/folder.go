package files

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"syscall"
	"time"

	"pikegate/core/catalog"
)

// file is a data file as it was when it was looked at.
type file struct {
	folder string
	path   string // absolute
	size   int64
	time   time.Time
	inode  uint64
	form   form
}

// rel is its path within the folder.
func (f file) rel() string {
	rel, err := filepath.Rel(f.folder, f.path)
	if err != nil {
		return f.path
	}
	return rel
}

// form is what kind of file it is.
type form string

const (
	separated form = "CSV"
	jsonLines form = "JSON lines"
	parquet   form = "Parquet"
	workbook  form = "workbook"
)

// endings tell the form of a file; compressed ones have another behind.
var endings = map[string]form{
	".csv": separated, ".tsv": separated, ".tab": separated, ".txt": separated,
	".jsonl": jsonLines, ".ndjson": jsonLines, ".parquet": parquet, ".pq": parquet, ".xlsx": workbook, ".xlsm": workbook,
}

// compressed are the endings of files that are compressed.
var compressed = []string{".gz", ".zst"}

// formOf is the form of a file by its name, and the name without its endings.
func formOf(name string) (form, string) {
	base := filepath.Base(name)
	if strings.HasPrefix(base, ".") || strings.HasPrefix(base, "~") { // hidden, or a lock of a spreadsheet program
		return "", ""
	}
	plain := base
	for _, ending := range compressed {
		plain = strings.TrimSuffix(plain, ending)
	}
	ending := filepath.Ext(plain)
	f := endings[strings.ToLower(ending)]
	if plain != base && f != separated && f != jsonLines {
		return "", ""
	}
	return f, strings.TrimSuffix(plain, ending)
}

// Most of what a folder may hold.
const (
	mostFiles = 20_000
	mostDepth = 8
)

// filesIn finds the data files of a folder and the folders in it, by their paths. What a link
// points to counts only within the folder.
func filesIn(folder string) ([]file, error) {
	var out []file
	err := filepath.WalkDir(folder, func(at string, d fs.DirEntry, err error) error {
		if err != nil {
			if at == folder {
				return err
			}
			return nil // one that cannot be read holds up nothing else
		}
		if d.IsDir() {
			if at != folder && (strings.HasPrefix(d.Name(), ".") || strings.Count(at[len(folder):], string(filepath.Separator)) > mostDepth) {
				return filepath.SkipDir
			}
			return nil
		}
		if f, _ := formOf(d.Name()); f == "" {
			return nil
		}
		if d.Type()&fs.ModeSymlink != 0 && !staysIn(folder, at) {
			return nil
		}
		f, err := stat(folder, at)
		if err != nil {
			return nil
		}
		if out = append(out, f); len(out) > mostFiles {
			return fmt.Errorf("it holds more than %d files", mostFiles)
		}
		return nil
	})
	return out, err
}

// countedIn are the data files of a folder, or those of them that are listed.
func countedIn(folder string, listed map[string]string) ([]file, error) {
	found, err := filesIn(folder)
	if listed == nil {
		return found, err
	}
	return slices.DeleteFunc(found, func(f file) bool {
		_, ok := listed[filepath.ToSlash(f.rel())]
		return !ok
	}), err
}

// listedGroups puts files together as a list says.
func listedGroups(files []file, listed map[string]string) (groups []group) {
	for _, f := range files {
		name := listed[filepath.ToSlash(f.rel())]
		at := slices.IndexFunc(groups, func(g group) bool { return g.name == name })
		if at < 0 {
			at, groups = len(groups), append(groups, group{name: name, said: true})
		}
		groups[at].files = append(groups[at].files, f)
	}
	slices.SortFunc(groups, func(x, y group) int { return strings.Compare(x.name, y.name) })
	return groups
}

// staysIn tells whether a link points to a file within the folder.
func staysIn(folder, path string) bool {
	real, err := filepath.EvalSymlinks(path)
	return err == nil && strings.HasPrefix(real, folder+string(filepath.Separator))
}

// stat looks at a file; the error says that it is none.
func stat(folder, path string) (file, error) {
	info, err := os.Stat(path)
	if err != nil {
		return file{folder: folder, path: path}, err
	}
	if !info.Mode().IsRegular() {
		return file{folder: folder, path: path}, errors.New("it is no file")
	}
	f := file{folder: folder, path: path, size: info.Size(), time: info.ModTime()}
	if system, ok := info.Sys().(*syscall.Stat_t); ok {
		f.inode = system.Ino
	}
	f.form, _ = formOf(path)
	return f, nil
}

// stateOf is another once a file is another.
func stateOf(files []file) string {
	var b strings.Builder
	for _, f := range files {
		fmt.Fprintf(&b, "%s %d %d %d;", f.path, f.size, f.time.UnixNano(), f.inode)
	}
	return b.String()
}

var (
	wordless = regexp.MustCompile(`[^\pL\pN]+`)
	// numbered is a name that ends with numbers, such as passages-2025-03.
	numberedName = regexp.MustCompile(`^(.*\pL[\pL\pN]*)[-_. ]*(?:[0-9]+[-_. ]*)+$`)
	// partition is a folder such as year=2025.
	partition = regexp.MustCompile(`^[\pL_][\pL\pN_]*=`)
)

// partitionKey is what folders are parted by, and whether its values are whole numbers.
type partitionKey struct {
	name  string
	whole bool
}

// partitionsOf are the keys of the folders that files lie in; none where they are not the same
// for all.
func partitionsOf(files []file) (keys []partitionKey) {
	for n, f := range files {
		at := 0
		for _, part := range strings.Split(filepath.ToSlash(filepath.Dir(f.rel())), "/") {
			name, value, ok := strings.Cut(part, "=")
			if !ok || !partition.MatchString(part) {
				continue
			}
			whole := value != "" && len(value) < 18 && strings.Trim(value, "0123456789") == ""
			switch {
			case n == 0:
				keys = append(keys, partitionKey{name, whole})
			case at >= len(keys) || keys[at].name != name:
				return nil
			default:
				keys[at].whole = keys[at].whole && whole
			}
			at++
		}
		if at != len(keys) {
			return nil
		}
	}
	return keys
}

// named makes a name of what a file, a sheet or the head of a column is called: words of small
// letters, joined by underscores.
func named(text string) string {
	name := strings.Trim(wordless.ReplaceAllString(strings.ToLower(text), "_"), "_")
	if name == "" {
		return "unnamed"
	}
	if name[0] >= '0' && name[0] <= '9' {
		name = "n" + name
	}
	return name
}

// group are files of one table: those of one form in one folder whose names differ in numbers
// only, and those in folders that are partitions of one.
type group struct {
	name  string
	files []file
	said  bool // whether somebody said which files these are
}

// workbookName is what the tables of a workbook are called after.
func workbookName(f file) string {
	_, stem := formOf(f.path)
	return named(strings.ReplaceAll(filepath.Join(filepath.Dir(f.rel()), stem), string(filepath.Separator), "_"))
}

// groupsOf puts files together, in the order of their names. What is said of a table comes
// first, and takes its files from the others.
func groupsOf(files []file, said map[string]catalog.FileFormat) []group {
	byName := map[string]*group{}
	var out []*group
	var groups []group
	for _, name := range slices.Sorted(maps.Keys(said)) {
		if said[name].Files == "" {
			continue
		}
		g := group{name: name, said: true}
		files = slices.DeleteFunc(slices.Clone(files), func(f file) bool {
			ok, _ := path.Match(said[name].Files, filepath.ToSlash(f.rel()))
			if ok {
				g.files = append(g.files, f)
			}
			return ok
		})
		groups = append(groups, g)
	}
	first := len(groups)
	key := func(f file) (id, name string) {
		dir, base := filepath.Split(f.rel())
		var parts []string
		partitioned := false
		for _, part := range strings.Split(strings.TrimSuffix(dir, string(filepath.Separator)), string(filepath.Separator)) {
			if partition.MatchString(part) {
				partitioned = true
				continue
			}
			if part != "" {
				parts = append(parts, part)
			}
		}
		_, stem := formOf(base)
		switch m := numberedName.FindStringSubmatch(stem); {
		case partitioned && len(parts) > 0:
			stem = ""
		case m != nil:
			stem = m[1]
		}
		if stem != "" {
			parts = append(parts, stem)
		}
		return string(f.form) + "|" + strings.Join(parts, "/"), named(strings.Join(parts, "_"))
	}
	for _, f := range files {
		if f.form == workbook { // its sheets are tables
			continue
		}
		id, name := key(f)
		g := byName[id]
		if g == nil {
			g = &group{name: name}
			byName[id] = g
			out = append(out, g)
		}
		g.files = append(g.files, f)
	}
	for _, g := range out {
		if len(g.files) == 1 { // of one file the whole name
			_, stem := formOf(g.files[0].path)
			if !strings.Contains(g.files[0].rel(), "=") {
				g.name = named(strings.ReplaceAll(filepath.Join(filepath.Dir(g.files[0].rel()), stem), string(filepath.Separator), "_"))
			}
		}
		groups = append(groups, *g)
	}
	for _, f := range files {
		if f.form == workbook {
			groups = append(groups, group{name: workbookName(f), files: []file{f}})
		}
	}
	slices.SortFunc(groups[first:], func(x, y group) int { return strings.Compare(x.name, y.name) })
	return groups
}
