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
	"pikegate/core/plan"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/wire"
)

// examples runs the examples of a report.
// They are run by the service itself, which sees every row, or by who they say; who
// looks and may not see all that is read is told whether they hold and no more.
func (s *Service) examples(ctx context.Context, who identity.Actor, r *definition.Report, set *definition.Set) []wire.ExampleResult {
	out := []wire.ExampleResult{}
	for i, example := range r.Examples {
		result := wire.ExampleResult{Report: r.Name, Number: i + 1}
		result.Kept, result.Words = s.example(ctx, r, example, set)
		if s.hides(ctx, who, r, set) {
			result.Words = map[bool]string{true: "What was expected was found.", false: "What was expected was not found."}[result.Kept]
		}
		out = append(out, result)
	}
	return out
}

// hides tells whether somebody may not see every row that a report reads.
func (s *Service) hides(ctx context.Context, who identity.Actor, r *definition.Report, set *definition.Set) bool {
	made, err := s.ready(ctx, r, 0, set)
	if err != nil {
		return false // what is wrong is told
	}
	g, err := s.sight(ctx, viewerOf(who), made.compiled.Query.Source)
	return err != nil || g.restrictedOn(made.reads)
}

func (s *Service) example(ctx context.Context, r *definition.Report, e definition.Example, set *definition.Set) (kept bool, words string) {
	request := Request{Report: r.Name, Inputs: parameter.Inputs{}, AsOf: e.AsOf}
	for name, given := range e.Ask {
		request.Inputs[name] = given.Input()
	}
	var found output.Summary
	v := itself
	if len(e.As.Groups)+len(e.As.Attributes) > 0 {
		v = plan.Viewer{Groups: e.As.Groups, Attributes: map[string][]string{}}
		for name, values := range e.As.Attributes {
			v.Attributes[name] = values
		}
	}
	job, err := s.jobOf(ctx, v, request, r, 0, set)
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
