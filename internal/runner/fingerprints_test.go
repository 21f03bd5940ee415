package runner

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/catalog"
)

// TestSince holds what came and went, by fingerprints, against counting the
// records themselves.
func TestSince(t *testing.T) {
	values := []any{nil, int64(0), int64(1), 1.0, true, false, "", "1", "a", []byte("a"), []byte{}}
	random := rand.New(rand.NewPCG(1, 2))
	some := func() [][]any {
		rows := make([][]any, random.IntN(40))
		for i := range rows {
			rows[i] = []any{values[random.IntN(len(values))], values[random.IntN(len(values))]}
		}
		return rows
	}
	key := func(row []any) [2]any {
		var k [2]any
		for i, v := range row {
			if b, ok := v.([]byte); ok {
				v = [1]string{string(b)}
			}
			k[i] = v
		}
		return k
	}
	for round := range 2000 {
		then, now := some(), some()
		kept := newFingerprints(uint(round))
		counts := map[[2]any]int{}
		for _, row := range then {
			kept.see(row)
			counts[key(row)]++
		}
		since := newSince(uint(round), kept.list, 2)
		var came, want int64
		for _, row := range now {
			if since.came(append(row, "a key that was fetched besides")) {
				came++
			}
			if k := key(row); counts[k] > 0 {
				counts[k]--
			} else {
				want++
			}
		}
		left := int64(len(then)) - (int64(len(now)) - want)
		require.Equal(t, []int64{want, left}, []int64{came, since.went()}, "%v, then %v", then, now)
	}
}

// TestPrintsAreBounded: more records than are worth it leave none, and two runs'
// fingerprints of one record have nothing in common.
func TestPrintsAreBounded(t *testing.T) {
	p := newFingerprints(1)
	for i := range MaxFingerprints + 1 {
		p.see([]any{int64(i)})
	}
	assert.True(t, p.over)
	assert.Nil(t, p.list)
	assert.NotEqual(t, newFingerprints(1).of([]any{"a"}), newFingerprints(2).of([]any{"a"}))
}

// TestFingerprintOfTimes: a time that is given as a number has the fingerprint of its text.
func TestFingerprintOfTimes(t *testing.T) {
	for _, micros := range []int64{0, -1, 1_700_000_000_250_000, 1_700_000_000_000_000} {
		p := newFingerprints(7)
		local, instant := catalog.Micros(micros), catalog.InstantMicros(micros)
		assert.Equal(t, p.of([]any{string(local.AppendText(nil)), "x"}), p.of([]any{local, "x"}))
		assert.Equal(t, p.of([]any{string(instant.AppendText(nil)), "x"}), p.of([]any{instant, "x"}))
		assert.NotEqual(t, p.of([]any{local}), p.of([]any{instant}))
	}
}
