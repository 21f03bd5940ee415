package service_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/parameter"
	"pikegate/internal/output"
	"pikegate/internal/service"
	"pikegate/internal/wire"
)

const pages = `
kind: query
name: by-hand
source: navigation
sql: select toll_pence as pence, passed_at from passages where { passed_at within :days } and toll_pence >= :least
parameters: [{name: days, kind: period, required: true}, {name: least, kind: integer, default: 2000}]
columns: [pence, {name: passed_at, value: passed_at}]
---
kind: report
name: by-hand
query: by-hand
---
kind: overview
name: page
ask: [{period: {default: 2025-03}}]
parts:
  - {report: passages-by-date, show: number, of: sum of toll}
  - {report: passages-by-date, show: number, of: average of toll}
  - {report: passages-by-date, show: number, of: count distinct of vessel}
  - {report: passages-by-date, show: number, of: greatest of passed_at, beside: {question: period, with: year-before}}
  - {report: tolls-by-month, show: number, of: sum of tolls, beside: {question: period, with: as-long-before}}
  - {report: by-hand, show: number, set: {days: ":period"}, beside: {question: days, with: as-long-before}}
  - {report: by-hand, set: {days: ":period", least: 3000}}
  - {report: tolls-by-month, show: chart}
`

// onPage pushes the page and asks it.
func onPage(t *testing.T) (*service.Service, func(answers parameter.Inputs) service.OverviewRequest) {
	t.Helper()
	s := demonstrated(t)
	_, err := s.Push(t.Context(), anybody(t, s), pages, wire.Keeping{})
	require.NoError(t, err)
	return s, func(answers parameter.Inputs) service.OverviewRequest {
		return service.OverviewRequest{Overview: "page", Inputs: answers, Draft: true}
	}
}

// found runs a report and gives its result.
func found(t *testing.T, s *service.Service, r service.Request) (result output.Result) {
	t.Helper()
	var out bytes.Buffer
	_, err := s.Run(t.Context(), anybody(t, s), r, output.JSON, func(_ wire.RunRecord, f output.Format) output.Writer { return f.New(&out) })
	require.NoError(t, err)
	decoder := json.NewDecoder(&out)
	decoder.UseNumber()
	require.NoError(t, decoder.Decode(&result))
	return result
}

// TestNumbers: a number is what its report says with the same answers, in this period and in
// the other, whatever the report is made of.
func TestNumbers(t *testing.T) {
	s, ask := onPage(t)
	measure := func(part int, answers parameter.Inputs) output.Figure {
		figure, err := s.MeasurePart(t.Context(), anybody(t, s), ask(answers), part)
		require.NoError(t, err, part)
		return figure
	}
	march := parameter.Inputs{"period": parameter.Typed("2025-03")}
	passages := found(t, s, service.Request{Report: "passages-by-date", Inputs: march})
	assert.Equal(t, passages.Totals[0].Value, measure(1, march).Total.Value)
	assert.Equal(t, measure(1, march).Total.Value, measure(1, nil).Total.Value, "the default of the page")
	vessels := map[any]bool{}
	for _, row := range passages.Rows {
		if cells := row.([]any); cells[3] != nil {
			vessels[cells[3]] = true
		}
	}
	assert.EqualValues(t, fmt.Sprint(len(vessels)), fmt.Sprint(measure(3, march).Total.Value))
	latest := measure(4, march)
	assert.Equal(t, passages.Last, latest.Total.Value)
	assert.Contains(t, latest.Before.Value, "2024-03-31")
	assert.Nil(t, latest.Change, "dates have no difference here")

	grouped := measure(5, march)
	february := found(t, s, service.Request{Report: "tolls-by-month", Inputs: parameter.Inputs{"period": parameter.Typed("2025-02"), "at_least": {None: true}}})
	at := len(february.Totals) - 1
	assert.Equal(t, february.Totals[at].Value, grouped.Before.Value)
	assert.Contains(t, grouped.Period, "Feb 2025")

	byHand := measure(6, march)
	all := found(t, s, service.Request{Report: "by-hand", Draft: true, Inputs: parameter.Inputs{"days": parameter.Typed("2025-03"), "least": parameter.Typed("2000")}})
	assert.EqualValues(t, fmt.Sprint(all.Count), fmt.Sprint(byHand.Total.Value), "its own default is the page's, as it asks for it first")
	runs, err := s.RunRecord(t.Context(), anybody(t, s), byHand.BeforeRun)
	require.NoError(t, err)
	assert.Equal(t, []string{"2025-02"}, runs.Typed["days"].Texts, "the run of the other period can be repeated")

	_, err = s.MeasurePart(t.Context(), anybody(t, s), ask(parameter.Inputs{"period": parameter.Typed("2025-03-10/2025-03-12")}), 5)
	assert.ErrorContains(t, err, "month", "the report takes whole months alone")
	none := measure(1, parameter.Inputs{"period": parameter.Typed("2026-01")})
	assert.Nil(t, none.Total.Value, "nothing passed then")
}

// TestPageReads: every part reads the answers; what one refuses is told once, at the question of
// the page.
func TestPageReads(t *testing.T) {
	s, ask := onPage(t)
	form, err := s.AskOverview(t.Context(), anybody(t, s), ask(nil))
	require.NoError(t, err)
	var names []string
	for _, q := range form.Questions {
		names = append(names, q.Name)
	}
	assert.Equal(t, []string{"period", "region", "locks", "at_least", "least"}, names)
	assert.Equal(t, "Sat 1 Mar 2025 through Mon 31 Mar 2025 (31 days)", form.Questions[0].DefaultReadBack)
	assert.Equal(t, map[string]string{"days": "period"}, form.Parts[6].Takes)
	assert.Equal(t, map[string]string{"least": "3000"}, form.Parts[6].Fixed)

	preview, err := s.PreviewOverview(t.Context(), anybody(t, s), ask(parameter.Inputs{"period": parameter.Typed("31 Feb 2025"), "least": parameter.Typed("many")}))
	require.NoError(t, err)
	var fields []string
	for _, p := range preview.Problems {
		fields = append(fields, p.Field)
	}
	assert.Equal(t, []string{"period", "least"}, fields)
	assert.Empty(t, preview.ReadBack)

	preview, err = s.PreviewOverview(t.Context(), anybody(t, s), ask(parameter.Inputs{"period": parameter.Typed("2025-03-10/2025-03-12"), "region": parameter.Typed("Wold Cut", "Upper Tarn")}))
	require.NoError(t, err)
	require.Len(t, preview.Problems, 1, "of whole months alone")
	assert.Equal(t, "period", preview.Problems[0].Field)
	preview, err = s.PreviewOverview(t.Context(), anybody(t, s), ask(parameter.Inputs{"region": parameter.Typed("Wold Cut", "Upper Tarn")}))
	require.NoError(t, err)
	assert.Contains(t, preview.ReadBack, "Which days: Sat 1 Mar 2025 through Mon 31 Mar 2025 (31 days); Region: ")
}

// TestPageInPart: a part that fails says why in its place, and the others are there; who goes
// away ends it.
func TestPageInPart(t *testing.T) {
	s, ask := onPage(t)
	broken := strings.Replace(strings.Split(pages, "---")[2], "{report: by-hand, show: number, set: {days: \":period\"}", "{report: nobody, title: Gone, show: number, set: {days: \":period\"}", 1)
	_, err := s.Push(t.Context(), anybody(t, s), broken, wire.Keeping{})
	assert.ErrorContains(t, err, "There is no report nobody here.")

	var out bytes.Buffer
	failed, err := s.RunOverview(t.Context(), anybody(t, s), ask(nil), output.HTML, func() io.Writer { return &out })
	require.NoError(t, err)
	assert.Zero(t, failed)
	assert.Equal(t, 8, strings.Count(out.String(), "<section class=\"part "))
	assert.Equal(t, 1, strings.Count(out.String(), "<svg"))

	require.NoError(t, s.Remove(t.Context(), anybody(t, s), "report", "tolls-by-month", true))
	out.Reset()
	failed, err = s.RunOverview(t.Context(), anybody(t, s), ask(nil), output.HTML, func() io.Writer { return &out })
	require.NoError(t, err)
	assert.Equal(t, 2, failed)
	assert.Equal(t, 2, strings.Count(out.String(), "Not shown: There is no report for this part that you may see."))
	assert.Equal(t, 6, strings.Count(out.String(), "Run ")+strings.Count(out.String(), "class=\"value\""), "all the others")

	_, err = s.RunOverview(t.Context(), anybody(t, s), ask(nil), output.CSV, func() io.Writer { return &out })
	assert.ErrorContains(t, err, "PDF or HTML")
	gone, leave := context.WithCancel(t.Context())
	leave()
	_, err = s.RunOverview(gone, anybody(t, s), ask(nil), output.PDF, func() io.Writer { return &out })
	assert.ErrorIs(t, err, context.Canceled)
}
