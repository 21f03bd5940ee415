package output_test

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/plan"
	"pikegate/internal/output"
)

// layout is a result to be laid out.
type layout struct {
	name    string
	page    definition.Page
	groups  []output.Grouping
	filled  map[string]string
	locks   int // with so many records each
	records int
	chart   *output.Chart
	wide    int // columns besides
}

// layouts are what every form is held against.
var layouts = []layout{
	{name: "nothing"},
	{name: "one page", locks: 1, records: 3},
	{name: "titles", page: definition.Page{Title: "Tolls {period}", Subtitle: "Read on {as_of}, {zone}", Footer: "{title}: page {page} of {pages}"}, filled: map[string]string{"period": "1 Mar 2025 – 31 Mar 2025", "as_of": "2 Apr 2025"}, locks: 2, records: 40},
	{name: "heads", groups: []output.Grouping{{Label: "Lock", Of: "lock", Head: true, Once: true}}, locks: 3, records: 30},
	{name: "a page for each", groups: []output.Grouping{{Label: "Lock", Of: "lock", Head: true, Page: true}}, locks: 3, records: 5},
	{name: "two levels", groups: []output.Grouping{{Label: "Reach", Head: true, Page: true}, {Label: "Lock", Of: "lock", Head: true, Once: true}}, locks: 4, records: 35},
	{name: "notes", page: definition.Page{Notes: "Tolls are those of the *lock book*, read on {as_of}:\n\n1. those of **boats**\n2. and `rafts`\n\n- see [the book](https://example.org/book)\n\n## Left out\n\nA line\\\nand its next."}, filled: map[string]string{"as_of": "2 *Apr* [2025](x)"}, locks: 1, records: 3},
	{name: "a chart before", chart: drawn("bars"), locks: 1, records: 30},
	{name: "a chart after", page: definition.Page{Chart: "after"}, chart: drawn("lines"), locks: 1, records: 30},
	{name: "wide in groups", page: definition.Page{Size: "A5"}, wide: 14, locks: 1, records: 4, groups: []output.Grouping{{Label: "Lock", Of: "lock"}, {Label: "Passed", Of: "passed"}}},
	{name: "wide", page: definition.Page{Size: "A5", ReadBack: "hidden"}, wide: 14, locks: 2, records: 20, chart: drawn("areas")},
}

// drawn is a chart of some months.
func drawn(kind string) *output.Chart {
	c := &output.Chart{Kind: kind, X: "Month", Y: "Sum of toll", Split: "Lock", Format: "money"}
	for month := range 6 {
		for _, lock := range []string{"Mossgill", "Harrow Top"} {
			c.Points = append(c.Points, output.Point{X: fmt.Sprintf("2025-%02d", month+1), Split: lock, Y: json.Number(strconv.Itoa((month*37+len(lock)*11)%90 + 5))})
		}
	}
	return c
}

// columns are those of the result.
func (l layout) columns() []plan.Output {
	columns := []plan.Output{
		{Name: "lock", Label: "Lock", Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}},
		{Name: "passed", Label: "Passed", Type: catalog.Date, Column: catalog.Column{Type: catalog.Date, Encoding: catalog.EncISODate}, Index: 1},
		{Name: "toll", Label: "Toll", Type: catalog.Decimal, Format: "money", Column: catalog.Column{Type: catalog.Decimal}, Index: 2},
	}
	for i := range l.wide {
		columns = append(columns, plan.Output{Name: fmt.Sprint("c", i), Label: fmt.Sprint("Column ", i), Type: catalog.Text, Column: catalog.Column{Type: catalog.Text}, Index: 0})
	}
	return columns
}

func (l layout) write(t *testing.T, f output.Format) []byte {
	t.Helper()
	var out bytes.Buffer
	l.fill(t, f.New(&out))
	return out.Bytes()
}

// fill gives the result to a writer.
func (l layout) fill(t *testing.T, w output.Writer) {
	t.Helper()
	columns := l.columns()
	reader := plan.NewReader(columns, time.UTC)
	require.NoError(t, w.Begin(output.Header{Title: "Tolls", ReadBack: "All of them.", Zone: "Europe/London", Run: 7, Columns: columns, Groups: l.groups, Filled: l.filled, Page: output.PaperOf(l.page)}))
	open := make([]string, len(l.groups))
	n := int64(0)
	for lock := range l.locks {
		name := fmt.Sprint("Lock ", lock)
		values := map[string]string{"Lock": name, "Reach": fmt.Sprint("Reach ", lock/2)}
		closed := len(l.groups)
		for level := len(l.groups) - 1; level >= 0; level-- {
			if open[level] != values[l.groups[level].Label] {
				closed = level
			}
		}
		for level := len(l.groups) - 1; level >= closed && lock > 0; level-- {
			require.NoError(t, w.Subtotal(output.Subtotal{Level: level, Label: l.groups[level].Label, Type: catalog.Text, Value: open[level], Count: int64(l.records)}))
		}
		for level := closed; level < len(l.groups); level++ {
			open[level] = values[l.groups[level].Label]
			require.NoError(t, w.Opening(output.Opening{Level: level, Label: l.groups[level].Label, Of: l.groups[level].Of, Type: catalog.Text, Value: open[level]}))
		}
		for i := range l.records {
			n++
			require.NoError(t, w.Row(reader.Read([]any{name, fmt.Sprintf("2025-03-%02d", i%28+1), strconv.Itoa(i * 100)})))
		}
	}
	require.NoError(t, w.End(output.Summary{Outcome: "done", Count: n, Chart: l.chart}))
}

// svgPlaces are the texts of pages as pictures, in points from the left and from below.
func svgPlaces(t *testing.T, pages []byte) (all [][]placed) {
	t.Helper()
	type picture struct {
		Height string `xml:"height,attr"`
		Label  string `xml:"aria-label,attr"`
		Inner  string `xml:",innerxml"`
	}
	decoder := xml.NewDecoder(bytes.NewReader(pages))
	for {
		var p picture
		err := decoder.Decode(&p)
		if err == io.EOF {
			return all
		}
		require.NoError(t, err)
		high, err := strconv.ParseFloat(strings.TrimSuffix(p.Height, "mm"), 64)
		require.NoError(t, err)
		var texts []placed
		for _, found := range regexp.MustCompile(`<text x="([-\d.]+)" y="([-\d.]+)"[^>]*>([^<]*)</text>`).FindAllStringSubmatch(p.Inner, -1) {
			x, _ := strconv.ParseFloat(found[1], 64)
			y, _ := strconv.ParseFloat(found[2], 64)
			texts = append(texts, placed{x * 72 / 25.4, (high - y) * 72 / 25.4, found[3]})
		}
		require.Regexp(t, `^Page \d+ of \d+$`, p.Label)
		all = append(all, texts)
	}
}

// TestLayouts: every layout is the same as PDF and as pictures, text by text and place by
// place; nothing lies beyond the margins, and nothing over anything else on its line.
func TestLayouts(t *testing.T) {
	for _, l := range layouts {
		t.Run(l.name, func(t *testing.T) {
			pages := svgPlaces(t, l.write(t, output.Pages))
			pdf := l.write(t, output.PDF)
			if folder := os.Getenv("LAYOUTS"); folder != "" {
				require.NoError(t, os.WriteFile(folder+"/"+strings.ReplaceAll(l.name, " ", "-")+".pdf", pdf, 0o600))
			}
			places := pdfPlaces(t, pdf)
			n := 0
			for number, page := range pages {
				for _, text := range page {
					if strings.Contains(text.text, "&") {
						n++
						continue
					}
					require.Less(t, n, len(places))
					at := places[n]
					n++
					assert.InDelta(t, text.x, at.x, 0.05, "%d %s", number, text.text)
					assert.InDelta(t, text.y, at.y, 0.05, "%d %s", number, text.text)
					assert.GreaterOrEqual(t, text.x, 33.0, text.text)
					assert.GreaterOrEqual(t, text.y, 20.0, text.text)
				}
			}
			assert.Equal(t, len(places), n)
		})
	}
}

// onPages are the texts of each page of a layout, in their order.
func onPages(t *testing.T, name string) (pages []string) {
	t.Helper()
	for _, l := range layouts {
		if l.name != name {
			continue
		}
		for _, page := range svgPlaces(t, l.write(t, output.Pages)) {
			var texts []string
			for _, text := range page {
				texts = append(texts, text.text)
			}
			pages = append(pages, strings.Join(texts, "|"))
		}
	}
	require.NotEmpty(t, pages)
	return pages
}

// TestPagesSay: titles and footers have their answers, groups their heads again on further
// pages, and each record of a group stands beneath its head.
func TestPagesSay(t *testing.T) {
	titles := onPages(t, "titles")
	require.Len(t, titles, 2)
	for _, text := range []string{"Tolls 1 Mar 2025 – 31 Mar 2025|Read on 2 Apr 2025, Europe/London|All of them.|80 records.|", "Tolls: page 1 of 2"} {
		assert.Contains(t, titles[0], text)
	}
	assert.Contains(t, titles[1], "Tolls: page 2 of 2")
	assert.NotContains(t, titles[1], "Read on")

	heads := onPages(t, "heads")
	require.Greater(t, len(heads), 1)
	assert.Contains(t, heads[0], "Lock Lock 0|Lock 0|2025-03-01|0.00|2025-03-02|100.00|", "its column stands in the first record alone")
	assert.Regexp(t, `Toll\|Lock Lock 1, continued\|2025-03-\d\d\|`, heads[1])

	each := onPages(t, "a page for each")
	require.Len(t, each, 3)
	for i, page := range each {
		assert.Contains(t, page, fmt.Sprint("Lock Lock ", i, "|"))
		assert.NotContains(t, page, "continued")
	}

	levels := onPages(t, "two levels")
	for i, page := range levels {
		if strings.Contains(page, "  Lock Lock 1, continued") {
			assert.Contains(t, page, "Reach Reach 0, continued|  Lock Lock 1, continued", i)
		}
	}
	assert.Contains(t, strings.Join(levels, "\n"), "Toll|Reach Reach 1|  Lock Lock 2|", "each reach begins a page")

	notes := onPages(t, "notes")
	assert.Contains(t, notes[0], "Tolls|are|those|of|the|lock|book|,|read|on|2|*Apr*|[2025](x):|1.|those|of|boats|2.|and|rafts|•|see|the|book|Left|out|A|line|and|its|next.")
	assert.NotContains(t, notes[0], "href=\"x\"")

	before, after := onPages(t, "a chart before"), onPages(t, "a chart after")
	for _, page := range [][]string{before, after} {
		whole := strings.Join(page, "|")
		for _, text := range []string{"|Mossgill|", "|Harrow Top|", "|Sum of toll|", "|Month|", "|2025-01|", "|2025-06|"} {
			assert.Contains(t, "|"+whole+"|", text)
		}
	}
	assert.Less(t, strings.Index(before[0], "Mossgill"), strings.Index(before[0], "2025-03-01"))
	assert.Greater(t, strings.Index(after[0], "Mossgill"), strings.Index(after[0], "2025-03-01"))

	wide := onPages(t, "wide")
	assert.NotContains(t, strings.Join(wide, ""), "All of them.")
	assert.Contains(t, strings.Join(wide, ""), "Columns, part 2 of")
	led := onPages(t, "wide in groups")
	require.Greater(t, len(led), 1)
	for _, page := range led {
		assert.Contains(t, page, "|Lock|Passed|", "what records are grouped by stands on every sheet")
	}
}

// TestGroupsInForms: heads of groups and columns that are shown once are in every form that
// people read.
func TestGroupsInForms(t *testing.T) {
	l := layouts[3]
	page := string(l.write(t, output.HTML))
	assert.Contains(t, page, "<tr class=head><th scope=rowgroup colspan=3>Lock Lock 0\n<tr><td>Lock 0<td>2025-03-01<td class=n>0.00\n<tr><td><td>2025-03-02<td class=n>100.00\n")
	lines := string(l.write(t, output.NDJSON))
	assert.Contains(t, lines, `"groups":[{"label":"Lock","of":"lock","head":true,"once":true}]`)
	assert.Contains(t, lines, "\n"+`{"head":{"level":0,"label":"Lock","of":"lock","type":"text","value":"Lock 0"}}`+"\n"+`["Lock 0","2025-03-01",0.00]`+"\n")
	var whole output.Result
	require.NoError(t, json.Unmarshal(l.write(t, output.JSON), &whole))
	assert.Len(t, whole.Rows, 3*30+3+2)
	assert.Equal(t, 90, strings.Count(string(l.write(t, output.CSV)), ",2025-"), "files for programs have every value")
	shown := output.CSV.As(output.CSVSettings{CSVFormat: catalog.CSVFormat{Values: "shown"}})
	assert.Equal(t, 30, strings.Count(string(l.write(t, shown)), "\nLock 1,"))
	assert.Equal(t, 31, strings.Count(string(l.write(t, output.CSV)), "Lock 1")+1)
}

// TestChartMarks: values and gaps stand where their scales say.
func TestChartMarks(t *testing.T) {
	c := &output.Chart{Kind: "points", X: "Month", Y: "Count", Points: []output.Point{{X: "a", Y: json.Number("0")}, {X: "b", Y: nil}, {X: "c", Y: json.Number("100")}}}
	page := c.Draw(output.Header{}.Place(), 100, 60)
	var heights []float64
	for _, s := range page.Shapes {
		if s.Fill != nil && len(s.Steps) > 10 { // circles
			low := math.Inf(-1)
			for _, step := range s.Steps {
				low = max(low, step.Y)
			}
			heights = append(heights, low)
		}
	}
	require.Len(t, heights, 2, "a gap has no point")
	assert.Greater(t, heights[0], heights[1]+30)
	assert.Equal(t, "Points of Count by Month. From 0 (a) to 100 (c).", page.Label)
	for _, kind := range []string{"bars", "lines", "areas", "points"} {
		for _, change := range []func(*output.Chart){
			func(*output.Chart) {},
			func(c *output.Chart) { c.Beside = true },
			func(c *output.Chart) { c.Points = c.Points[:1] },
			func(c *output.Chart) { c.Points = nil },
			func(c *output.Chart) { c.Points[0].Y, c.Points[1].Y = json.Number("1e308"), json.Number("-1e308") },
			func(c *output.Chart) {
				c.Points = c.Points[:2]
				c.Points[0].Y, c.Points[1].Y = json.Number("1e-320"), json.Number("2e-320")
			},
			func(c *output.Chart) {
				c.Points = c.Points[:2]
				c.Points[0].Y, c.Points[1].Y = json.Number("1000000000000"), json.Number("1000000000001")
			},
			func(c *output.Chart) {
				for i := range c.Points {
					c.Points[i].Y = nil
				}
			},
			func(c *output.Chart) {
				for i := range c.Points {
					c.Points[i].Y = json.Number(strconv.Itoa(-i * 1_000_000))
				}
			},
			func(c *output.Chart) {
				c.Split, c.More = "", []output.Measure{{Label: "Count", Second: true}}
				for i := range c.Points {
					c.Points[i].More = []any{json.Number(strconv.Itoa(i))}
				}
			},
			func(c *output.Chart) {
				c.Panels = "Region"
				for i := range c.Points {
					c.Points[i].Panel = i % 3
				}
			},
		} {
			c := drawn(kind)
			change(c)
			page := c.Draw(output.Header{Language: "de"}.Place(), 180, 80)
			for _, s := range page.Shapes {
				for _, step := range s.Steps {
					require.False(t, math.IsNaN(step.X+step.Y) || step.X < -1 || step.X > 181 || step.Y < -1 || step.Y > 81, "%s %+v", kind, step)
				}
			}
			for _, text := range page.Texts {
				require.False(t, math.IsNaN(text.X+text.Y) || text.X < -1 || text.Y < -1 || text.Y > 81, "%s %+v", kind, text)
			}
		}
	}
}

// TestManySeries: what a drawing has no room for is told.
func TestManySeries(t *testing.T) {
	c := &output.Chart{Kind: "lines", X: "X", Y: "Y", Split: "S", Panels: "P"}
	for i := range 2000 {
		c.Points = append(c.Points, output.Point{X: fmt.Sprint(i), Split: fmt.Sprint(i), Panel: i % 50, Y: json.Number("1")})
	}
	page := c.Draw(output.Header{}.Place(), 180, 80)
	var texts []string
	for _, text := range page.Texts {
		texts = append(texts, text.Text)
	}
	assert.Contains(t, texts, "14 more are not drawn")
}

// TestMarksSay: each bar and point says what it stands for.
func TestMarksSay(t *testing.T) {
	for kind, want := range map[string]int{"bars": 12, "lines": 12, "points": 12, "areas": 0} {
		var titles []string
		for _, s := range drawn(kind).Draw(output.Header{}.Place(), 180, 80).Shapes {
			if s.Title != "" {
				titles = append(titles, s.Title)
			}
		}
		require.Len(t, titles, want, kind)
		if want > 0 {
			assert.Contains(t, titles, "2025-01, Mossgill: 93.00")
		}
	}
}
