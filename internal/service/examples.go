package service

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/wire"
)

// examples runs the examples of a report.
func (s *Service) examples(ctx context.Context, r *definition.Report, set *definition.Set) []wire.ExampleResult {
	out := []wire.ExampleResult{}
	for i, example := range r.Examples {
		result := wire.ExampleResult{Report: r.Name, Number: i + 1}
		result.Kept, result.Words = s.example(ctx, r, example, set)
		out = append(out, result)
	}
	return out
}

func (s *Service) example(ctx context.Context, r *definition.Report, e definition.Example, set *definition.Set) (kept bool, words string) {
	request := Request{Report: r.Name, Inputs: parameter.Inputs{}, AsOf: e.AsOf}
	for name, given := range e.Ask {
		request.Inputs[name] = given.Input()
	}
	var found output.Summary
	job, err := s.jobOf(ctx, request, r, 0, set)
	if err == nil {
		ctx, stop := s.runner.Limited(ctx)
		defer stop()
		found, err = runner.Try(ctx, job)
	}
	var problems diag.Problems
	switch want := e.Expect; {
	case errors.As(err, &problems):
		codes := make([]string, len(problems))
		for i, p := range problems {
			codes[i] = p.Code
			kept = kept || p.Code == want.Refused
		}
		return kept, "The answers are refused (" + strings.Join(codes, ", ") + "): " + problems[0].Message
	case err != nil:
		return false, err.Error()
	case want.Refused != "":
		return false, fmt.Sprintf("The answers should be refused (%s); %s found.", want.Refused, output.Counted(found.Count, "record was", "records were"))
	default:
		var wrong []string
		for _, v := range []struct{ what, want, is string }{
			{"number of records", want.Rows, strconv.FormatInt(found.Count, 10)},
			{"first date", want.First, dayOrWhole(found.First, want.First)},
			{"last date", want.Last, dayOrWhole(found.Last, want.Last)},
		} {
			if v.want != "" && v.want != v.is {
				wrong = append(wrong, fmt.Sprintf("the %s should be %s and is %s", v.what, v.want, orNone(v.is)))
			}
		}
		if wrong != nil {
			words = strings.Join(wrong, "; ")
			return false, strings.ToUpper(words[:1]) + words[1:] + "."
		}
		words = output.Counted(found.Count, "record was found", "records were found")
		if found.First != "" {
			words += ", first " + found.First + ", last " + found.Last
		}
		return true, words + "."
	}
}

// dayOrWhole cuts a date to what was asked for: its day alone, perhaps.
func dayOrWhole(found, want string) string {
	if len(want) > 0 && len(found) > len(want) {
		return found[:len(want)]
	}
	return found
}

func orNone(text string) string {
	if text == "" {
		return "none"
	}
	return text
}
