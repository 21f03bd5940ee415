package output_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/internal/output"
)

// TestFigure: a number is compared exactly, and by how much is said in words beside the mark.
func TestFigure(t *testing.T) {
	for _, c := range []struct {
		now, then    any
		format, with string
		want         []string
	}{
		{json.Number("2446"), json.Number("2141"), "", "as-long-before", []string{"2,446", "▲ 305 more (14.2 %) than before", "2,141: May"}},
		{json.Number("81683.98"), json.Number("91570.43"), "money", "year-before", []string{"81,683.98", "▼ 9,886.45 less (10.8 %) than a year before", "91,570.43: May"}},
		{json.Number("0.3"), json.Number("0.1"), "", "year-before", []string{"0.3", "▲ 0.2 more (200 %) than a year before", "0.1: May"}},
		{json.Number("5"), json.Number("5"), "", "as-long-before", []string{"5", "As much as before", "5: May"}},
		{json.Number("5"), json.Number("0"), "", "as-long-before", []string{"5", "▲ 5 more than before", "0: May"}},
		{json.Number("5"), json.Number("-10"), "", "as-long-before", []string{"5", "▲ 15 more (150 %) than before", "-10: May"}},
		{json.Number("123456789012345678901234567890"), json.Number("1"), "", "as-long-before", []string{"123,456,789,012,345,678,901,234,567,890", "▲ 123,456,789,012,345,678,901,234,567,889 more (12,345,678,901,234,567,890,123,456,788,900 %) than before", "1: May"}},
		{nil, json.Number("1"), "", "as-long-before", []string{"blank", "", "1: May"}},
		{"2025-01-02", "2024-01-02", "", "year-before", []string{"2025-01-02", "", "2024-01-02: May"}},
	} {
		kind := catalog.Decimal
		if _, isText := c.now.(string); isText {
			kind = catalog.Date
		}
		f := output.Figure{Total: output.Total{Type: kind, Value: c.now, Format: c.format}, Period: "May", With: c.with}
		f.Compare(output.Total{Type: kind, Value: c.then, Format: c.format})
		value, change, before := f.Texts()
		assert.Equal(t, c.want, []string{value, change, before})
	}
	f := output.Figure{Total: output.NoTotal("count", "Records"), With: "year-before"}
	value, change, before := f.Texts()
	assert.Equal(t, []string{"0", "", "Not compared: the period is open."}, []string{value, change, before})
	f.Period, f.Uncompared = "May", "Too early."
	_, _, before = f.Texts()
	assert.Equal(t, "Not compared with May: Too early.", before)
}

// TestFirst: what comes after the first records is passed over, and the end is that of all.
func TestFirst(t *testing.T) {
	var out bytes.Buffer
	layout{locks: 2, records: 5, groups: []output.Grouping{{Label: "Lock", Of: "lock", Head: true}}}.fill(t, output.First(output.NDJSON.New(&out), 5))
	lines := strings.Split(strings.TrimSpace(out.String()), "\n")
	require.Len(t, lines, 1+1+5+1+1, "the header, the head of a group, its records and its end, and the end of all")
	assert.Contains(t, lines[8], `"count":10`)
	out.Reset()
	layout{locks: 2, records: 5}.fill(t, output.First(output.NDJSON.New(&out), 0))
	assert.Len(t, strings.Split(strings.TrimSpace(out.String()), "\n"), 2)
}

// overview writes an overview of what parts there can be.
func overview(t *testing.T, f output.Format) string {
	t.Helper()
	var out bytes.Buffer
	o, ok := output.NewOverview(f, &out, output.Header{
		Title: "At a glance", ReadBack: "Which days: May.", Zone: "Europe/London", Filled: map[string]string{"period": "1 May to 31 May"},
		Page:    output.PaperOf(definition.Page{Subtitle: "In {period}", Footer: "Page {page} of {pages}"}),
		Answers: []output.Answered{{Question: "Which days?", ReadBack: "May"}, {Question: "Region"}},
	})
	require.True(t, ok)
	require.NoError(t, o.Begin())
	third := func(title string) output.Frame { return output.Frame{Title: title, Width: "third"} }
	figure := output.Figure{Run: 3, BeforeRun: 4, Total: output.Total{Type: catalog.Decimal, Value: json.Number("120.5")}, Period: "April", With: "as-long-before", Restricted: "Not all of it is shown."}
	figure.Compare(output.Total{Type: catalog.Decimal, Value: json.Number("100")})
	require.NoError(t, o.Number(third("Tolls <b>"), figure))
	require.NoError(t, o.Number(third("Dues"), figure))
	require.NoError(t, o.Missing(third("Gone"), "The source is <away>."))
	layouts[7].fill(t, o.Part(output.Frame{Title: "Drawn", Width: "half"}, true))
	layout{}.fill(t, o.Part(output.Frame{Title: "Nothing drawn", Width: "half"}, true))
	layout{locks: 1, records: 3}.fill(t, o.Part(output.Frame{Title: "A short table", Width: "whole"}, false))
	layouts[3].fill(t, o.Part(output.Frame{Title: "Groups", Width: "whole"}, false))
	require.NoError(t, o.End())
	return out.String()
}

// TestOverviewPDF: numbers and charts stand beside each other, tables beneath, all on the paper
// of the overview.
func TestOverviewPDF(t *testing.T) {
	places := pdfPlaces(t, []byte(overview(t, output.PDF)))
	at := func(text string) placed {
		for _, p := range places {
			if strings.HasSuffix(p.text, text) {
				return p
			}
		}
		require.Fail(t, "not on paper", "%s in %v", text, places)
		return placed{}
	}
	assert.Greater(t, at("At a glance").y, at("In 1 May to 31 May").y)
	first, second := at("Tolls <b>"), at("Dues")
	assert.InDelta(t, first.y, second.y, 0.01, "beside each other")
	assert.Greater(t, second.x, first.x+150)
	assert.InDelta(t, first.y, at("Gone").y, 0.01)
	assert.Equal(t, at("Drawn").y, at("Nothing drawn").y)
	assert.Less(t, at("Drawn").y, at("Not all of it is shown.").y)
	assert.Less(t, at("A short table").y, at("Drawn").y)
	assert.Less(t, at("Groups").y, at("A short table").y, "what is short leaves room for the next")
	at("20.5 more (20.5 %) than")
	at("100: April")
	at("Runs 3 to 7, Europe/London")
	at("Page 1 of 3")
	at(", continued")
	for _, p := range places {
		assert.GreaterOrEqual(t, p.x, 33.0, p.text)
		assert.GreaterOrEqual(t, p.y, 20.0, p.text)
	}
}

// TestOverviewHTML: each part is a section of one page, which needs nothing else.
func TestOverviewHTML(t *testing.T) {
	page := overview(t, output.HTML)
	assert.Equal(t, 7, strings.Count(page, "<section class=\"part "))
	assert.Equal(t, 7, strings.Count(page, "</section>"))
	assert.Contains(t, page, "<h2>Tolls &lt;b&gt;</h2>\n<p class=\"value\">120.5</p>\n<p><b>▲ 20.5 more (20.5 %) than before</b></p>\n<p class=\"quiet\">100: April</p>\n<p class=\"quiet\">Not all of it is shown.</p>")
	assert.Contains(t, page, "<p class=missing>Not shown: The source is &lt;away&gt;.</p>")
	assert.Contains(t, page, "<p class=quiet>90 records. Run 7.</p>")
	assert.Contains(t, page, "<dt>Region</dt><dd>any</dd>")
	assert.Equal(t, 1, strings.Count(page, "<svg"))
	assert.Equal(t, 2, strings.Count(page, "</tbody>\n</table>\n</div>"))
	assert.Equal(t, 1, strings.Count(page, "</html>"))
}

// TestOverviewBroken: of a part that breaks off, a page of the web has what had come, and paper
// nothing; no other format has overviews.
func TestOverviewBroken(t *testing.T) {
	for _, f := range []output.Format{output.PDF, output.HTML} {
		var out bytes.Buffer
		o, _ := output.NewOverview(f, &out, output.Header{Title: "Broken", Page: output.PaperOf(definition.Page{})})
		require.NoError(t, o.Begin())
		frame := output.Frame{Title: "A part", Width: "whole"}
		for _, chart := range []bool{false, true} {
			w := o.Part(frame, chart)
			require.NoError(t, w.Begin(output.Header{Columns: layout{}.columns(), Page: output.PaperOf(definition.Page{})}))
			require.NoError(t, w.End(output.Summary{Problem: "It broke."}))
			require.NoError(t, o.Missing(frame, "It broke."))
		}
		require.NoError(t, o.End())
		if f.Name == "html" {
			assert.Equal(t, strings.Count(out.String(), "<section"), strings.Count(out.String(), "</section>"))
			assert.Equal(t, 2, strings.Count(out.String(), "It broke."))
		} else {
			assert.Contains(t, pdfText(t, out.Bytes()), "It broke.")
		}
	}
	_, ok := output.NewOverview(output.CSV, &bytes.Buffer{}, output.Header{})
	assert.False(t, ok)
	o, _ := output.NewOverview(output.HTML, failing{}, output.Header{Page: output.PaperOf(definition.Page{})})
	require.NoError(t, o.Begin())
	assert.Error(t, o.Missing(output.Frame{Title: "x"}, "y"), "what cannot be written is told")
}

type failing struct{}

func (failing) Write([]byte) (int, error) { return 0, errors.New("nobody is there") }
