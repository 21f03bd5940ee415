package engines

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/internal/api"
	"pikegate/internal/client"
	"pikegate/internal/config"
	"pikegate/internal/engine"
	"pikegate/internal/output"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
	"pikegate/testing/servers"
)

const definitions = `
kind: query
name: passages
source: business
from: passages
parameters: [{name: period, kind: period, required: true}]
columns: [id, passed_at, noted, amount, shown]
criteria: passed_at within :period
sort: [passed_at]
---
kind: report
name: passages
query: passages
---
kind: query
name: by-hand
source: business
sql: select noted, count(*) as n, sum(amount) as amount from passages p where criteria() and { p.noted <= :period.through } group by noted
tables: {p: passages}
parameters: [{name: period, kind: period, required: true}]
columns: [noted, n, amount]
criteria: p.passed_at within :period
sort: [noted]
---
kind: report
name: by-hand
query: by-hand
---
kind: query
name: invoices
source: business
from: billing.invoices
joins: [{table: passages, on: invoices.passage = passages.id}]
parameters:
  - {name: period, kind: period, required: true}
  - {name: number, kind: text, many: true, choices: {column: invoices.number}}
columns: [invoices.number, invoices.issued_on, passages.amount]
criteria: invoices.issued_on within :period and invoices.number in :number
sort: [invoices.number]
---
kind: report
name: invoices
query: invoices
---
kind: query
name: uninvoiced
source: business
from: passages
parameters: [{name: period, kind: period, required: true}]
columns: [id]
criteria: passed_at within :period and (no billing.invoices of passages where issued_on within :period)
sort: [id]
---
kind: report
name: uninvoiced
query: uninvoiced
`

// otherSchema is a table in a schema (of MySQL a database) that is not the login's
// own.
var otherSchema = map[string]string{
	"postgresql": "create schema billing; grant usage on schema billing to reader; create schema closed; create table closed.secrets (id int);",
	"mysql":      "create database billing; grant select on billing.* to reader@'127.0.0.1'; grant select on billing.* to reader@localhost; create database closed; create table closed.secrets (id int);",
}

const invoices = "create table billing.invoices (id int primary key, number varchar(20), issued_on date, passage bigint, foreign key (passage) references %spassages (id));" +
	"insert into billing.invoices values (1, 'TW-1', '2025-03-31', 2), (2, 'TW-2', '2025-03-31', 3), (3, 'TW-3', '2025-04-01', 3)"

// inAnotherSchema: its tables are named after it, and all that is done with tables
// works with them.
func inAnotherSchema(t *testing.T, c client.Client) {
	t.Helper()
	tables, err := c.Source(t.Context(), "business")
	require.NoError(t, err)
	assert.Equal(t, []string{"notes", "passages", "billing.invoices"}, tables.TableNames())
	table, _ := tables.Table("billing.invoices")
	assert.Equal(t, []any{"billing", []string{"id"}, "passages"}, []any{table.Schema, table.Key, table.References[0].Table})
	assert.NotEmpty(t, table.Indexes)
	extents, err := c.Extents(t.Context(), "business", "billing.invoices")
	require.NoError(t, err)
	assert.Equal(t, wire.ColumnExtent{Column: "issued_on", Earliest: "2025-03-31", Latest: "2025-04-01", Distinct: 2, Records: 3}, extents[2])
	answers := client.Run{Inputs: parameter.Inputs{"period": parameter.Typed("2025-03-31"), "number": parameter.Typed("TW-1", "TW-2")}}
	_, rows, err := c.Start(t.Context(), "invoices", answers, output.CSV)
	require.NoError(t, err)
	content, err := io.ReadAll(rows)
	require.NoError(t, err)
	assert.Equal(t, "number,issued_on,amount\r\nTW-1,2025-03-31,0.0001\r\nTW-2,2025-03-31,\r\n", string(content))
	choices, err := c.Choices(t.Context(), client.ReportAsker("invoices"), "number", "3", 10, client.Run{Inputs: parameter.Inputs{"period": parameter.Typed("2025")}})
	require.NoError(t, err)
	require.Len(t, choices, 1)
	assert.Equal(t, "TW-3", choices[0].Value)
	why, err := c.Why(t.Context(), "invoices", client.Run{Inputs: parameter.Inputs{"period": parameter.Typed("2024")}})
	require.NoError(t, err)
	assert.Equal(t, "invoices", why.Table)
	for _, name := range []string{"billing.invoices", "billing.invoices.issued_on"} {
		dependents, err := c.Dependents(t.Context(), name)
		require.NoError(t, err, name)
		assert.NotEmpty(t, dependents, name)
	}
	_, err = c.Explain(t.Context(), "invoices", true, answers)
	require.NoError(t, err)

	// Records of another table, in another schema, along its foreign key.
	_, rows, err = c.Start(t.Context(), "uninvoiced", client.Run{Inputs: parameter.Inputs{"period": parameter.Typed("2025-03-25/2025-03-31")}}, output.CSV)
	require.NoError(t, err)
	content, err = io.ReadAll(rows)
	require.NoError(t, err)
	assert.Equal(t, "id\r\n9007199254740993\r\n", string(content))
	why, err = c.Why(t.Context(), "uninvoiced", client.Run{Inputs: parameter.Inputs{"period": parameter.Typed("2025-03-31")}})
	require.NoError(t, err)
	assert.Equal(t, "No invoices where issued on on Mon 31 Mar 2025", strings.ToUpper(why.Conditions[1].Words[:1])+why.Conditions[1].Words[1:])
	dependents, err := c.Dependents(t.Context(), "billing.invoices.issued_on")
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(dependents), "uninvoiced")
}

// refusedWhere: what the database does not take has its place in the author's SQL.
func refusedWhere(t *testing.T, c client.Client) {
	t.Helper()
	for sql, piece := range map[string]string{
		"select id, amuont from passages where criteria()":                                   "amuont",
		"select id from passage where criteria()":                                            "passage",
		"select id, noted\nfrom passages\nwhere criteria() and nofed > :period.from as date": "nofed",
	} {
		text := "kind: query\nname: wrong\nsource: business\nsql: |\n  " + strings.ReplaceAll(sql, "\n", "\n  ") + "\ntables: {p: passages}\nparameters: [{name: period, kind: period, required: true}]\ncolumns: [id]\n"
		found, err := c.Check(t.Context(), text, false)
		require.NoError(t, err)
		at := slices.IndexFunc(found.Problems, func(p diag.Problem) bool { return p.Code == "sql_refused" })
		require.GreaterOrEqual(t, at, 0, "%v", found.Problems)
		p := found.Problems[at]
		assert.Equal(t, strings.Index(sql, piece), p.Offset, "%s: %s", sql, p.Message)
		assert.Equal(t, len(piece), p.Length, sql)
		assert.Equal(t, 5+strings.Count(sql[:strings.Index(sql, piece)], "\n"), p.Line, sql)
	}
}

// TestThroughTheService: a source is added with its password kept out of
// everything, reports run on it, and what breaks leaves a record that says so.
func TestThroughTheService(t *testing.T) {
	t.Parallel()
	makes := map[string]string{
		"postgresql": "create table passages (id bigint primary key, passed_at timestamptz not null, noted date not null, amount numeric(12, 4), shown jsonb); create index passages_passed_at on passages (passed_at); create table notes (id int primary key, passage bigint, foreign key (passage) references passages (id)); grant select on notes to reader;" +
			`insert into passages values (9007199254740993, '2025-03-30 00:30+00', '2025-03-30', 12345678.1250, '{"a": [1, "ä"]}'), (2, '2025-03-31 22:59:59.5+00', '2025-03-31', 0.0001, null), (3, '2025-03-31 23:00+00', '2025-04-01', null, '[]')`,
		"mysql": "create table passages (id bigint primary key, passed_at timestamp(3) not null default '2000-01-01', noted date not null, amount decimal(12, 4), shown json, key passages_passed_at (passed_at)); create table notes (id int primary key, passage bigint, foreign key (passage) references passages (id));" +
			`insert into passages values (9007199254740993, '2025-03-30 00:30', '2025-03-30', 12345678.1250, '{"a": [1, "ä"]}'), (2, '2025-03-31 22:59:59.5', '2025-03-31', 0.0001, null), (3, '2025-03-31 23:00', '2025-04-01', null, '[]')`,
	}
	for kind, k := range kinds {
		t.Run(kind, func(t *testing.T) {
			server, db := k.start(t)
			execute(t, db, makes[kind])
			execute(t, db, otherSchema[kind]+fmt.Sprintf(invoices, map[string]string{"mysql": servers.Database + "."}[kind]))
			if kind == "postgresql" {
				execute(t, db, "grant select on billing.invoices to reader")
			}
			folder := t.TempDir()
			path := filepath.Join(folder, "pikegate.db")
			kept, err := store.Open(path, nil)
			require.NoError(t, err)
			zone, err := time.LoadLocation("Europe/London")
			require.NoError(t, err)
			secrets := map[string]string{"business": "a-wrong-one-8842"}
			var log bytes.Buffer
			logger := slog.New(slog.NewTextHandler(&log, nil))
			s, err := service.New(t.Context(), service.Config{
				Store: kept, Engines: []engine.Engine{k.engine}, Calendar: civil.Calendar{Zone: zone, WeekStart: time.Monday},
				Now: time.Now, TimeLimit: time.Minute, Log: logger,
				Secret: func(name string) (string, bool) { v, ok := secrets[name]; return v, ok }, SecretVariable: config.SecretVariable,
			})
			require.NoError(t, err)
			web := httptest.NewServer(api.New(s, logger, "test"))
			defer func() {
				web.Close()
				assert.NoError(t, s.Close())
				assert.NoError(t, kept.Close())
			}()
			c := client.Client{Server: web.URL}
			info := wire.SourceInfo{Name: "business", Engine: kind, Address: server.Address, Database: servers.Database, User: servers.Reader}

			delete(secrets, "business") // none is not a wrong one
			_, err = c.AddSource(t.Context(), info, false)
			var refusal *client.Refusal
			require.ErrorAs(t, err, &refusal)
			require.Len(t, refusal.Problems, 1)
			assert.Equal(t, "no_secret", refusal.Problems[0].Code)
			assert.Contains(t, refusal.Problems[0].Message+refusal.Problems[0].Hint, "PIKEGATE_SECRET_BUSINESS")
			secrets["business"] = "a-wrong-one-8842"
			_, err = c.AddSource(t.Context(), info, false)
			require.Error(t, err)
			assert.Contains(t, err.Error(), "login")
			assert.NotContains(t, err.Error(), secrets["business"])
			secrets["business"] = servers.Password // changed without a restart
			tables, err := c.AddSource(t.Context(), info, false)
			require.NoError(t, err)
			table, ok := tables.Table("passages")
			require.True(t, ok)
			assert.Equal(t, []string{"id"}, table.Key)
			refusedWhere(t, c)

			// A login that a transaction which only reads does not keep from writing is
			// taken only where it is asked for; another place is not given the secret.
			boss := wire.SourceInfo{Name: "boss", Engine: kind, Address: server.Address, Database: servers.Database, User: k.admin}
			_, err = c.AddSource(t.Context(), boss, false)
			require.ErrorAs(t, err, &refusal)
			assert.Equal(t, "powerful_login", refusal.Problems[0].Code)
			boss.PowerfulLogin = true
			_, err = c.AddSource(t.Context(), boss, false)
			require.NoError(t, err)
			elsewhere := info
			elsewhere.Name, elsewhere.Address, elsewhere.Secret = "elsewhere", "127.0.0.1:1", "business"
			_, err = c.AddSource(t.Context(), elsewhere, false)
			require.ErrorAs(t, err, &refusal)
			assert.Equal(t, "secret_bound", refusal.Problems[0].Code)
			report, err := c.CheckSource(t.Context(), "business")
			require.NoError(t, err)
			assert.True(t, report.ReadOnly)
			extents, err := c.Extents(t.Context(), "business", "passages")
			require.NoError(t, err)
			assert.Equal(t, []wire.ColumnExtent{
				{Column: "id", Earliest: "2", Latest: "9007199254740993", Distinct: 3, Records: 3},
				{Column: "passed_at", Earliest: "2025-03-30T00:30:00+00:00", Latest: "2025-04-01T00:00:00+01:00", Distinct: 3, Records: 3},
				{Column: "noted", Earliest: "2025-03-30", Latest: "2025-04-01", Distinct: 3, Records: 3},
				{Column: "amount", Earliest: "0.0001", Latest: "12345678.1250", Distinct: 2, Blank: 1, Records: 3},
			}, extents[:4])
			first, err := c.FirstRows(t.Context(), "business", "passages", 2)
			require.NoError(t, err)
			assert.Len(t, first.Rows, 2)
			notes, _ := tables.Table("notes")
			require.Len(t, notes.References, 1)
			assert.Equal(t, []any{"passages", []string{"passage"}, []string{"id"}}, []any{notes.References[0].Table, notes.References[0].Columns, notes.References[0].To})

			_, err = c.Push(t.Context(), definitions, wire.Keeping{})
			require.NoError(t, err)
			for _, name := range []string{"passages", "by-hand", "invoices", "uninvoiced"} {
				_, err = c.Publish(t.Context(), name)
				require.NoError(t, err)
			}
			inAnotherSchema(t, c)
			run := func(name, words string, format output.Format) (string, wire.RunRecord) {
				id, rows, err := c.Start(t.Context(), name, client.Run{Inputs: parameter.Inputs{"period": parameter.Typed(words)}}, format)
				require.NoError(t, err)
				content, _ := io.ReadAll(rows)
				_ = rows.Close()
				record, err := c.RunRecord(t.Context(), id)
				require.NoError(t, err)
				return string(content), record
			}
			text, record := run("passages", "2025-03", output.CSV)
			shown := map[string]string{"postgresql": `"{""a"": [1, ""ä""]}"`, "mysql": `"{""a"": [1, ""ä""]}"`}[kind]
			assert.Equal(t, "id,passed_at,noted,amount,shown\r\n9007199254740993,2025-03-30T00:30:00+00:00,2025-03-30,12345678.125,"+shown+"\r\n2,2025-03-31T23:59:59.5+01:00,2025-03-31,0.0001,\r\n", text)
			assert.Equal(t, "done", record.Outcome)
			require.NotNil(t, record.Edges)
			assert.Equal(t, "2025-04-01T00:00:00+01:00", record.Edges.After)
			assert.True(t, record.Edges.NoBefore)
			// However it is written, what is told of a run is the same.
			for _, name := range []string{"passages", "by-hand", "invoices"} {
				_, want := run(name, "2025-03", output.JSON)
				for _, format := range []output.Format{output.CSV, output.JSONL, output.XML, output.XLSX} {
					_, got := run(name, "2025-03", format)
					assert.Equal(t, []any{want.Outcome, want.Count, want.First, want.Last, want.Edges, want.LeftOut}, []any{got.Outcome, got.Count, got.First, got.Last, got.Edges, got.LeftOut}, "%s as %s", name, format.Name)
					compared, err := c.Compare(t.Context(), want.Run, got.Run)
					require.NoError(t, err)
					for _, side := range []wire.Side{compared.Before, compared.After} {
						assert.Equal(t, &wire.Since{}, side.Since, "%s as %s: the fingerprints of its records differ", name, format.Name)
					}
				}
			}
			text, _ = run("by-hand", "2025-03", output.CSV)
			assert.Equal(t, "noted,n,amount\r\n2025-03-30,1,12345678.125\r\n2025-03-31,1,0.0001\r\n", text)
			why, err := c.Why(t.Context(), "passages", client.Run{Inputs: parameter.Inputs{"period": parameter.Typed("2025-03-29")}})
			require.NoError(t, err)
			assert.Equal(t, []any{int64(3), int64(0), "2025-03-30T00:30:00+00:00"}, []any{why.Records, why.Matches, why.Nearest[0].After})
			e, err := c.Explain(t.Context(), "passages", true, client.Run{Inputs: parameter.Inputs{"period": parameter.Typed("2025-03-30")}})
			require.NoError(t, err)
			require.NotEmpty(t, e.Plan.Advice)

			// A table that is gone between the check and the run.
			execute(t, db, "alter table passages rename to elsewhere")
			text, record = run("passages", "2025-03", output.JSON)
			assert.Equal(t, "failed", record.Outcome)
			assert.Contains(t, record.Problem, "passages")
			var end output.Summary
			require.NoError(t, json.Unmarshal([]byte(text), &end))
			assert.Equal(t, "failed", end.Outcome)
			_, err = c.Push(t.Context(), definitions, wire.Keeping{})
			require.Error(t, err, "the check sees it")
			execute(t, db, "alter table elsewhere rename to passages")
			execute(t, db, "alter table passages add column extra int")
			checked, err := c.Push(t.Context(), strings.ReplaceAll(definitions, "count(*) as n,", "count(*) as n, min(extra) as extra,"), wire.Keeping{})
			require.NoError(t, err)
			assert.Contains(t, checked.Warnings.Error(), "extra")

			// The server goes away, and comes back.
			server.Stop()
			_, record = run("passages", "2025-03", output.JSON)
			assert.Equal(t, "failed", record.Outcome)
			assert.Contains(t, record.Problem, "cannot be reached")
			server.Start(t)
			require.Eventually(t, func() bool { _, record := run("passages", "2025-03", output.JSON); return record.Outcome == "done" }, 20*time.Second, 100*time.Millisecond)

			// The password is nowhere.
			files, err := filepath.Glob(path + "*")
			require.NoError(t, err)
			for _, file := range files {
				content, err := os.ReadFile(file)
				require.NoError(t, err)
				assert.NotContains(t, string(content), servers.Password)
			}
			assert.NotContains(t, log.String(), servers.Password)
			assert.NotContains(t, log.String(), "a-wrong-one-8842")
		})
	}
}
