package parameter

import (
	"bytes"
	"encoding/json"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"
)

// Inputs are what was given as answers, by question.
type Inputs map[string]Input

// Input is what a person typed for one question: texts, or for a period also
// a start and an end of its own. With nothing in it, the question is left to its
// default; where there are only blank texts, or None, it is answered by nothing.
//
// As JSON it is a text, a number, yes or no as true or false, a list of them, or
// {"start": …, "end": …}; null leaves the question to its default, and an empty
// list is None.
type Input struct {
	Texts      []string
	Start, End *string
	None       bool
	// misshapen is JSON of another shape; Read tells of it.
	misshapen json.RawMessage
}

// Typed is an input of texts.
func Typed(texts ...string) Input { return Input{Texts: texts} }

// MarshalJSON writes the input as it is read.
func (in Input) MarshalJSON() ([]byte, error) {
	switch {
	case in.misshapen != nil:
		return in.misshapen, nil
	case in.Start != nil || in.End != nil:
		return json.Marshal(struct {
			Start *string `json:"start,omitempty"`
			End   *string `json:"end,omitempty"`
		}{in.Start, in.End})
	case len(in.Texts) == 1:
		return json.Marshal(in.Texts[0])
	case len(in.Texts) > 1:
		return json.Marshal(in.Texts)
	case in.None:
		return []byte("[]"), nil
	}
	return []byte("null"), nil
}

// UnmarshalJSON takes any JSON and keeps every digit of a number.
func (in *Input) UnmarshalJSON(b []byte) error {
	d := json.NewDecoder(bytes.NewReader(b))
	d.UseNumber()
	var v any
	if err := d.Decode(&v); err != nil {
		return err
	}
	made, ok := inputOf(v)
	if !ok {
		made = Input{misshapen: bytes.Clone(b)}
	}
	*in = made
	return nil
}

func inputOf(v any) (in Input, ok bool) {
	switch v := v.(type) {
	case []any:
		in.None = len(v) == 0
		for _, item := range v {
			text, ok := scalar(item)
			if !ok || text == nil {
				return in, false
			}
			in.Texts = append(in.Texts, *text)
		}
		return in, true
	case map[string]any:
		var ok1, ok2 bool
		in.Start, ok1 = scalar(v["start"])
		in.End, ok2 = scalar(v["end"])
		for key := range v {
			if key != "start" && key != "end" {
				return in, false
			}
		}
		return in, ok1 && ok2
	}
	text, ok := scalar(v)
	if ok && text != nil {
		in.Texts = []string{*text}
	}
	return in, ok
}

// maxZeros is how many zeros a number may stand for by its exponent.
const maxZeros = 40

// scalar is one answer as a text; nil for null.
func scalar(v any) (*string, bool) {
	text := ""
	switch v := v.(type) {
	case nil:
		return nil, true
	case string:
		text = v
	case bool:
		text = strconv.FormatBool(v)
	case json.Number: // 1e6 is a number too
		d, err := decimal.NewFromString(v.String())
		if err != nil || d.Exponent() > maxZeros || d.Exponent() < -maxZeros {
			return nil, false
		}
		text = d.String()
	default:
		return nil, false
	}
	return &text, true
}

// blankless takes blanks off both ends and blank answers away.
func (in Input) blankless() Input {
	var out Input
	for _, t := range in.Texts {
		if t = strings.TrimSpace(t); t != "" {
			out.Texts = append(out.Texts, t)
		}
	}
	trim := func(s *string) *string {
		if s == nil || strings.TrimSpace(*s) == "" {
			return nil
		}
		t := strings.TrimSpace(*s)
		return &t
	}
	out.Start, out.End = trim(in.Start), trim(in.End)
	out.None = out.blank() && (in.None || in.Texts != nil || in.Start != nil || in.End != nil)
	return out
}

func (in Input) blank() bool { return len(in.Texts) == 0 && in.Start == nil && in.End == nil }
