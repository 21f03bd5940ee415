package service

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/store"
)

// Examination is everything that can be told of definitions that are being
// written.
type Examination struct {
	Definitions []DefinitionInfo  `json:"definitions" doc:"What could be read"`
	Problems    diag.Problems     `json:"problems" doc:"Everything that was found, warnings among it"`
	Readings    []CriteriaInWords `json:"readings" doc:"The criteria of queries and reports in words"`
	Words       []Word            `json:"words" doc:"What can be written in the criteria of the first definition"`
	Examples    []ExampleResult   `json:"examples,omitempty" doc:"What became of the examples, where they were to be run"`
}

// CriteriaInWords is the criteria of a definition in words. A question without a
// default is read as left blank.
type CriteriaInWords struct {
	Kind       string             `json:"kind"`
	Name       string             `json:"name"`
	Conditions []ConditionInWords `json:"conditions"`
}

// ConditionInWords is one criterion as written and in words.
type ConditionInWords struct {
	Text  string `json:"text"`
	Words string `json:"words"`
}

// ExampleResult is what became of an example of a report.
type ExampleResult struct {
	Report string `json:"report"`
	Number int    `json:"number" doc:"Which of the report's examples it is, from 1"`
	Kept   bool   `json:"kept" doc:"Whether what was expected was found"`
	Words  string `json:"words" doc:"What was asked and what was found, in a sentence"`
}

// Examine checks definitions without keeping them, and with run runs the
// examples of the reports among them. What is wrong is part of the answer.
func (s *Service) Examine(ctx context.Context, content string, run bool) (Examination, error) {
	documents, problems := definition.Decode("", []byte(content))
	out := Examination{Definitions: []DefinitionInfo{}, Readings: []CriteriaInWords{}, Words: []Word{}, Problems: problems}
	known := s.known(ctx, true)
	out.Problems = append(out.Problems, definition.Check(documents, known)...)
	out.Problems = append(out.Problems, s.dependents(documents, known)...)
	if out.Problems == nil {
		out.Problems = diag.Problems{}
	}
	library := definition.LibraryOf(documents, known.Library)
	for i, d := range documents {
		info := DefinitionInfo{Draft: true}
		info.Kind, info.Name = d.Ident()
		info.Title, _ = d.Heading()
		out.Definitions = append(out.Definitions, info)
		if i == 0 {
			out.Words = s.words(ctx, d, library)
		}
		if reading, ok := s.reading(ctx, d, library); ok {
			out.Readings = append(out.Readings, reading)
		}
		if report, ok := d.(*definition.Report); ok && run && !out.Problems.Failed() {
			out.Examples = append(out.Examples, s.examples(ctx, report, library)...)
		}
	}
	return out, nil
}

// dependents warns of kept definitions that use some of these and would no
// longer be sound with them.
func (s *Service) dependents(documents []definition.Document, known definition.Known) diag.Problems {
	changed := map[string]string{} // by kind and name, where it is told
	for _, d := range documents {
		kind, name := d.Ident()
		changed[kind+" "+name] = map[string]string{"parameter": "parameter", "query": "columns"}[kind]
		if changed[kind+" "+name] == "" {
			changed[kind+" "+name] = "criteria"
		}
	}
	drafts, err := s.Store.Drafts()
	if err != nil {
		return nil
	}
	known.Library = definition.LibraryOf(documents, known.Library)
	var problems diag.Problems
	for _, kept := range drafts {
		if _, itself := changed[kept.Kind+" "+kept.Name]; itself {
			continue
		}
		read, err := decoded(kept.Content)
		if err != nil {
			continue
		}
		for _, used := range definition.Uses(read[0]) {
			place, ok := changed[used]
			if !ok {
				continue
			}
			for _, p := range definition.Check(read, known) {
				if p.Severity == diag.Warning {
					continue
				}
				problems = append(problems, diag.Problem{
					Code: "breaks_user", Severity: diag.Warning, Field: used + ": " + place,
					Message: fmt.Sprintf("The %s %s, which uses it, would not be sound: %s", kept.Kind, kept.Name, p.Message), Hint: p.Hint,
				})
			}
			break
		}
	}
	return problems
}

// relaxed makes a job of a query or report that is being written, in which
// questions without a default need no answer.
func (s *Service) relaxed(ctx context.Context, d definition.Document, library definition.Library) (runner.Job, error) {
	report, ok := d.(*definition.Report)
	if query, isQuery := d.(*definition.Query); isQuery {
		report = &definition.Report{Head: query.Head, Query: query.Name}
	} else if !ok {
		kind, _ := d.Ident()
		return runner.Job{}, &NotFound{What: "result of a", Name: kind}
	}
	job, err := s.jobOf(ctx, Request{Report: report.Name}, report, 0, library)
	if err != nil {
		return runner.Job{}, err
	}
	for i := range job.Compiled.Query.Parameters {
		q := &job.Compiled.Query.Parameters[i]
		q.Required = q.Required && q.Default != nil
	}
	return job, nil
}

func (s *Service) reading(ctx context.Context, d definition.Document, library definition.Library) (CriteriaInWords, bool) {
	var out CriteriaInWords
	job, err := s.relaxed(ctx, d, library)
	if err != nil {
		return out, false // its problems were told
	}
	p, err := runner.Prepare(ctx, job)
	if err != nil {
		return out, false
	}
	out.Kind, out.Name = d.Ident()
	out.Conditions = []ConditionInWords{}
	for _, c := range p.Statement.Where {
		out.Conditions = append(out.Conditions, ConditionInWords{c.Text, c.Words})
	}
	return out, true
}

// FirstResults gives the first records of the first query or report among
// definitions that are being written. A required question without a default
// restricts nothing.
func (s *Service) FirstResults(ctx context.Context, content string, most int) (output.Result, error) {
	documents, err := decoded(content)
	if err != nil {
		return output.Result{}, err
	}
	library := definition.LibraryOf(documents, s.library(ctx, true))
	job, err := s.relaxed(ctx, documents[0], library)
	if err != nil {
		return output.Result{}, err
	}
	return runner.Sample(ctx, job, most)
}

// FirstRows gives the first rows of a table of a source.
func (s *Service) FirstRows(ctx context.Context, source, table string, most int) (output.Result, error) {
	o, t, err := s.table(ctx, source, table)
	if err != nil {
		return output.Result{}, err
	}
	return runner.FirstRows(ctx, o.Source, t, most, s.Calendar.Zone)
}

// examples runs the examples of a report.
func (s *Service) examples(ctx context.Context, r *definition.Report, library definition.Library) []ExampleResult {
	out := []ExampleResult{}
	for i, example := range r.Examples {
		result := ExampleResult{Report: r.Name, Number: i + 1}
		result.Kept, result.Words = s.example(ctx, r, example, library)
		out = append(out, result)
	}
	return out
}

func (s *Service) example(ctx context.Context, r *definition.Report, e definition.Example, library definition.Library) (kept bool, words string) {
	request := Request{Report: r.Name, Inputs: Inputs{}, AsOf: e.AsOf}
	for name, given := range e.Ask {
		request.Inputs[name] = given.Input()
	}
	var found output.Summary
	job, err := s.jobOf(ctx, request, r, 0, library)
	if err == nil {
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
		return false, fmt.Sprintf("The answers should be refused (%s); %d records were found.", want.Refused, found.Count)
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
		words = fmt.Sprintf("%d records were found", found.Count)
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

// Version is one published version of a definition.
type Version struct {
	Number      int       `json:"number"`
	PublishedAt time.Time `json:"published_at"`
}

// Versions lists what was published of a definition, the newest first.
func (s *Service) Versions(kind, name string) ([]Version, error) {
	if _, err := s.Definition(kind, name, 0); err != nil {
		return nil, err
	}
	kept, err := s.Store.Versions(kind, name)
	out := make([]Version, len(kept))
	for i, v := range kept {
		out[i] = Version{v.Number, v.At}
	}
	return out, err
}

// Definition gives a version of a definition, with 0 what was pushed last.
func (s *Service) Definition(kind, name string, version int) (string, error) {
	var d store.Definition
	var err error
	if version == 0 {
		d, err = s.Store.Draft(kind, name)
	} else {
		d, err = s.Store.Version(kind, name, version)
	}
	if errors.Is(err, store.ErrNotFound) {
		what := kind
		if version > 0 {
			what = fmt.Sprintf("version %d of the %s", version, kind)
		}
		return "", &NotFound{What: what, Name: name}
	}
	return d.Content, err
}

// Differences tells how one version of a definition differs from another; 0 is
// what was pushed last.
func (s *Service) Differences(kind, name string, from, to int) ([]definition.Difference, error) {
	documents := make([]definition.Document, 2)
	for i, version := range []int{from, to} {
		content, err := s.Definition(kind, name, version)
		if err != nil {
			return nil, err
		}
		read, err := decoded(content)
		if err != nil {
			return nil, err
		}
		documents[i] = read[0]
	}
	return orNoDifference(definition.Differences(documents[0], documents[1])), nil
}

func orNoDifference(d []definition.Difference) []definition.Difference {
	if d == nil {
		return []definition.Difference{}
	}
	return d
}

// Review is what publishing a name would do.
type Review struct {
	Changes  []Change        `json:"changes" doc:"What would be published, what is used first"`
	Problems diag.Problems   `json:"problems" doc:"What stands in the way, and warnings"`
	Examples []ExampleResult `json:"examples" doc:"What becomes of the examples of the reports"`
	Users    []User          `json:"users" doc:"What uses it in its published version; a report goes on with the version it was published with"`
}

// Change is one definition that would be published.
type Change struct {
	Kind        string                  `json:"kind"`
	Name        string                  `json:"name"`
	Version     int                     `json:"version" doc:"The version it would become"`
	Differences []definition.Difference `json:"differences" doc:"How it differs from the version before, empty for the first"`
}

// Review tells what publishing a name would do, and changes nothing.
func (s *Service) Review(ctx context.Context, name string) (Review, error) {
	out := Review{Changes: []Change{}, Problems: diag.Problems{}, Users: []User{}}
	p, problems, err := s.publication(ctx, name)
	if err != nil {
		return out, err
	}
	out.Problems = append(out.Problems, problems...)
	for i, d := range p.documents {
		kind, name := d.Ident()
		change := Change{Kind: kind, Name: name, Version: 1, Differences: []definition.Difference{}}
		published, err := s.Store.Published(kind, name)
		switch {
		case err == nil:
			change.Version = published.Number + 1
			before, err := decoded(published.Content)
			if err != nil {
				return out, err
			}
			change.Differences = orNoDifference(definition.Differences(before[0], p.documents[i]))
		case !errors.Is(err, store.ErrNotFound):
			return out, err
		}
		out.Changes = append(out.Changes, change)
	}
	out.Examples = p.examples(ctx, problems)
	users, err := s.Users(name)
	for _, u := range users {
		if _, itself := p.find(u.Kind, u.Name); u.Published && !itself {
			out.Users = append(out.Users, u)
		}
	}
	return out, err
}
