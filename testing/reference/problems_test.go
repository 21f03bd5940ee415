package reference

import (
	_ "embed"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v4"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/recurrence"
	"pikegate/internal/api"
	"pikegate/internal/identity"
	"pikegate/internal/service"
	"pikegate/internal/wire"
	"pikegate/testing/demonstration"
)

var update = flag.Bool("update", false, "write docs/problems.md anew")

//go:embed examples.yaml
var examples []byte

// example is what brings a problem about; one of the fields is filled.
type example struct {
	Period    *string        `yaml:"period"`
	Rule      string         `yaml:"rule"`
	Criteria  string         `yaml:"criteria"`
	Query     map[string]any `yaml:"query"`
	Documents string         `yaml:"documents"`
	Question  map[string]any `yaml:"question"`
	Answer    any            `yaml:"answer"`
	Request   string         `yaml:"request"`
	// As is who sends the request to a service that has users: nobody, reader, author
	// or administrator; blank is whoever reaches one that has none.
	As   string `yaml:"as"`
	When string `yaml:"when"`
	// Do is what to do, where no sentence of the code says it.
	Do string `yaml:"do"`
}

var calendar = civil.Calendar{Zone: time.UTC, Now: civil.Instant(civil.DateOf(2026, 3, 18).Midnight()), WeekStart: time.Monday, FiscalStart: 4}

// outcomes are the codes of files that broke off, which stand for how the run ended.
var outcomes = []Found{{Code: "refused"}, {Code: "failed"}, {Code: "cancelled"}, {Code: "stopped"}}

// TestProblems writes docs/problems.md from the code and the examples, and
// compares: every code has an example, which brings it about, and a way out.
func TestProblems(t *testing.T) {
	collected, err := Collect("../..", "core", "internal", "cmd")
	require.NoError(t, err)
	found := map[string]Found{}
	for _, f := range append(collected, outcomes...) {
		found[f.Code] = f
	}
	var sections yaml.Node
	require.NoError(t, yaml.Unmarshal(examples, &sections))
	var page strings.Builder
	page.WriteString(intro)
	s := serve(t)
	s.people = closed(t)
	for i := 0; i < len(sections.Content[0].Content); i += 2 {
		fmt.Fprintf(&page, "\n## %s\n", sections.Content[0].Content[i].Value)
		codes := sections.Content[0].Content[i+1].Content
		for j := 0; j < len(codes); j += 2 {
			var e example
			require.NoError(t, codes[j+1].Decode(&e))
			code := codes[j].Value
			f, known := found[code]
			assert.True(t, known, "%s is no code of the product", code)
			delete(found, code)
			entry(t, &page, f, e, s)
		}
	}
	for code, f := range found {
		t.Errorf("%s (%s) has no example in examples.yaml", code, f.Package)
	}
	const path = "../../docs/problems.md"
	if *update {
		require.NoError(t, os.WriteFile(path, []byte(page.String()), 0o644))
	}
	kept, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.True(t, string(kept) == page.String(), "docs/problems.md is not what the code says; run make golden")
}

const intro = `# Problems

Every problem has a code that stays the same, a sentence and, where there is one, a way out. The command-line client prints the code in brackets behind the sentence, the service gives it as ` + "`code`" + ` in a problem document, and a mark in the console has it too. This page is made from the code of Pike Gate by ` + "`make golden`" + `: each example was tried, and what is quoted is what came back. In the sentences, ‹words› stand for what differs.
`

// entry writes what there is about a code.
func entry(t *testing.T, page *strings.Builder, f Found, e example, s *served) {
	fmt.Fprintf(page, "\n### `%s`\n\n", f.Code)
	problems, shown := e.try(t, s)
	way := e.Do != ""
	if e.When != "" {
		page.WriteString(e.When + "\n")
	} else {
		var problem *diag.Problem
		for i := range problems {
			if problems[i].Code == f.Code {
				problem = &problems[i]
				break
			}
		}
		if !assert.NotNil(t, problem, "the example of %s gives %v", f.Code, problems) {
			return
		}
		way = way || problem.Hint != ""
		fmt.Fprintf(page, "%s\n\n> %s\n", shown, strings.TrimSpace(problem.Message+" "+problem.Hint))
	}
	if e.Do != "" {
		page.WriteString("\n" + e.Do + "\n")
	}
	lines := ""
	for _, said := range f.Sayings {
		way = way || said.Hint != ""
		if e.When != "" || len(f.Sayings) > 1 {
			lines += "- " + strings.TrimSpace(said.Message+" "+said.Hint) + "\n"
		}
	}
	if lines != "" {
		page.WriteString("\n" + lines)
	}
	assert.True(t, way, "%s does not say what to do: give its problem a hint, or its example do", f.Code)
}

// try brings the problem about, and shows how.
func (e example) try(t *testing.T, s *served) (diag.Problems, string) {
	switch {
	case e.Period != nil:
		_, problems := period.Read(*e.Period, calendar)
		return problems, "The period " + quoted(*e.Period) + ":"
	case e.Rule != "":
		_, problems := recurrence.Parse(e.Rule)
		return problems, "The rule " + quoted(e.Rule) + ":"
	case e.Criteria != "":
		return check(t, s, query(t, map[string]any{"criteria": e.Criteria})), "The criteria " + quoted(e.Criteria) + ":"
	case e.Query != nil:
		return check(t, s, query(t, e.Query)), "A query with\n\n" + fenced(written(t, e.Query)) + "\nsays:"
	case e.Documents != "":
		return check(t, s, e.Documents), "The definition\n\n" + fenced(e.Documents) + "\nsays:"
	case e.Question != nil:
		of := map[string]any{"name": "answer"}
		for field, value := range e.Question {
			of[field] = value
		}
		documents, problems := definition.Decode("", []byte(query(t, map[string]any{"parameters": []any{of}})))
		require.Empty(t, problems, e.Question)
		q := documents[0].(*definition.Query).Parameters[0].Parameter()
		_, problems = parameter.Read([]parameter.Parameter{q}, nil, parameter.Inputs{"answer": input(e.Answer)}, parameter.Context{Calendar: calendar})
		return problems, "The question " + quoted(flow(t, e.Question)) + ", answered by " + quoted(flow(t, e.Answer)) + ":"
	case e.Request != "":
		whose := map[string]string{"": "", "nobody": ", without signing in", "reader": ", sent by a reader", "author": ", sent by an author who may draft in dues", "administrator": ", sent by an administrator"}[e.As]
		return request(t, s, e.As, e.Request), quoted(e.Request) + whose + ":"
	}
	require.NotEmpty(t, e.When)
	return nil, ""
}

// query is a query on the demonstration's passages, with some fields instead.
func query(t *testing.T, with map[string]any) string {
	q := map[string]any{
		"kind": "query", "name": "example", "source": "navigation", "from": "passages", "columns": []any{"passages.id"},
		"joins": []any{
			map[string]any{"table": "locks", "on": "passages.lock_id = locks.id"},
			map[string]any{"table": "vessels", "on": "passages.vessel_id = vessels.id"},
			map[string]any{"table": "maintenance_jobs", "on": "maintenance_jobs.lock_id = locks.id"},
		},
		"parameters": []any{
			map[string]any{"name": "period", "kind": "period", "required": true},
			map[string]any{"name": "locks", "kind": "text", "many": true},
			map[string]any{"name": "n", "kind": "integer"},
		},
	}
	for field, value := range with {
		q[field] = value
	}
	if with["sql"] != nil {
		delete(q, "from")
		delete(q, "joins")
	}
	return written(t, q)
}

func written(t *testing.T, v any) string {
	text, err := yaml.Marshal(v)
	require.NoError(t, err)
	return string(text)
}

// flow is YAML on one line.
func flow(t *testing.T, v any) string {
	var node yaml.Node
	require.NoError(t, node.Encode(v))
	node.Style |= yaml.FlowStyle
	return strings.ReplaceAll(strings.TrimSpace(written(t, &node)), "\n", " ")
}

func quoted(text string) string {
	if text == "" {
		return "that is empty"
	}
	return "`" + text + "`"
}

func fenced(text string) string { return "```yaml\n" + strings.TrimSpace(text) + "\n```\n" }

func input(answer any) parameter.Input {
	text := func(v any) *string {
		if v == nil {
			return nil
		}
		s := fmt.Sprint(v)
		if at, ok := v.(time.Time); ok {
			s = at.Format(time.DateOnly)
		}
		return &s
	}
	switch answer := answer.(type) {
	case []any:
		var in parameter.Input
		for _, one := range answer {
			in.Texts = append(in.Texts, *text(one))
		}
		return in
	case map[string]any:
		in := parameter.Input{Start: text(answer["start"]), End: text(answer["end"])}
		if one := text(answer["text"]); one != nil {
			in.Texts = []string{*one}
		}
		return in
	}
	return parameter.Input{Texts: []string{*text(answer)}}
}

// served is a service on the demonstration, and who is signed in to one with users.
type served struct {
	*httptest.Server
	service *service.Service
	cookies map[string]string
	people  *served
}

// closed starts a service that has a reader, an author with the right to draft in
// dues, and an administrator.
func closed(t *testing.T) *served {
	s := serve(t)
	s.cookies = map[string]string{"nobody": ""}
	made, err := s.service.AddUserHere(t.Context(), wire.User{Name: "ada", Role: identity.Administrator})
	require.NoError(t, err)
	join := func(link, name, as string) {
		_, secret, _ := strings.Cut(link, "/#/welcome/")
		const password = "nine barges at the lock"
		require.NoError(t, s.service.People.SetPassword(t.Context(), secret, password, ""))
		session, err := s.service.People.SignIn(t.Context(), identity.Attempt{Name: name, Password: password})
		require.NoError(t, err)
		s.cookies[as] = "pikegate-session=" + session
	}
	join(made.Link, "ada", "administrator")
	session := strings.TrimPrefix(s.cookies["administrator"], "pikegate-session=")
	ada, err := s.service.People.BySession(t.Context(), session, "")
	require.NoError(t, err)
	for name, role := range map[string]string{"rita": "reader", "anna": "author"} {
		made, err := s.service.Invite(t.Context(), ada, wire.User{Name: name, Role: role})
		require.NoError(t, err)
		join(made.Link, name, role)
	}
	folder := "dues"
	require.NoError(t, s.service.Grant(t.Context(), ada, wire.Grant{Folder: &folder, Right: identity.Draft, User: "anna"}))
	return s
}

func TestMain(m *testing.M) { demonstration.Main(m) }

// serve starts the service on the demonstration.
func serve(t *testing.T) *served {
	kept := demonstration.Open(t, t.TempDir())
	log := slog.New(slog.DiscardHandler)
	s, err := service.New(t.Context(), service.Config{
		Store: kept, Engines: demonstration.Engines,
		Calendar: calendar, Now: time.Now, TimeLimit: time.Minute, Log: log,
	})
	require.NoError(t, err)
	web := httptest.NewServer(api.New(s, log, "test"))
	t.Cleanup(func() {
		web.Close()
		assert.NoError(t, s.Close())
		assert.NoError(t, kept.Close())
	})
	return &served{Server: web, service: s}
}

// check has the service check definitions.
func check(t *testing.T, s *served, documents string) diag.Problems {
	body, err := json.Marshal(map[string]string{"content": documents})
	require.NoError(t, err)
	return request(t, s, "", "POST /api/v1/definitions/check "+string(body))
}

// request sends a request and gives the problems it is answered with.
func request(t *testing.T, s *served, as, text string) diag.Problems {
	method, rest, _ := strings.Cut(text, " ")
	path, body, _ := strings.Cut(rest, " ")
	if as != "" {
		s = s.people
	}
	r, err := http.NewRequestWithContext(t.Context(), method, s.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	r.Header.Set("Cookie", s.cookies[as])
	r.Header.Set("Content-Type", "application/json")
	answer, err := s.Client().Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	content, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	var said struct{ Problems, Errors diag.Problems }
	require.NoError(t, json.Unmarshal(content, &said), string(content))
	return append(said.Problems, said.Errors...)
}
