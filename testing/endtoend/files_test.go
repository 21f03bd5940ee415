package endtoend

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// exports makes a folder of files, and connects it.
func exports(t *testing.T, name string) (folder string) {
	t.Helper()
	folder = t.TempDir()
	put(t, folder, "gauge-2025-02.csv", "Lock;Read at;Level (m)\nUpper Sill;28.02.2025;2,10\n")
	put(t, folder, "gauge-2025-03.csv", "Lock;Read at;Level (m)\nUpper Sill;1.03.2025;2,35\nLower Sill;31.03.2025;NA\n")
	put(t, folder, "torn.csv", "id,day\n1,2025-03-01\n2\n")
	done(t, pikegate(t, "source", "add", name, "--engine", "files", "--at", folder))
	t.Cleanup(func() { done(t, pikegateIn(context.Background(), "source", "remove", name, "--anyway")) })
	return folder
}

func put(t *testing.T, folder, name, content string) {
	t.Helper()
	require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(content), 0o644))
}

// TestFolderOfFiles: data files are reported on like tables, what was found in them is told,
// and a file that comes later is in the next run.
func TestFolderOfFiles(t *testing.T) {
	folder := exports(t, "gauges")
	r := pikegate(t, "source", "show", "gauges", "gauge")
	done(t, r)
	assert.Contains(t, r.out, "gauge-2025-02.csv: UTF-8, fields separated by semicolons in all 3 records looked at, with a header row; the same in 2 files through gauge-2025-03.csv.")
	assert.Contains(t, r.out, "D.M.Y: all 3 values fit")
	assert.Contains(t, r.out, "numbers with a decimal comma: all 2 values; NA for none")
	r = pikegate(t, "source", "show", "gauges", "torn")
	assert.Contains(t, r.out+r.err, "torn.csv cannot be read: torn.csv, line 3: there is 1 field instead of 2, in \"2\".")
	r = pikegate(t, "source", "check", "gauges")
	done(t, r)
	assert.Contains(t, r.out, "writing was tried and refused")

	file := filepath.Join(t.TempDir(), "q.yaml")
	require.NoError(t, os.WriteFile(file, []byte("kind: query\nname: levels\nsource: gauges\nfrom: gauge\nparameters:\n  - {name: period, kind: period, required: true}\ncolumns: [lock, read_at, level_m]\ncriteria: read_at within :period\nsort: [read_at, lock]\n"+
		"---\nkind: report\nname: levels\nquery: levels\n"), 0o600))
	done(t, pikegate(t, "push", file))
	r = pikegate(t, "run", "levels", "--draft", "--set", "period=March 2025", "--format", "csv")
	done(t, r)
	assert.Equal(t, "lock,read_at,level_m\r\nUpper Sill,2025-03-01,2.35\r\nLower Sill,2025-03-31,\r\n", r.out, "the last day in full")
	assert.Contains(t, pikegate(t, "explain", "levels", "--draft", "--set", "period=April 2025", "--plan").out, "files have no index")
	assert.Contains(t, pikegate(t, "why", "levels", "--draft", "--set", "period=April 2025").out, "Mon 31 Mar 2025")
	put(t, folder, "gauge-2025-04.csv", "Lock;Read at;Level (m)\nUpper Sill;15.04.2025;1,95\n")
	r = pikegate(t, "run", "levels", "--draft", "--set", "period=April 2025", "--format", "csv")
	done(t, r)
	assert.Equal(t, "lock,read_at,level_m\r\nUpper Sill,2025-04-15,1.95\r\n", r.out)
	put(t, folder, "gauge-2025-04.csv", "Lock;Read on;Level (m)\nUpper Sill;15.04.2025;1,95\n")
	r = pikegate(t, "run", "levels", "--draft", "--set", "period=April 2025", "--format", "csv")
	assert.NotZero(t, r.code)
	assert.Contains(t, r.err, "gauge-2025-04.csv is not written like gauge-2025-02.csv")
}

// TestUnfitInFiles: a date that is none is listed with its file and line.
func TestUnfitInFiles(t *testing.T) {
	folder := exports(t, "misread")
	put(t, folder, "gauge-2025-04.csv", "Lock;Read at;Level (m)\n# late\n\"Upper\nSill\";1.04.2025;1,10\n\"Upper Sill\";31.04.2025;1,20\n"+strings.Repeat("Upper Sill;2.04.2025;1,20\n", 20))
	r := pikegate(t, "source", "show", "misread", "gauge", "--unfit", "read_at")
	done(t, r)
	assert.Regexp(t, `(?s)^file +line +read_at.*\ngauge-2025-04.csv +5 +31.04.2025`, r.out)
}

// TestFileFormat: what is said of a table's files is kept as a document, changes what is read at
// once, and is refused where they cannot be read with it.
func TestFileFormat(t *testing.T) {
	t.Parallel()
	folder := exports(t, "weighed")
	put(t, folder, "cargo.csv", "id;tonnes\n1;1,500\n2;2,250\n")
	assert.Contains(t, pikegate(t, "source", "show", "weighed", "cargo").out, "a comma before three digits: decimals or thousands")
	r := pikegate(t, "source", "set-file", "weighed", "cargo", "--decimal", ",", "--header", "maybe", "--skip", "-1")
	denied(t, r, "[bad_file_format]", "header", "skip", "Write yes or no")
	denied(t, pikegate(t, "source", "set-file", "weighed", "cargoes", "--decimal", ","), "Did you mean cargo?")
	denied(t, pikegate(t, "source", "set-file", "weighed", "cargo", "--skip", "3", "--delimiter", ";"), "[unreadable_file]", "cargo.csv")
	denied(t, pikegate(t, "source", "set-file", "navigation", "locks", "--header", "no"), "[no_files]")
	r = pikegate(t, "source", "set-file", "weighed", "cargo", "--decimal", ",")
	done(t, r)
	assert.Contains(t, r.out, "numbers with a decimal comma: all 2 values")
	assert.Contains(t, pikegate(t, "versions", "source", "weighed", "--show", "0").out, "decimal: ','")
	done(t, pikegate(t, "source", "set-encoding", "weighed", "gauge.read_at", "D.M.Y"))
	assert.Contains(t, pikegate(t, "source", "show", "weighed", "cargo").out, "decimal comma", "an encoding takes nothing from it")
	document := filepath.Join(t.TempDir(), "s.yaml")
	require.NoError(t, os.WriteFile(document, []byte("kind: source\nname: weighed\nencodings: {}\nfiles: {cargo: {decimal: ., delimiter: \"';\"}}\n"), 0o600))
	denied(t, pikegate(t, "check", document), "[bad_file_format]", "files.cargo.delimiter")
	require.NoError(t, os.WriteFile(document, []byte("kind: source\nname: weighed\nencodings: {}\nfiles: {cargo: {decimal: .}}\n"), 0o600))
	done(t, pikegate(t, "push", document, "--keep"))
	done(t, pikegate(t, "publish", "weighed"))
	assert.Contains(t, pikegate(t, "source", "show", "weighed", "cargo").out, "thousands separated by commas: all 2 values")
	r = pikegate(t, "source", "set-file", "weighed", "cargo")
	done(t, r)
	assert.Contains(t, r.out, "decimals or thousands")
}

// TestOwnFolder: the service's own records are in no folder that is read, by whatever way.
func TestOwnFolder(t *testing.T) {
	link := filepath.Join(t.TempDir(), "link")
	require.NoError(t, os.Symlink(data, link))
	for _, folder := range []string{data, filepath.Dir(data), filepath.Join(data, "exports", ".."), link} {
		denied(t, pikegate(t, "source", "add", "own", "--engine", "files", "--at", folder), "[own_records]")
	}
	r := pikegate(t, "source", "add", "own", "--engine", "files", "--at", "/")
	assert.NotZero(t, r.code)
}

// TestFolderOnThePage: a folder is connected on the page, and says what was understood.
func TestFolderOnThePage(t *testing.T) {
	t.Parallel()
	exports(t, "gauge-files")
	p := browser.Open(t, address+"/#/sources/gauge-files/gauge", 1280, 800)
	p.Wait("document.querySelector('[data-evidence]')?.textContent.includes('separated by semicolons')")
	p.Wait("document.querySelector('[data-columns]')?.textContent.includes('Mar 31, 2025')")
	accessible(t, p, "a table of files")
	p.Press("Connect …")
	p.Wait("document.querySelector('[data-connection]')")
	p.Choose("[data-connection] select[name=engine]", "files")
	p.Wait("document.querySelector('[data-connection]').textContent.includes('Path of the folder')")
	p.Quiet()
}

// TestUpload: a file is kept whole or not at all, replaced only where that is said, and gone with
// its source; what it is called has to be a file's name.
func TestUpload(t *testing.T) {
	folder := t.TempDir()
	put(t, folder, "stock-2025-03.csv", "Lock;Day;Tonnes\nUpper Sill;31.03.2025;1,5\n")
	put(t, folder, "stock-2025-04.csv", "Lock;Day;Tonnes\nUpper Sill;28.04.2025;2,5\n")
	put(t, folder, "stock.doc", "x")
	march, april := filepath.Join(folder, "stock-2025-03.csv"), filepath.Join(folder, "stock-2025-04.csv")
	r := pikegate(t, "source", "upload", "stock", march, april)
	done(t, r)
	t.Cleanup(func() {
		done(t, pikegateIn(context.Background(), "source", "remove", "stock", "--anyway"))
		_, err := os.Stat(filepath.Join(data, "uploads", "stock"))
		assert.ErrorIs(t, err, os.ErrNotExist)
	})
	assert.Contains(t, r.out, "the same in 2 files through stock-2025-04.csv. The names tell the month of day.")
	denied(t, pikegate(t, "source", "upload", "stock", march), "[file_exists]", "replaced")
	denied(t, pikegate(t, "source", "upload", "stock", filepath.Join(folder, "stock.doc")), "[bad_file_name]")
	denied(t, pikegate(t, "source", "upload", "navigation", march), "[not_uploaded]")
	denied(t, pikegate(t, "source", "upload", "Stock!", march), "[bad_name]")
	put(t, folder, "stock-2025-03.csv", "Lock;Day;Tonnes\nUpper Sill;31.03.2025;7,5\nLower Sill;1.03.2025;1,5\n")
	done(t, pikegate(t, "source", "upload", "stock", march, "--replace"))
	assert.Contains(t, pikegate(t, "source", "show", "stock", "stock", "--rows", "9").out, "7.5")
	assert.Regexp(t, `stock-2025-03.csv +67 bytes`, pikegate(t, "source", "upload", "stock").out)
	assert.Contains(t, pikegate(t, "source", "list").out, "uploaded files")
	done(t, pikegate(t, "source", "upload", "stock", "--remove", "stock-2025-04.csv"))
	denied(t, pikegate(t, "source", "upload", "stock", "--remove", "pikegate.db"), "[not_found]")
	assert.NotZero(t, pikegate(t, "source", "upload", "stock", "--remove", "../../pikegate.db").code)
	done(t, pikegate(t, "source", "set-file", "stock", "every_one", "--files", "*.csv"))
	assert.Contains(t, pikegate(t, "source", "show", "stock").out, "every_one (table)")
}

// TestUploadOnThePage: a file that is dropped on the sources is named, sent and shown with what
// was understood; that is put right, and a report is begun on it.
func TestUploadOnThePage(t *testing.T) {
	t.Parallel()
	p := browser.Open(t, address+"/#/sources", 1280, 800)
	p.Wait("document.querySelector('[data-drop]')")
	p.Eval("const t = new DataTransfer(); t.items.add(new File(['n;seen\\n1,500;1/3/2025\\n2,250;2/3/2025\\n'], 'Fish counts.csv')); document.querySelector('[data-drop]').dispatchEvent(new DragEvent('drop', {dataTransfer: t, bubbles: true, cancelable: true})); 1")
	p.Wait("document.querySelector('[data-upload] input[name=source-name]')?.value === 'fish-counts'")
	accessible(t, p, "the dialog of an upload")
	t.Cleanup(func() { done(t, pikegateIn(context.Background(), "source", "remove", "fish-counts", "--anyway")) })
	p.Click("[data-upload] button[type=submit]")
	p.Wait("location.hash === '#/sources/fish-counts/fish_counts' && document.querySelector('[data-columns]')?.textContent.includes('decimals or thousands')")
	p.Click("[data-reading] summary")
	p.Choose("[data-files] select[name=decimal]", ".")
	p.Type("[data-files] input[name=dates]", "D/M/Q")
	p.Click("[data-files] button[type=submit]")
	p.Wait("document.querySelector('[data-files] [data-problem=bad_file_format]')")
	accessible(t, p, "how files are read")
	p.Eval("const i = document.querySelector('[data-files] input[name=dates]'); i.value = 'D/M/Y'; i.dispatchEvent(new Event('input', {bubbles: true})); 1")
	p.Click("[data-files] button[type=submit]")
	p.Wait("document.querySelector('[data-columns]').textContent.includes('thousands separated by commas') && document.querySelector('[data-columns]').textContent.includes('D/M/Y')")
	p.Visit(address + "/#/sources/fish-counts")
	p.Wait("document.querySelector('[data-uploads]')?.textContent.includes('Fish counts.csv')")
	accessible(t, p, "an uploaded source")
	p.Visit(address + "/#/sources/fish-counts/fish_counts")
	p.Wait("document.querySelector('[data-build]')")
	p.Click("[data-build]")
	p.Wait("location.hash.startsWith('#/build')")
	p.Quiet()
}

var large = flag.Int("large", 100, "how many megabytes the large file has that is uploaded; make soak has 1000")

// TestLargeUpload: a large file goes to the disk as it comes; the service holds no more of it
// than it would of a small one.
func TestLargeUpload(t *testing.T) {
	folder := t.TempDir()
	file, err := os.Create(filepath.Join(folder, "large.csv"))
	require.NoError(t, err)
	w := bufio.NewWriterSize(file, 1<<20)
	_, err = w.WriteString("id,day,note\n")
	require.NoError(t, err)
	rows := *large * 1_000_000 / 60
	for i := range rows {
		_, err = fmt.Fprintf(w, "%d,2025-%02d-%02d,a note about passage number %09d\n", i, i%12+1, i%28+1, i)
		require.NoError(t, err)
	}
	require.NoError(t, errors.Join(w.Flush(), file.Close()))
	service := exec.Command(binary, "serve", "--data", filepath.Join(folder, "data"), "--listen", "127.0.0.1:0")
	out, err := service.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, service.Start())
	defer func() {
		require.NoError(t, service.Process.Signal(os.Interrupt))
		require.NoError(t, service.Wait())
	}()
	at, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err)
	on := func(args ...string) result {
		return pikegateIn(t.Context(), append(args, "--server", strings.TrimSpace(at))...)
	}
	put(t, folder, "small.csv", "id,day\n1,2025-01-01\n")
	done(t, on("source", "upload", "small", filepath.Join(folder, "small.csv")))
	before := held(t, service.Process.Pid)
	r := on("source", "upload", "large", file.Name())
	done(t, r)
	assert.Contains(t, r.out, fmt.Sprintf("text, YYYY-MM-DD, real days: all %d values fit", rows))
	assert.Less(t, held(t, service.Process.Pid)-before, 50<<10, "KiB more than before")
}

// held is the most memory that a process has held, in KiB, as the kernel counts it.
func held(t *testing.T, pid int) int {
	t.Helper()
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	require.NoError(t, err)
	m := regexp.MustCompile(`VmHWM:\s+(\d+) kB`).FindSubmatch(status)
	require.NotNil(t, m)
	n, err := strconv.Atoi(string(m[1]))
	require.NoError(t, err)
	return n
}
