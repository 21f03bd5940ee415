package parameter_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/parameter"
)

// TestInputShapes: answers as JSON, what they are written back as, and the
// problem that one of no such shape is.
func TestInputShapes(t *testing.T) {
	day := "2026-03-01"
	for given, want := range map[string]struct {
		in      parameter.Input
		written string
		code    string
	}{
		`"up"`:                              {in: parameter.Typed("up")},
		`["up","down"]`:                     {in: parameter.Typed("up", "down")},
		`["up"]`:                            {in: parameter.Typed("up"), written: `"up"`},
		`[]`:                                {in: parameter.Input{None: true}},
		`null`:                              {},
		`""`:                                {in: parameter.Typed("")},
		`5`:                                 {in: parameter.Typed("5"), written: `"5"`},
		`1e6`:                               {in: parameter.Typed("1000000"), written: `"1000000"`},
		`12345678901234567890.12`:           {in: parameter.Typed("12345678901234567890.12"), written: `"12345678901234567890.12"`},
		`true`:                              {in: parameter.Typed("true"), written: `"true"`},
		`[1,"b",false]`:                     {in: parameter.Typed("1", "b", "false"), written: `["1","b","false"]`},
		`{"start":"2026-03-01"}`:            {in: parameter.Input{Start: &day}},
		`{"start":null,"end":"2026-03-01"}`: {in: parameter.Input{End: &day}, written: `{"end":"2026-03-01"}`},
		`{}`:                                {written: `null`},
		`1e99`:                              {code: "wrong_shape"},
		`[["up"]]`:                          {code: "wrong_shape"},
		`[null]`:                            {code: "wrong_shape"},
		`{"begin":"2026"}`:                  {code: "wrong_shape"},
		`{"start":["2026"]}`:                {code: "wrong_shape"},
	} {
		var in parameter.Input
		require.NoError(t, json.Unmarshal([]byte(given), &in), given)
		if want.code == "" {
			assert.Equal(t, want.in, in, given)
		}
		if want.written == "" {
			want.written = given
		}
		written, err := json.Marshal(in)
		require.NoError(t, err)
		assert.JSONEq(t, want.written, string(written), given)
		_, problems := parameter.Parameter{Name: "q", Kind: parameter.Text, Many: true}.Read(in, parameter.Context{})
		if want.code != "" {
			require.Len(t, problems, 1, given)
			assert.Equal(t, want.code, problems[0].Code, given)
		}
	}
}

// FuzzInput: any JSON is taken, and what is written of it reads back the same.
func FuzzInput(f *testing.F) {
	for _, seed := range []string{`"a"`, `[1, 2.50, true]`, `{"start": "a", "end": null}`, `{"x": {}}`, `1E+2`, `-0.0`} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		var in, again parameter.Input
		if json.Unmarshal([]byte(text), &in) != nil {
			t.Skip("no JSON")
		}
		written, err := json.Marshal(in)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(written, &again))
		twice, err := json.Marshal(again)
		require.NoError(t, err)
		assert.Equal(t, string(written), string(twice))
	})
}
