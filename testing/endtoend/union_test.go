package endtoend

import (
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// cashBook is what came in and went out between two days, both in.
func cashBook(first, last string) (rows [][]string) {
	type line struct {
		day, what string
		pence     int
	}
	var lines []line
	for _, v := range records.Invoices {
		if day := iso(v.PaidOn); day >= first && day <= last {
			lines = append(lines, line{day, "Dues, invoice " + v.Number, v.AmountPence})
		}
	}
	for _, j := range records.Jobs {
		if day := iso(j.DoneOn); day >= first && day <= last {
			lines = append(lines, line{day, records.Locks[j.LockID-1].Name + ": " + j.Title, -j.CostPence})
		}
	}
	slices.SortStableFunc(lines, func(a, b line) int {
		return cmp.Or(cmp.Compare(a.day, b.day), cmp.Compare(b.pence, a.pence))
	})
	for _, l := range lines {
		amount := pounds(l.pence)
		if l.pence < 0 {
			amount = "-" + pounds(-l.pence)
		}
		rows = append(rows, []string{l.day, l.what, amount})
	}
	return rows
}

// TestUnion: the cash book of the demonstration, of texts and of numbers of eight digits, is
// asked once, counts its edges over both, and says of an empty result why it is one.
func TestUnion(t *testing.T) {
	for period, days := range map[string][2]string{"2025-03": {"2025-03-01", "2025-03-31"}, "2024-02-29": {"2024-02-29", "2024-02-29"}, "2023-12-31/2024-01-01": {"2023-12-31", "2024-01-01"}} {
		r := pikegate(t, "run", "cash-book", "--set", "period="+period, "--format", "csv")
		done(t, r)
		rows, err := csv.NewReader(strings.NewReader(r.out)).ReadAll()
		require.NoError(t, err)
		require.Equal(t, []string{"day", "what", "amount"}, rows[0])
		sameRows(t, cashBook(days[0], days[1]), rows[1:], period)
	}

	r := pikegate(t, "run", "cash-book", "--set", "period=2025-03-31", "--format", "json")
	done(t, r)
	var result struct {
		Count       int
		First, Last string
		Edges       struct {
			Before, After string
			FirstDay      struct{ Count int } `json:"first_day"`
		}
		Totals []struct{ Value float64 }
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &result))
	want := cashBook("2025-03-31", "2025-03-31")
	all := cashBook("2023-01-01", "2025-03-30")
	after := cashBook("2025-04-01", "2026-12-31")
	assert.Equal(t, len(want), result.Count)
	assert.Equal(t, []string{"2025-03-31", "2025-03-31"}, []string{result.First, result.Last})
	assert.Equal(t, []string{all[len(all)-1][0], after[0][0]}, []string{result.Edges.Before, result.Edges.After})
	assert.Equal(t, len(want), result.Edges.FirstDay.Count)
	total := 0
	for _, row := range want {
		var whole, pence int
		_, err := fmt.Sscanf(strings.TrimPrefix(row[2], "-"), "%d.%d", &whole, &pence)
		require.NoError(t, err)
		if row[2][0] == '-' {
			whole, pence = -whole, -pence
		}
		total += whole*100 + pence
	}
	assert.InDelta(t, float64(total)/100, result.Totals[0].Value, 1e-9)

	r = pikegate(t, "why", "cash-book", "--set", "period=2026-11")
	done(t, r)
	for _, query := range []string{"Dues paid", "Work at the locks"} {
		assert.Regexp(t, query+`: The nearest that meet everything else is \w+ \d+ \w+ 2026\.`, r.out)
	}
	assert.Contains(t, r.out, "all records of dues_invoices, maintenance_jobs")

	r = pikegate(t, "coverage", "cash-book", "--by", "year")
	done(t, r)
	for _, year := range []string{"2023", "2024", "2025"} {
		assert.Regexp(t, fmt.Sprintf(`%s +%d`, year, len(cashBook(year+"-01-01", year+"-12-31"))), strings.ReplaceAll(r.out, ",", ""))
	}

	r = pikegate(t, "explain", "cash-book", "--set", "period=2025-03", "--plan")
	done(t, r)
	assert.Contains(t, r.out, "Dues paid and Work at the locks: day from Sat 1 Mar through Mon 31 Mar 2025 (31 days)")
	assert.Contains(t, r.out, `"maintenance_jobs"."done_on" >= ?`)
	assert.Contains(t, r.out, "Work at the locks: amount = 0 - cost_pence / 100")
	assert.Contains(t, r.out, "The date criterion on maintenance_jobs.done_on uses no index")

	for _, format := range []string{"xlsx", "parquet", "pdf", "html", "xml", "jsonl"} {
		file := filepath.Join(t.TempDir(), "cash."+format)
		done(t, pikegate(t, "run", "cash-book", "--set", "period=2025-03", "--format", format, "--out", file))
		info, err := os.Stat(file)
		require.NoError(t, err)
		assert.Greater(t, info.Size(), int64(1000), format)
	}
}

// TestUnionIsKept: a published union goes on with the queries that it was published with,
// they cannot be removed under it, and they are renamed in it.
func TestUnionIsKept(t *testing.T) {
	path := filepath.Join(t.TempDir(), "halves.yaml")
	write := func(least string) {
		text := ""
		for _, name := range []string{"long-vessels", "short-vessels"} {
			op := map[string]string{"long-vessels": ">=", "short-vessels": "<"}[name]
			text += "kind: query\nname: " + name + "\nsource: navigation\nfrom: vessels\ncolumns: [name, length_m]\ncriteria: length_m " + op + " " + least + " and name < 'C'\n---\n"
		}
		text += "kind: query\nname: vessels-apart\nsource: navigation\nunion: [long-vessels, short-vessels]\n---\nkind: report\nname: vessels-apart\nquery: vessels-apart\n"
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	t.Cleanup(func() {
		for _, made := range []string{"report vessels-apart", "query vessels-apart", "query long-vessels", "query lengthy-vessels", "query short-vessels"} {
			kind, name, _ := strings.Cut(made, " ")
			pikegateIn(context.Background(), "remove", kind, name, "--anyway")
		}
	})
	write("12")
	done(t, pikegate(t, "push", path))
	done(t, pikegate(t, "publish", "vessels-apart"))
	first := pikegate(t, "run", "vessels-apart", "--format", "csv")
	done(t, first)
	require.Greater(t, strings.Count(first.out, "\n"), 5)

	write("1000")
	done(t, pikegate(t, "push", path))
	assert.Equal(t, first.out, pikegate(t, "run", "vessels-apart", "--format", "csv").out, "it is still as it was published")
	draft := pikegate(t, "run", "vessels-apart", "--draft", "--format", "csv")
	done(t, draft)
	assert.NotEqual(t, first.out, draft.out)

	r := pikegate(t, "remove", "query", "long-vessels")
	assert.NotZero(t, r.code)
	assert.Contains(t, r.err, "vessels-apart")
	assert.Contains(t, pikegate(t, "uses", "long-vessels").out, "vessels-apart")
	assert.Contains(t, pikegate(t, "uses", "vessels.length_m").out, "vessels-apart")

	done(t, pikegate(t, "rename", "query", "long-vessels", "lengthy-vessels", "--keep"))
	done(t, pikegate(t, "run", "vessels-apart", "--draft", "--format", "csv"))
	assert.Contains(t, pikegate(t, "uses", "lengthy-vessels").out, "vessels-apart")
}
