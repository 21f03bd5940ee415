package endtoend

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// TestWhatIsWrittenIsRead: the records of a run are written in every format that files are read
// in, and read back from a folder the same, to the byte; the line of totals in the workbook is
// no lock's.
func TestWhatIsWrittenIsRead(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	var documents strings.Builder
	for name, options := range map[string][]string{
		"plain.csv":     {},
		"wide.csv":      {"--delimiter", "tab", "--decimal", ",", "--encoding", "utf-16"},
		"german.csv":    {"--decimal", ",", "--encoding", "windows-1252"},
		"bars.csv":      {"--delimiter", "|", "--mark", "yes"},
		"typed.parquet": {}, "lines.jsonl": {}, "book.xlsx": {},
	} {
		done(t, pikegate(t, append([]string{"run", "passages-by-date", "--set", "period=2025-03-01 through 2025-03-07", "--out", filepath.Join(folder, name)}, options...)...))
		table, _, _ := strings.Cut(name, ".")
		from := table
		if table == "book" {
			from = "book_records"
		}
		fmt.Fprintf(&documents, "kind: query\nname: again-%s\nsource: written\nfrom: %s\ncolumns: [lock, region, vessel, toll]\ncriteria: lock is not blank\nsort: [vessel, lock, toll]\n---\nkind: report\nname: again-%[1]s\nquery: again-%[1]s\n---\n", table, from)
	}
	done(t, pikegate(t, "source", "add", "written", "--engine", "files", "--at", folder))
	t.Cleanup(func() { done(t, pikegateIn(context.Background(), "source", "remove", "written", "--anyway")) })
	file := filepath.Join(t.TempDir(), "q.yaml")
	require.NoError(t, os.WriteFile(file, []byte(strings.TrimSuffix(documents.String(), "---\n")), 0o600))
	done(t, pikegate(t, "push", file))
	first := ""
	for _, table := range []string{"plain", "wide", "german", "bars", "typed", "lines", "book"} {
		r := pikegate(t, "run", "again-"+table, "--draft", "--format", "csv")
		done(t, r)
		if first == "" {
			first = r.out
			require.Greater(t, strings.Count(first, "\n"), 100)
		}
		assert.Equal(t, first, r.out, table)
	}
}

// TestRunFormats: what is asked for in a wrong way is refused in one answer; a report's own
// settings come before those of whoever asks, and a run's before both.
func TestRunFormats(t *testing.T) {
	denied(t, pikegate(t, "run", "passages-by-date", "--set", "period=2025-03-01", "--format", "csv", "--delimiter", "xx", "--decimal", ";", "--mark", "maybe", "--encoding", "ebcdic"),
		"csv.delimiter", "csv.decimal", "csv.mark", "csv.encoding", "[bad_file_format]")
	r := pikegate(t, "run", "passages-by-date", "--set", "period=2025-03-01", "--format", "docx")
	assert.Equal(t, 2, r.code)
	assert.Contains(t, r.err, "table, csv, json, jsonl, xlsx, parquet, pdf, html, xml, svg or png")
	file := filepath.Join(t.TempDir(), "q.yaml")
	write := func(csv string) {
		require.NoError(t, os.WriteFile(file, []byte("kind: query\nname: closings\nsource: navigation\nfrom: locks\ncolumns: [name, {name: half, value: 1.5 + 0}]\nsort: [name]\n---\nkind: report\nname: closings\nquery: closings\ncsv: "+csv+"\n"), 0o600))
	}
	write("{delimiter: letters, mark: perhaps}")
	denied(t, pikegate(t, "check", file), "csv.delimiter", "csv.mark")
	write("{decimal: ','}")
	done(t, pikegate(t, "push", file))
	r = pikegate(t, "run", "closings", "--draft", "--format", "csv")
	done(t, r)
	assert.Contains(t, r.out, ";1,5\r\n")
	assert.Contains(t, pikegate(t, "run", "closings", "--draft", "--format", "csv", "--delimiter", "|").out, "|1,5\r\n")
	assert.Contains(t, pikegate(t, "run", "closings", "--draft", "--format", "csv", "--decimal", ".").out, ",1.5\r\n")
}

// TestExportedPage: the page that a run is exported as is one that everybody can use, and the
// console writes CSV as it is told to.
func TestExportedPage(t *testing.T) {
	file := filepath.Join(t.TempDir(), "tolls.html")
	done(t, pikegate(t, "run", "tolls-by-month", "--set", "period=2025", "--out", file))
	p := browser.Open(t, "file://"+file, 1280, 800)
	p.Wait("document.querySelectorAll('tr.sub').length === 12")
	p.Wait("document.querySelector('tr.all td.n:nth-of-type(4)').textContent === '486,731.60' || document.querySelector('tr.all').textContent.includes('486,731.60')")
	accessible(t, p, "an exported page")
	p.Quiet()

	p = browser.Open(t, address+"/#/reports/passages-by-date?period=2025-03-01", 1280, 800)
	p.Wait("document.querySelector('[data-outcome=done]')")
	p.Press("Export")
	p.Wait("document.querySelector('[data-format=parquet]')")
	p.Click("[data-csv] summary")
	p.Choose("[data-csv] select[name=decimal]", ",")
	p.Eval("window.taken = ''; const make = URL.createObjectURL; URL.createObjectURL = (b) => { b.text().then((t) => (window.taken = t)); return make(b) }; 0")
	p.Click("[data-format=csv]")
	p.Wait("window.taken.startsWith('passed_at;lock;') && /;\\d+,\\d+/.test(window.taken)")
	p.Quiet()
}
