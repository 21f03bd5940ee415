package endtoend

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/testing/browser"
)

// TestNumberPatterns: numbers are read as the pattern of their column has them, on a
// terminal, on the page and in its totals; a file for programs has the number. The pattern is
// written where the column is shown.
func TestNumberPatterns(t *testing.T) {
	t.Parallel()
	t.Cleanup(func() {
		pikegateIn(context.Background(), "remove", "report", "tolls-shared", "--anyway")
		pikegateIn(context.Background(), "remove", "query", "tolls-shared", "--anyway")
	})
	path := filepath.Join(t.TempDir(), "shared.yaml")
	require.NoError(t, os.WriteFile(path, []byte(`kind: query
name: tolls-shared
source: navigation
from: passages
joins: [{table: locks, on: passages.lock_id = locks.id}]
parameters: [{name: period, kind: period, required: true, default: 2025-03}]
columns:
  - {name: lock, value: locks.name}
  - {name: tolls, value: sum of toll_pence / 100, format: "'£'#,##0.00"}
  - {name: part, value: share of sum of toll_pence, label: Share, format: 0.0%}
criteria: passed_at within :period
sort: [tolls descending]
---
kind: report
name: tolls-shared
query: tolls-shared
totals: [sum of tolls]
`), 0o644))
	done(t, pikegate(t, "push", path))
	r := pikegate(t, "run", "tolls-shared", "--draft")
	done(t, r)
	assert.Regexp(t, `(?m)^Barley Staithe +£2,440\.55 +8\.4%$`, r.out)
	assert.Regexp(t, `Total: Sum of tolls £29,220\.20`, r.out)
	r = pikegate(t, "run", "tolls-shared", "--draft", "--format", "csv")
	done(t, r)
	assert.Regexp(t, `Barley Staithe,2440\.55,0\.0835\d+\r?\n`, r.out)

	p := &steps{Page: browser.Open(t, address, 1280, 800)}
	p.Visit(address + "/#/drafts/report/tolls-shared/try")
	p.Wait("[...document.querySelectorAll('button')].some((b) => b.textContent.trim() === 'Run' && !b.disabled)")
	p.Press("Run")
	p.Wait("[...document.querySelectorAll('[role=grid] td, [role=gridcell]')].some((c) => c.textContent.trim() === '£2,440.55')")
	assert.Equal(t, "true", p.Eval("[...document.querySelectorAll('[role=grid] td, [role=gridcell]')].some((c) => c.textContent.trim() === '8.4%')"))
	p.Wait("document.body.textContent.includes('£29,220.20')")

	p.Visit(address + "/#/build/report/tolls-shared")
	p.settled()
	p.click("[data-sentence] [data-column=part]")
	p.Wait("document.querySelector('[data-panel] [name=pattern]')?.value === '0.0%'")
	p.Choose("[data-panel] [name=pattern]", "0.00%")
	p.Wait("[...document.querySelectorAll('[role=grid] td, [role=gridcell]')].some((c) => c.textContent.trim() === '8.35%')")
	assert.Contains(t, p.written(), "format: 0.00%")
}
