package endtoend

import (
	"encoding/csv"
	"flag"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var office = flag.Bool("office", false, "open workbooks with LibreOffice, which has to be installed")

// TestOffice: LibreOffice reads workbooks as they are meant: the values and their formats, the
// totals that formulas make, the words and marks, and cells of tables across.
func TestOffice(t *testing.T) {
	if !*office {
		t.Skip("LibreOffice is opened with -office alone: it takes long to install")
	}
	folder := t.TempDir()
	read := func(report string, args ...string) [][]string {
		t.Helper()
		file := filepath.Join(folder, report+".xlsx")
		r := pikegate(t, append([]string{"run", report, "--out", file}, args...)...)
		require.Zero(t, r.code, r.err)
		const asShown = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,true,false,false,1"
		out, err := exec.CommandContext(t.Context(), "soffice", "--headless", "-env:UserInstallation=file://"+folder+"/profile", "--convert-to", asShown, "--outdir", folder, file).CombinedOutput()
		require.NoError(t, err, string(out))
		content, err := os.Open(filepath.Join(folder, report+"-Records.csv"))
		require.NoError(t, err)
		defer content.Close()
		reader := csv.NewReader(content)
		reader.FieldsPerRecord = -1
		rows, err := reader.ReadAll()
		require.NoError(t, err)
		return rows
	}
	rows := read("passages-by-date", "--set", "period=2025-03")
	want := passages("2025-03-01", "2025-03-31")
	require.Len(t, rows, len(want)+2)
	for i, row := range want {
		row[0] = strings.Replace(row[0][:19], "T", " ", 1)
		require.Equal(t, row, rows[i+1])
	}
	assert.Equal(t, grouped(pounds(penceOf(t, want))), rows[len(rows)-1][5], "worked out by its formula")

	// Cells that lead to another report count and sort as those that do not.
	leading := filepath.Join(folder, "leading.yaml")
	const to = ", report: passages-by-date, set: {period: passed_at}}"
	require.NoError(t, os.WriteFile(leading, []byte("kind: report\nname: leading\nquery: lock-passages\ntotals: [sum of toll]\nlinks:\n  - {on: toll"+to+"\n  - {on: passed_at"+to+"\n  - {on: lock"+to+"\n"), 0o600))
	r := pikegate(t, "push", leading)
	require.Zero(t, r.code, r.err)
	defer pikegate(t, "remove", "leading")
	linked := read("leading", "--draft", "--set", "period=2025-03")
	assert.Equal(t, rows[1:], linked[1:])

	rows = read("tolls-by-month", "--set", "period=2025-Q1")
	assert.Equal(t, []string{"Month", "Region", "Passages"}, rows[0][:3])
	assert.Equal(t, "Month 2025-01", rows[4][0])
	assert.Equal(t, "28,483.40", rows[4][4])
	rows = read("invoices-issued", "--set", "period=2025-03")
	assert.Equal(t, "! unpaid", rows[1][2])
}
