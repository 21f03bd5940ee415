package engine_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/internal/engine"
)

// TestComplain: the piece of a statement that a database complains of, by the
// place it gives or by what its message quotes.
func TestComplain(t *testing.T) {
	const sql = "select id, noted from passages where noted > 1 and nofed > 'é' and noted < 3"
	for _, c := range []struct {
		message  string
		position int
		at       string
		nth      int
	}{
		{`no such column: nofed`, 0, "nofed", 0},
		{`near "form": syntax error`, 0, "form", 0},
		{`no such table: main.passage`, 0, "main.passage", 0},
		{`ambiguous column name: p.id`, 0, "p.id", 0},
		{`Unknown column 'nofed' in 'WHERE'`, 0, "nofed", 0},
		{`Table 'business.passage' doesn't exist`, 0, "passage", 0},
		{`You have an error in your SQL syntax; check the manual for the right syntax to use near 'form passages where' at line 1`, 0, "form", 0},
		{`column "nofed" does not exist`, 52, "nofed", 0},
		{`column "noted" is of another type`, 68, "noted", 2},
		{`something else`, 0, "", 0},
		{`a place beyond the end`, 900, "", 0},
	} {
		err := engine.Complain(&engine.Failure{Code: engine.Refused, Message: c.message}, sql, c.position)
		var f *engine.Failure
		assert.True(t, errors.As(err, &f))
		assert.Equal(t, c.at, f.At, c.message)
		assert.Equal(t, c.nth, f.Nth, c.message)
	}
	other := errors.New("no failure of a source")
	assert.Equal(t, other, engine.Complain(other, sql, 5))
}
