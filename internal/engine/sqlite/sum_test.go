package sqlite_test

import (
	"database/sql"
	"fmt"
	"math"
	"math/rand/v2"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/engine"
	"pikegate/internal/engine/sqlite"
)

// TestDecimalSum: what decimal_sum gives is the sum of the decimals that numbers are written
// as, of all of them and of those in a window that moves; what is no number adds nothing.
func TestDecimalSum(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(1, 2))
	kinds := map[string]func() any{
		"whole":      func() any { return r.Int64N(2000) - 1000 },
		"very large": func() any { return math.MaxInt64 - r.Int64N(10) },
		"very small": func() any { return math.MinInt64 + r.Int64N(10) },
		"pence":      func() any { return float64(r.Int64N(200_000)-100_000) / 100 },
		"many places": func() any {
			return []float64{1.0 / 3, 1e-9, -2.5e17, 0.1 + 0.2, 1e300, 123456789.1234567, 5e-324}[r.IntN(7)]
		},
		"mixed": func() any {
			return []any{int64(7), 0.1, "text", nil, math.Inf(1), []byte("x"), 1.0 / 7, int64(math.MaxInt64), -0.000001, "12"}[r.IntN(10)]
		},
		"none": func() any { return []any{nil, "text", math.Inf(-1)}[r.IntN(3)] },
	}
	for name, value := range kinds {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "s.db")
			db, err := sql.Open("sqlite3", path)
			require.NoError(t, err)
			_, err = db.Exec("create table r (id integer primary key, x)")
			require.NoError(t, err)
			var values []any
			for i := range 200 {
				values = append(values, value())
				_, err = db.Exec("insert into r values (?, ?)", i, values[i])
				require.NoError(t, err)
			}
			require.NoError(t, db.Close())
			source, err := sqlite.Open(engine.Address{Name: "s", At: path})
			require.NoError(t, err)
			defer source.Close()
			rows, err := engine.Rows(t.Context(), source, "select decimal_sum(x) from r")
			require.NoError(t, err)
			assert.Equal(t, sumOf(values), said(rows[0][0]))
			rows, err = engine.Rows(t.Context(), source, "select decimal_sum(x) over (order by id rows between 3 preceding and 2 following) from r")
			require.NoError(t, err)
			for i := range values {
				require.Equal(t, sumOf(values[max(i-3, 0):min(i+3, len(values))]), said(rows[i][0]), "row %d", i)
			}
			rows, err = engine.Rows(t.Context(), source, "select decimal_sum(x) filter (where id < 0), typeof(decimal_sum(id)) from r")
			require.NoError(t, err)
			assert.Equal(t, []any{nil, "integer"}, rows[0])
		})
	}
}

// sumOf adds numbers up as they are written; "blank" where there are none.
func sumOf(values []any) string {
	sum, n := decimal.Decimal{}, 0
	for _, v := range values {
		text := ""
		switch v := v.(type) {
		case int64:
			text = strconv.FormatInt(v, 10)
		case float64:
			text = strconv.FormatFloat(v, 'f', -1, 64)
		}
		if d, err := decimal.NewFromString(text); err == nil {
			sum, n = sum.Add(d), n+1
		}
	}
	if n == 0 {
		return "blank"
	}
	return sum.String()
}

func said(v any) string {
	if v == nil {
		return "blank"
	}
	d, err := decimal.NewFromString(fmt.Sprint(v))
	if err != nil {
		return err.Error()
	}
	return d.String()
}
