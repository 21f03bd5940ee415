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
	"pikegate/core/parameter"
	"pikegate/core/plan"
)

// TestReach: what every record that is returned has in common is told, in the column's own
// time, and nothing where that does not follow from the conditions.
func TestReach(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	calendar := civil.Calendar{Zone: london, Now: civil.InstantOf(civil.DateOf(2026, 3, 18).Midnight(), london)}
	for criteria, want := range map[string]string{
		"paid_on within '2025-03'":                                     "passages.paid_on [2025-03-01T00:00:00, 2025-04-01T00:00:00)",
		"passed_at within '2025-07'":                                   "passages.passed_at [2025-06-30T23:00:00, 2025-07-31T23:00:00)",
		"paid_on >= '2025-03-05'":                                      "passages.paid_on [2025-03-05T00:00:00, …)",
		"paid_on < '2025-03-05' and toll_pence > 3":                    "passages.paid_on […, 2025-03-05T00:00:00)",
		"paid_on within '2025-03' or paid_on is blank":                 "passages.paid_on [2025-03-01T00:00:00, 2025-04-01T00:00:00) or blank",
		"paid_on is blank or paid_on within '2025-03'":                 "passages.paid_on [2025-03-01T00:00:00, 2025-04-01T00:00:00) or blank",
		"paid_on within '2025-03' or toll_pence > 3":                   "",
		"paid_on within '2025-03' or paid_on within '2025-05'":         "",
		"not paid_on within '2025-03'":                                 "",
		"paid_on is not blank or paid_on within '2025-03'":             "",
		"passed_at is blank or paid_on within '2025-03'":               "",
		"surveys.held_on within '2025-03'":                             "surveys.held_on [2025-03-01T00:00:00, 2025-04-01T00:00:00)",
		"surveys.held_on within '2025-03' or surveys.held_on is blank": "", // a record without a survey is blank there
		"paid_on within '2025-03' and any surveys as other where other.id = passages.id and other.held_on < '2020-01-01'": "passages.paid_on [2025-03-01T00:00:00, 2025-04-01T00:00:00)",
		"month of paid_on = '2025-03'": "passages.paid_on [2025-03-01T00:00:00, 2025-04-01T00:00:00)",
	} {
		documents, problems := definition.Decode("", []byte("kind: query\nname: q\nsource: s\nfrom: passages\njoins:\n  - {table: surveys, on: passages.id = surveys.id, optional: true}\ncolumns: [toll_pence]\ncriteria: \""+criteria+"\"\n"))
		require.Empty(t, problems)
		compiled, problems := definition.Compile(documents[0].(*definition.Query), &source, definition.Library{Calendar: &calendar})
		require.NoError(t, problems.Err(), criteria)
		values, problems := parameter.Read(nil, nil, nil, parameter.Context{Calendar: calendar})
		require.Empty(t, problems)
		s, problems := plan.Planner{Query: compiled, Calendar: calendar}.Records(definition.View{}, values)
		require.NoError(t, problems.Err())
		var got []string
		for _, r := range s.Reach {
			from, until, blank := "…", "…", ""
			if r.From != civil.Start {
				from = r.From.String()
			}
			if r.Until != civil.End {
				until = r.Until.String()
			}
			if r.Blank {
				blank = " or blank"
			}
			got = append(got, fmt.Sprintf("%s.%s [%s, %s)%s", r.Table, r.Column.Name, from, until, blank))
		}
		assert.Equal(t, want, strings.Join(got, "; "), criteria)
	}
}
