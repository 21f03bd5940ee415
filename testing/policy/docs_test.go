package policy

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/almanac"
	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/criteria"
	"pikegate/core/definition"
	"pikegate/core/period"
	"pikegate/core/recurrence"
	"pikegate/internal/delivery"
	"pikegate/internal/demo"
	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
)

var (
	code  = regexp.MustCompile("`([^`]+)`")
	block = regexp.MustCompile("(?s)```yaml\n(.*?)```")
)

func read(t *testing.T, name string) string {
	t.Helper()
	content, err := os.ReadFile("../../docs/" + name)
	require.NoError(t, err)
	return string(content)
}

// TestPeriodExamples reads every example of the language of periods.
func TestPeriodExamples(t *testing.T) {
	ctx := civil.Calendar{Zone: time.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 18).Midnight()), WeekStart: time.Monday, FiscalStart: 4}
	forms, _, _ := strings.Cut(read(t, "periods.md"), "## Calendar")
	examples := 0
	for _, line := range strings.Split(forms, "\n") {
		cells := strings.Split(line, "|")
		if len(cells) < 4 {
			continue
		}
		for _, m := range code.FindAllStringSubmatch(cells[2], -1) {
			examples++
			_, problems := period.Read(m[1], ctx)
			assert.Empty(t, problems, m[1])
		}
	}
	assert.Greater(t, examples, 50)
	ctx.Almanac = documentedCalendars(t)[0]
	_, others, _ := strings.Cut(read(t, "periods.md"), "## Other languages")
	languages := 0
	for _, line := range strings.Split(others, "\n") {
		cells := strings.Split(line, "|")
		if len(cells) < 4 || len(strings.TrimSpace(cells[1])) != 2 {
			continue
		}
		languages++
		ctx.Language = strings.TrimSpace(cells[1])
		for _, m := range code.FindAllStringSubmatch(cells[2], -1) {
			_, problems := period.Read(m[1], ctx)
			assert.Empty(t, problems, m[1])
		}
	}
	assert.Equal(t, 3, languages)
}

// documentedCalendars are the calendars that are written in calendars.md.
func documentedCalendars(t *testing.T) (calendars []*civil.Almanac) {
	t.Helper()
	for _, m := range block.FindAllStringSubmatch(read(t, "calendars.md"), -1) {
		documents, problems := definition.Decode("calendars.md", []byte(m[1]))
		require.Empty(t, problems)
		a, problems := documents[0].(*definition.Calendar).Almanac(time.LoadLocation)
		require.Empty(t, problems)
		calendars = append(calendars, a)
	}
	return calendars
}

// TestCalendarExamples reads every example of calendars: holidays, periods, criteria.
func TestCalendarExamples(t *testing.T) {
	calendars := documentedCalendars(t)
	require.Len(t, calendars, 2)
	ctx := civil.Calendar{Zone: time.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 18).Midnight()), WeekStart: time.Monday, FiscalStart: 4, FiscalByStart: true, Almanac: calendars[0]}
	weeks := ctx
	weeks.Almanac = calendars[1]
	date := func(name string) catalog.Column {
		return catalog.Column{Name: name, Type: catalog.Date, Encoding: catalog.EncISODate, Stored: catalog.Text, Nullable: true}
	}
	scope := criteria.Scope{Calendar: &ctx, Tables: []criteria.Table{{Alias: "jobs", Table: catalog.Table{Name: "jobs", Columns: []catalog.Column{date("due_on"), date("done_on")}}}}}
	section, examples := "", map[string]int{}
	for _, line := range strings.Split(read(t, "calendars.md"), "\n") {
		if strings.HasPrefix(line, "#") {
			section = strings.Trim(line, "# ")
		}
		for _, m := range code.FindAllStringSubmatch(line, -1) {
			cells := strings.Split(line, "|")
			switch {
			case section == "Holidays" && len(cells) > 3 && strings.Contains(cells[1], m[0]):
				_, problems := almanac.ParseRule(m[1])
				assert.Empty(t, problems, m[1])
			case section == "Fiscal years of weeks" && strings.HasPrefix(line, "Then"):
				_, problems := period.Read(m[1], weeks)
				assert.Empty(t, problems, m[1])
			case section == "In periods" && len(cells) > 2 && strings.Contains(cells[2], m[0]):
				_, problems := period.Read(m[1], ctx)
				assert.Empty(t, problems, m[1])
			case section == "In criteria and columns" && len(cells) > 3 && strings.Contains(cells[2], m[0]):
				e, problems := criteria.Parse(m[1])
				require.Empty(t, problems, m[1])
				_, problems = criteria.Resolve(m[1], e, scope)
				assert.Empty(t, problems, m[1])
			default:
				continue
			}
			examples[section]++
		}
	}
	for section, least := range map[string]int{"Holidays": 11, "Fiscal years of weeks": 4, "In periods": 20, "In criteria and columns": 9} {
		assert.GreaterOrEqual(t, examples[section], least, section)
	}
}

// TestScheduleExamples checks the definitions of schedules.md beside the demonstration's, and reads
// its destinations.
func TestScheduleExamples(t *testing.T) {
	files, err := filepath.Glob("../../internal/demo/definitions/*.yaml")
	require.NoError(t, err)
	var documents []definition.Document
	for _, file := range files {
		content, err := os.ReadFile(file)
		require.NoError(t, err)
		made, problems := definition.Decode(file, content)
		require.Empty(t, problems)
		documents = append(documents, made...)
	}
	examples := 0
	for _, m := range block.FindAllStringSubmatch(read(t, "schedules.md"), -1) {
		examples++
		if !strings.HasPrefix(m[1], "kind:") {
			d, err := delivery.Read([]byte(m[1]), "/etc/pikegate")
			require.NoError(t, err)
			assert.Len(t, d.Places(), 6)
			continue
		}
		made, problems := definition.Decode("schedules.md", []byte(m[1]))
		require.Empty(t, problems)
		_, problems = definition.Check(append(made, documents...), definition.Environment{Zone: time.LoadLocation})
		assert.False(t, problems.Failed(), "%v", problems)
	}
	assert.Equal(t, 3, examples)
}

// TestRecurrenceExamples reads every example of rules, and shows when it is due.
func TestRecurrenceExamples(t *testing.T) {
	ctx := civil.Calendar{Zone: time.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 18).Midnight()), WeekStart: time.Monday, FiscalStart: 4, Almanac: documentedCalendars(t)[0]}
	section, examples := "", 0
	for _, line := range strings.Split(read(t, "recurrence.md"), "\n") {
		if strings.HasPrefix(line, "#") {
			section = strings.Trim(line, "# ")
		}
		for _, m := range code.FindAllStringSubmatch(line, -1) {
			text := m[1]
			switch {
			case strings.HasPrefix(text, "except") || strings.HasPrefix(text, "from") || strings.HasPrefix(text, "until"):
				text = "every day at 07:00 " + text
			case !strings.HasPrefix(text, "every") && !strings.HasPrefix(text, "on ") && !strings.HasPrefix(text, "FREQ"):
				continue
			}
			r, problems := recurrence.Describe(text, 1, ctx)
			assert.Empty(t, problems, "%s: %s", section, text)
			assert.Len(t, r.Times, 1, text)
			examples++
		}
	}
	assert.Greater(t, examples, 25)
}

// TestCriteriaExamples reads every example of the language of criteria against
// the tables of the demonstration; what is proved of the examples of a finding
// is that finding.
func TestCriteriaExamples(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, demo.Prepare(folder))
	source, err := sqlite.Open(engine.Address{Name: "navigation", At: filepath.Join(folder, "navigation.db")})
	require.NoError(t, err)
	defer source.Close()
	tables, err := source.Catalogue(t.Context())
	require.NoError(t, err)
	head := "kind: criterion\nname: in_service\non: locks\ncriteria: closed_on is blank\n---\n" +
		"kind: query\nname: q\nsource: navigation\nfrom: passages\njoins:\n"
	for _, table := range []string{"locks", "vessels", "dues_invoices", "mooring_stays"} {
		head += "  - { table: " + table + ", on: " + table + ".id = passages.id }\n"
	}
	head += "parameters:\n  - { name: period, kind: period, required: true }\n  - { name: locks, kind: text, many: true }\ncolumns:\n  - { name: c, value: "
	section, heading, examples := "", "", 0
	for _, line := range strings.Split(read(t, "criteria.md"), "\n") {
		if strings.HasPrefix(line, "#") {
			section = strings.Trim(line, "# ")
		}
		cells := strings.Split(line, "|")
		switch {
		case len(cells) < 4:
			heading = ""
			continue
		case heading == "":
			heading = line
			continue
		case strings.HasPrefix(cells[1], " ---"), strings.HasPrefix(heading, "| from"): // the latter are run on every engine, see testing/oracle
			continue
		}
		column := 2
		if section == "How it is translated" {
			column = 1
		}
		for _, m := range code.FindAllStringSubmatch(cells[column], -1) {
			examples++
			example := strings.ReplaceAll(strings.ReplaceAll(m[1], "'", "''"), "\\|", "|")
			isValue := section == "Values" || section == "Functions" || section == "Aggregates"
			text := head + "passages.id }\ncriteria: '" + example + "'\n"
			if isValue && !strings.Contains(m[1], ":") {
				text = head + "'" + example + "' }\n"
			} else if isValue {
				text = head + "passages.id }\ncriteria: '" + map[bool]string{true: "locks.name in ", false: "passed_at within "}[m[1] == ":locks"] + example + "'\n"
			}
			documents, problems := definition.Decode("", []byte(text))
			require.Empty(t, problems, m[1])
			_, problems = definition.Compile(documents[1].(*definition.Query), &tables, definition.NewSet(documents, definition.Library{}).Library)
			found := map[string]bool{}
			for _, p := range problems {
				if p.Code != "unused_parameter" {
					found[p.Code] = true
				}
			}
			if section == "What is proved" {
				assert.True(t, found[strings.TrimSpace(cells[1])], "%s: %v", m[1], problems)
				continue
			}
			for _, harmless := range []string{"no_index", "blanks_left_out", "strict_start", "never_true", "always_true"} {
				delete(found, harmless)
			}
			if strings.HasPrefix(m[1], "'") || m[1] == "blank" {
				continue // values that mean something beside others only
			}
			assert.Empty(t, found, "%s (%s): %v", m[1], heading, problems)
		}
	}
	assert.Greater(t, examples, 70)
}

// TestDefinitionExamples checks every definition the documentation shows.
func TestDefinitionExamples(t *testing.T) {
	for _, name := range []string{"parameters.md", "guide/authors.md"} {
		blocks := block.FindAllStringSubmatch(read(t, name), -1)
		require.NotEmpty(t, blocks, name)
		var documents []definition.Document
		for _, b := range blocks {
			found, problems := definition.Decode(name, []byte(b[1]))
			require.Empty(t, problems, b[1])
			documents = append(documents, found...)
		}
		_, problems := definition.Check(documents, definition.Environment{Zone: time.LoadLocation})
		assert.NoError(t, problems.Err(), name)
	}
}
