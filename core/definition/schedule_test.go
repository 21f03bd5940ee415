package definition_test

import (
	"strings"
	"testing"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/sqltext"
)

const scheduled = `kind: query
name: dues
source: navigation
from: dues
parameters:
  - {name: period, kind: period, required: true}
  - {name: owner, kind: text, choices: {column: dues.owner}}
  - {name: least, kind: decimal}
columns: [id, owner, issued_on, amount, count]
criteria: issued_on within :period and owner = :owner and amount >= :least
---
kind: report
name: dues
query: dues
set: {least: "5"}
`

var duesSource = catalog.Source{Name: "navigation", Tables: []catalog.Table{{Name: "dues", Columns: []catalog.Column{
	{Name: "id", Type: catalog.Integer}, {Name: "owner", Type: catalog.Text, Nullable: true}, {Name: "issued_on", Type: catalog.Date, Encoding: catalog.EncDate}, {Name: "amount", Type: catalog.Decimal}, {Name: "count", Type: catalog.Integer},
}}}}

// checkedSchedule checks a schedule beside its report.
func checkedSchedule(t *testing.T, document string) diag.Problems {
	t.Helper()
	documents, problems := definition.Decode("", []byte(scheduled+"---\n"+document))
	if problems.Failed() {
		return problems
	}
	_, problems = definition.Check(documents, definition.Environment{Source: func(string) (*catalog.Source, *diag.Problem) { s := duesSource.Clone(); return &s, nil }, Zone: time.LoadLocation})
	return problems
}

// TestScheduleChecks: what is wrong with schedules, all at once, each at its place.
func TestScheduleChecks(t *testing.T) {
	const head = "kind: schedule\nname: s\nreport: dues\nset: {period: last week}\nwhen: every monday at 07:00\n"
	const mail = "deliver: [{mail: {to: office@navigation.example}}]\n"
	for _, c := range []struct{ document, want string }{
		{head + mail, ""},
		{head + "deliver:\n  - folder: {file: 'dues/{period.from}-{owner}-{due}-{due.time}-{schedule}-{report}.xlsx'}\n  - web: {url: 'https://ledger.example:8443/in?x=1', secret: ledger}\n  - keep: {as: weekly_dues, how: append, for: 2 years}\n  - mail: {to: [a@b.example, c@d.example], subject: '{period} of {owner}', format: pdf, file: 'dues-{period}'}\n", ""},
		{head + "each: {question: owner}\ndeliver: [{mail: {to: {by: owner, from: owners.email}}}]\nretry: {times: 0, over: 3 days}\nmissed: skip\nzone: Europe/London\nonly: count >= 1 and sum of amount > 5\n", ""},
		{"kind: schedule\nname: s\n", "when missing_field · deliver missing_field"},
		{strings.Replace(head, "report: dues\n", "", 1) + mail, "report missing_field"},
		{strings.Replace(head, "report: dues", "report: duties", 1) + mail, "report unknown_report"},
		{strings.Replace(head, "last week", "last week", 1) + "zone: Nowhere\n" + mail, "zone bad_calendar"},
		{strings.Replace(head, "monday at", "mondy at", 1) + mail, "when not_understood"},
		{strings.Replace(head, "set: {period: last week}", "set: {perid: last week, least: '4'}", 1) + mail, "set.least answered_already · set.perid unknown_question"},
		{head + "each: {question: period}\n" + mail, "each.question answered_already"},
		{head + "each: {question: ownr}\n" + mail, "each.question unknown_question"},
		{strings.Replace(head, "set: {period: last week}\n", "each: {question: period}\n", 1) + mail, "each.question no_choices"},
		{head + "only: amount > 5\n" + mail, "only no_totals"},
		{head + "only: sum of amont > 5\n" + mail, "only unknown_column"},
		{head + "only: count >= 1 and\n" + mail, "only unexpected"},
		{head + "only: sum of amount\n" + mail, "only type_mismatch"},
		{head + "missed: twice\n" + mail, "missed unknown_word"},
		{head + "retry: {times: -1, over: 2 fortnights}\n" + mail, "retry.times bad_retry · retry.over bad_retry"},
		{head + "retry: {times: 51, over: 8 days}\n" + mail, "retry.times bad_retry · retry.over bad_retry"},
		{head + "deliver: [{}, {folder: {file: dues/a.csv}, keep: {as: a}}]\n", "deliver[0] one_way · deliver[1] one_way"},
		{head + "deliver: [{folder: {file: a.csv}}, {folder: {file: dues/a.txt}}, {folder: {file: dues/../a.csv}}, {folder: {file: 'dues/.hidden/a.csv'}}, {folder: {file: 'dues//a.csv'}}, {folder: {file: '/dues/a.csv'}}]\n", strings.Repeat("· deliver[N].folder.file bad_path ", 6)},
		{head + "deliver: [{folder: {file: 'dues/{when}-{period.middle}-{owner.from}.csv'}}, {folder: {file: 'dues/{period.csv'}}]\n", "deliver[0].folder.file unknown_placeholder · deliver[0].folder.file unknown_placeholder · deliver[0].folder.file unknown_placeholder · deliver[1].folder.file bad_name"},
		{head + "deliver: [{mail: {to: [office, 'Ada <a@b.example>', \"a@b.example\\nBcc: x@y.example\"]}}]\n", strings.Repeat("· deliver[0].mail.to bad_address ", 3)},
		{head + "deliver: [{mail: {to: a@b.example, file: x}}, {mail: {to: a@b.example, subject: \"a\\nb\"}}, {mail: {to: a@b.example, format: doc}}]\n", "deliver[2].mail.format unknown_word"},
		{head + "deliver: [{mail: {to: a@b.example, file: x}}, {mail: {to: a@b.example, subject: \"a\\nb\"}}]\n", "deliver[0].mail.file missing_field · deliver[1].mail.subject bad_name"},
		{head + "deliver: [{mail: {to: {by: owner, from: email}}}]\n", "deliver[0].mail.to.by not_each · deliver[0].mail.to.from unknown_column"},
		{head + "deliver: [{web: {url: ledger.example, secret: l}}, {web: {url: 'https://a:b@ledger.example/', secret: l}}, {web: {url: 'ftp://ledger.example/', secret: l}}]\n", strings.Repeat("· deliver[N].web.url bad_url ", 3)},
		{head + "deliver: [{keep: {as: Weekly Dues, for: ever, how: somehow}}]\n", "deliver[0].keep.how unknown_word"},
		{head + "deliver: [{keep: {as: Weekly Dues, for: ever}}]\n", "deliver[0].keep.as bad_name · deliver[0].keep.for bad_length"},
	} {
		var got []string
		for _, p := range checkedSchedule(t, c.document) {
			field := strings.TrimPrefix(p.Field, "schedule s: ")
			if strings.Contains(c.want, "[N]") {
				field = "deliver[N]" + field[strings.IndexByte(field, ']')+1:]
			}
			assert.NotEmpty(t, p.Hint+p.Message)
			got = append(got, field+" "+p.Code)
		}
		assert.Equal(t, strings.TrimSpace(strings.TrimPrefix(c.want, "· ")), strings.Join(got, " · "), c.document)
	}
}

// TestScheduleOffline: without the service a report that is not beside it is a warning.
func TestScheduleOffline(t *testing.T) {
	documents, problems := definition.Decode("", []byte("kind: schedule\nname: s\nreport: dues\nwhen: every monday at 07:00\ndeliver: [{mail: {to: a@b.example}}]\n"))
	require.Empty(t, problems)
	_, problems = definition.Check(documents, definition.Environment{})
	require.Len(t, problems, 1)
	assert.Equal(t, diag.Warning, problems[0].Severity)
	assert.Equal(t, []string{"report dues"}, definition.Uses(documents[0]))
}

// TestPlaces: what a delivery needs the right for.
func TestPlaces(t *testing.T) {
	for _, c := range []struct {
		delivery definition.Delivery
		way      string
		format   string
		places   []string
	}{
		{definition.Delivery{Folder: definition.FolderDelivery{File: "dues/a/{due}.xlsx"}}, "folder", "xlsx", []string{"folder:dues"}},
		{definition.Delivery{Mail: definition.MailDelivery{To: definition.Recipients{Texts: []string{"a@X.example", "b@x.example", "c@y.example"}}, Format: "pdf"}}, "mail", "pdf", []string{"mail:x.example", "mail:y.example"}},
		{definition.Delivery{Mail: definition.MailDelivery{To: definition.Recipients{By: "owner", From: "owners.email"}}}, "mail", "", []string{"mail:*"}},
		{definition.Delivery{Web: definition.WebDelivery{URL: "https://Ledger.example:81/in"}}, "web", "json", []string{"web:ledger.example:81"}},
		{definition.Delivery{Keep: definition.KeepDelivery{As: "a"}}, "keep", "parquet", []string{"keep"}},
		{definition.Delivery{}, "", "", nil},
	} {
		assert.Equal(t, c.way, c.delivery.Way())
		assert.Equal(t, c.format, c.delivery.Format())
		assert.Equal(t, c.places, c.delivery.Places())
	}
}

// FuzzFilePart: a value in the name of a file is one part of a path, whatever it is.
func FuzzFilePart(f *testing.F) {
	for _, seed := range []string{"", "Zoë & Söhne", "../../etc/passwd", "a/b\\c:d", ".hidden", "\x00\n\t", strings.Repeat("ä", 500), "con", "\u202etxt.exe", "\xff\xfe"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, value string) {
		part := definition.FilePart(value)
		if part == "" || len(part) > 120 || strings.HasPrefix(part, ".") || strings.ContainsAny(part, "/\\:\x00\n\r") || !utf8.ValidString(part) || strings.ContainsFunc(part, func(r rune) bool { return !unicode.IsPrint(r) }) {
			t.Fatalf("%q became %q", value, part)
		}
		if definition.FilePart(part) != part {
			t.Fatalf("%q is made another time", part)
		}
	})
}

// TestFilePath: names that are too long are shortened, and keep their ending.
func TestFilePath(t *testing.T) {
	assert.Equal(t, "dues/a.csv", definition.FilePath("dues/a.csv"))
	long := definition.FilePath("dues/" + strings.Repeat("ä", 150) + "/" + strings.Repeat("b", 300) + ".xlsx")
	for _, part := range strings.Split(long, "/") {
		assert.LessOrEqual(t, len(part), 200)
		assert.True(t, utf8.ValidString(part))
	}
	assert.True(t, strings.HasSuffix(long, "b.xlsx"))
}

// TestWriteSchedule: what is kept of a schedule made of a result reads as what it was made of.
func TestWriteSchedule(t *testing.T) {
	made := &definition.Schedule{
		Head: definition.Head{Kind: "schedule", Name: "dues", Title: "Dues: of \"last\" week # really"}, Report: "dues",
		Set: map[string]definition.Given{
			"a": definition.GivenOf(parameter.Typed("last week")), "b": definition.GivenOf(parameter.Typed("x: y", "- z", "true")), "c": definition.GivenOf(parameter.Input{None: true}), "d": {Start: "2026-03-01"}, "e": {Start: "2026-03-01", End: "2026-03-31"}, "f": definition.GivenOf(parameter.Typed("")),
		},
		When: definition.Text{Value: "every monday at 07:00"}, Zone: "Europe/London", Only: definition.Text{Value: "count >= 1"},
		Deliver: []definition.Delivery{{Mail: definition.MailDelivery{To: definition.Recipients{Texts: []string{"a@b.example"}}, Format: "csv"}}},
	}
	documents, problems := definition.Decode("", []byte(definition.WriteSchedule(made)))
	require.Empty(t, problems)
	read := documents[0].(*definition.Schedule)
	assert.Equal(t, made.Inputs(), read.Inputs())
	assert.Equal(t, made.Title, read.Title)
	assert.Equal(t, made.Deliver, read.Deliver)
	assert.Equal(t, []string{made.Report, made.When.Value, made.Zone, made.Only.Value}, []string{read.Report, read.When.Value, read.Zone, read.Only.Value})
	made.Report, made.Overview = "", "glance"
	documents, problems = definition.Decode("", []byte(definition.WriteSchedule(made)))
	require.Empty(t, problems)
	kind, name := documents[0].(*definition.Schedule).Runs()
	assert.Equal(t, []string{"overview", "glance"}, []string{kind, name})
}

// TestScheduleDifferences: what differs is said in words.
func TestScheduleDifferences(t *testing.T) {
	read := func(text string) definition.Document {
		documents, problems := definition.Decode("", []byte(text))
		require.Empty(t, problems)
		return documents[0]
	}
	before := read("kind: schedule\nname: s\nreport: dues\nset: {period: last week}\nwhen: every monday at 07:00\ndeliver:\n  - mail: {to: a@b.example, format: pdf}\n")
	after := read("kind: schedule\nname: s\nreport: dues\nset: {period: last month}\nwhen: every day at 07:00\ndeliver:\n  - mail: {to: a@b.example, format: csv}\n  - keep: {as: dues}\n")
	var words []string
	for _, d := range definition.Differences(before, after) {
		words = append(words, d.Words)
	}
	assert.Equal(t, []string{
		"The answer to “period” was “last week” and is now “last month”.", "The rule was “every monday at 07:00” and is now “every day at 07:00”.",
		"The format of the mail of the delivery “a@b.example” was “pdf” and is now “csv”.", "The delivery “dues” is new.",
	}, words)
}

// TestVerdict: conditions on totals, worked out.
func TestVerdict(t *testing.T) {
	documents, problems := definition.Decode("", []byte(scheduled))
	require.Empty(t, problems)
	set := definition.NewSet(documents, definition.Library{})
	source := duesSource.Clone()
	compiled, problems := set.Compile(documents[0].(*definition.Query), &source)
	require.Empty(t, problems)
	report := documents[1].(*definition.Report)
	number := func(text string) any { return decimal.RequireFromString(text) }
	for _, c := range []struct {
		text   string
		values []any
		holds  bool
	}{
		{"count >= 1", []any{number("1")}, true},
		{"count >= 1", []any{number("0")}, false},
		{"sum of amount > 1000", []any{number("1000.01")}, true},
		{"sum of amount > 1000", []any{nil}, false},
		{"sum of amount is blank", []any{nil}, true},
		{"not (sum of amount > 1000)", []any{nil}, false},                                                                // what is not known does not hold
		{"count >= 1 and count + 1 > 2 and sum of amount / 2 > 5", []any{number("2"), number("2"), number("5.5")}, true}, // of amount / 2
		{"sum of count > 5", []any{number("6")}, true},                                                                   // a column of that name
		{"count distinct of owner = 3 or average of amount between 1 and 2", []any{number("2"), number("1.5")}, true},
		{"greatest of issued_on within '2026'", []any{catalog.Stamp{At: civil.DateOf(2026, 3, 1).Midnight()}}, true},
	} {
		v, problems := compiled.Verdict(report, definition.Text{Value: c.text})
		require.Empty(t, problems, c.text)
		require.Len(t, v.Totals, len(c.values), c.text)
		assert.Equal(t, c.holds, v.Holds(c.values, civil.Calendar{Zone: time.UTC}), c.text)
	}
}

// TestVerdictNested: what an aggregate cannot be made of is told in the words of who wrote it.
func TestVerdictNested(t *testing.T) {
	documents, problems := definition.Decode("", []byte(scheduled))
	require.Empty(t, problems)
	source := duesSource.Clone()
	compiled, problems := definition.NewSet(documents, definition.Library{}).Compile(documents[0].(*definition.Query), &source)
	require.Empty(t, problems)
	const text = "count > 1 and greatest of amount - least of amount > 1"
	_, problems = compiled.Verdict(documents[1].(*definition.Report), definition.Text{Value: text})
	require.Len(t, problems, 1)
	p := problems[0]
	assert.NotContains(t, p.Message+p.Hint, "total_")
	assert.Equal(t, "greatest of amount - least of amount", text[p.Offset:p.Offset+p.Length])
	assert.Equal(t, "nested_aggregate An aggregate cannot be made of others.", p.Code+" "+p.Message)
}

// TestScheduleFormat: the rule is written in its one way.
func TestScheduleFormat(t *testing.T) {
	made, problems := definition.Format("", []byte("kind: schedule\nname: s\ndeliver:\n  - mail: {to: a@b.example}\nwhen: Every  Monday at 7:00 # early\nreport: dues\nonly: count>=1\n"))
	require.Empty(t, problems)
	assert.Equal(t, "kind: schedule\nname: s\nreport: dues\nwhen: every monday at 07:00 # early\nonly: count >= 1\ndeliver:\n  - mail: {to: a@b.example}\n", string(made))
}

// TestScheduleMentions: questions and columns that a schedule names get other names with those of the
// query, in answers, names of files and conditions.
func TestScheduleMentions(t *testing.T) {
	const text = "kind: schedule\nname: s\nreport: dues\nset: {period: last week}\nonly: count >= 1 and sum of amount > 5\neach: {question: owner}\nwhen: every monday at 07:00\ndeliver:\n  - folder: {file: 'dues/{period.from}-{owner}-{due}.csv'}\n  - mail: {to: {by: owner, from: owners.email}, subject: 'Dues {period}'}\n"
	documents, problems := definition.Decode("", []byte(text))
	require.Empty(t, problems)
	documents[0].(*definition.Schedule).Of("dues")
	renamed, changed, err := definition.Rewritten(documents[0], sqltext.Flavour{}, func(m definition.Mention) string {
		if m.Of != "query dues" {
			return m.Name
		}
		return map[string]string{"period": "days", "owner": "debtor", "amount": "paid"}[m.Name]
	})
	require.NoError(t, err)
	assert.Len(t, changed, 7)
	assert.Equal(t, strings.NewReplacer("{period: last", "{days: last", "sum of amount", "sum of paid", "question: owner", "question: debtor", "{period.from}-{owner}", "{days.from}-{debtor}", "by: owner", "by: debtor", "Dues {period}", "Dues {days}").Replace(text), renamed)
}
