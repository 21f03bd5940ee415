package plan

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/core/record"
)

// TestEmphasis: the first condition that holds of a record says how its values stand out, in
// the columns it is about.
func TestEmphasis(t *testing.T) {
	when := func(condition, as string, columns ...string) definition.Highlight {
		return definition.Highlight{When: definition.Text{Value: condition}, As: as, Columns: columns}
	}
	s := reported(t, &definition.Report{Emphasis: definition.Highlights{
		when("toll > 5", "bad", "toll"), when("place is blank or toll < 1", "quiet"), when("toll > 1", "strong", "toll", "place"),
	}})
	reader := s.NewReader(civil.UTC)
	for _, c := range []struct {
		row  []any
		want []record.Emphasis // of place and toll
	}{
		{[]any{"a", int64(600)}, []record.Emphasis{record.Strong, record.Bad}},
		{[]any{"a", int64(200)}, []record.Emphasis{record.Strong, record.Strong}},
		{[]any{"a", int64(100)}, []record.Emphasis{0, 0}},
		{[]any{nil, int64(600)}, []record.Emphasis{record.Quiet, record.Bad}},
		{[]any{nil, nil}, []record.Emphasis{record.Quiet, record.Quiet}},
		{[]any{"a", nil}, []record.Emphasis{0, 0}}, // what is unknown does not hold
	} {
		r := reader.Read(c.row)
		assert.Equal(t, c.want, []record.Emphasis{r[0].Emphasis, r[1].Emphasis}, "%v", c.row)
	}
}
