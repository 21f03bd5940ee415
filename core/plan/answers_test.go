package plan_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/core/plan"
)

// TestEveryAnswerCounts: whichever questions are answered, what was answered
// restricts (the statement is another without it) and is named in words, or the
// run is refused; an answer is never dropped.
func TestEveryAnswerCounts(t *testing.T) {
	const questions = `
  - { name: low, kind: integer }
  - { name: high, kind: integer }
  - { name: from_day, kind: date }
  - { name: to_day, kind: date }
  - { name: period, kind: period, limits: { ends: open } }
  - { name: names, kind: text, many: true }
  - { name: word, kind: text, when_blank: match_blank }
  - { name: early, kind: yes-no, label: Early only }
`
	answers := map[string]string{"low": "11", "high": "77", "from_day": "2025-03-01", "to_day": "2025-03-30", "period": "2024", "names": "Harrow", "word": "Moss", "early": "yes"}
	said := map[string]string{"low": "11", "high": "77", "from_day": "Sat 1 Mar 2025", "to_day": "Sun 30 Mar 2025", "period": "Mon 1 Jan", "names": "Harrow", "word": "Moss", "early": "Early only: yes"}
	library := definition.Library{Criterion: func(name string) (*definition.Criterion, bool) {
		return &definition.Criterion{Head: definition.Head{Kind: "criterion", Name: name, Title: "In order"}, On: "passages", Criteria: definition.Text{Value: "toll_pence > :low or paid_on < :from_day"}}, name == "in_order"
	}}
	for _, text := range []string{
		"toll_pence between :low and :high",
		"toll_pence not between :low and :high",
		"not (toll_pence between :low and :high)",
		"passed_at between :from_day and :to_day",
		"passed_at between :from_day and '2026' or toll_pence > :high",
		"toll_pence in (:low, :high, 5)",
		"toll_pence not in (:low, :high)",
		"toll_pence > :low + :high",
		"locks.name in :names and (locks.name = :word or toll_pence < :low)",
		"concat(locks.name, :word) = 'a' and locks.name in :names",
		":early and passed_at within :period",
		"not :early or passed_at not within :period",
		"if(:early, toll_pence, 0) > :low",
		"meets in_order and :early",
		"span(passed_at, passed_at) overlaps :period and paid_on <= :to_day",
	} {
		var asked []string
		for name := range answers {
			if strings.Contains(text, ":"+name) || strings.Contains(text, "meets") && (name == "low" || name == "from_day") {
				asked = append(asked, name)
			}
		}
		var used strings.Builder
		for _, line := range strings.Split(strings.TrimSpace(questions), "\n") {
			for _, name := range asked {
				if strings.Contains(line, "name: "+name+",") {
					used.WriteString("  " + strings.TrimSpace(line) + "\n")
				}
			}
		}
		document := "kind: query\nname: q\nsource: navigation\nfrom: passages\njoins: [{ table: locks, on: passages.lock_id = locks.id }]\nparameters:\n" + used.String() + "columns: [passages.id]\ncriteria: \"" + text + "\"\n"
		documents, problems := definition.Decode("", []byte(document))
		require.Empty(t, problems, document)
		compiled, problems := definition.Compile(documents[0].(*definition.Query), &source, library)
		require.NoError(t, problems.Err(), text)
		bind := func(given []string) (sql, words string, refused bool) {
			in := map[string]parameter.Input{}
			for _, name := range given {
				in[name] = parameter.Input{Texts: []string{answers[name]}}
			}
			calendar := civil.Calendar{Zone: time.UTC, Now: 1767225600, WeekStart: time.Monday}
			values, problems := parameter.Read(compiled.Questions, nil, in, parameter.Context{Calendar: calendar})
			require.Empty(t, problems, text)
			statement, problems := plan.Planner{Query: compiled, Calendar: calendar}.Records(definition.View{}, values)
			for _, p := range problems {
				assert.Equal(t, "no_effect", p.Code, text)
				assert.Contains(t, given, p.Field, text)
				assert.NotEmpty(t, p.Hint, text)
			}
			for _, c := range statement.Where {
				words += c.Words + "; "
			}
			q := dialect.SQLite.Write(statement.Statement)
			return q.SQL + fmt.Sprint(q.Args), words, problems.Failed()
		}
		for subset := range 1 << len(asked) {
			var given []string
			for i, name := range asked {
				if subset&(1<<i) != 0 {
					given = append(given, name)
				}
			}
			sql, words, refused := bind(given)
			if refused {
				continue
			}
			for i, name := range given {
				assert.Contains(t, strings.ToLower(words), strings.ToLower(said[name]), "%s with %v", text, given)
				others := append(append([]string{}, given[:i]...), given[i+1:]...)
				without, _, _ := bind(others)
				if name == "early" {
					continue // yes, where yes is asked for, is true of every record
				}
				assert.NotEqual(t, without, sql, "%s: %s among %v changes nothing", text, name, given)
			}
		}
	}
}

// TestAnswersRefused: answers that a condition cannot be worked out with are problems of
// their questions.
func TestAnswersRefused(t *testing.T) {
	query := "kind: query\nname: q\nsource: navigation\nfrom: locks\nparameters: [{name: n, kind: integer}, {name: like, kind: text}]\ncolumns: [id]\n"
	for _, c := range []struct {
		criteria, n, like, code, field string
	}{
		{"first :n", "0", "", "bad_number", "n"},
		{"first :n by name", "-5", "", "bad_number", "n"},
		{"greatest :n of id", "1", "", "", ""},
		{"name matches :like", "", "*a*b*c*d*e*f*", "bad_text", "like"},
		{"name not matches :like ignoring case", "", "*a**********b*", "", ""},
		{"name matches :like", "", "plain", "", ""},
	} {
		documents, problems := definition.Decode("", []byte(query+"criteria: "+c.criteria+"\n"))
		require.Empty(t, problems)
		compiled, _ := definition.Compile(documents[0].(*definition.Query), &source, definition.Library{})
		in := parameter.Inputs{}
		if c.n != "" {
			in["n"] = parameter.Typed(c.n)
		}
		if c.like != "" {
			in["like"] = parameter.Typed(c.like)
		}
		values, problems := parameter.Read(compiled.Questions, nil, in, parameter.Context{Calendar: civil.Calendar{Zone: time.UTC}})
		require.Empty(t, problems)
		_, problems = plan.Planner{Query: compiled, Calendar: civil.Calendar{Zone: time.UTC}}.Records(definition.View{}, values)
		if c.code == "" {
			require.Empty(t, problems, c.criteria)
			continue
		}
		require.Len(t, problems, 1, c.criteria)
		assert.Equal(t, []string{c.code, c.field}, []string{problems[0].Code, problems[0].Field}, c.criteria)
	}
}
