package service

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/wire"
)

// Examine checks definitions without keeping them, and with run runs the
// examples of the reports among them. What is wrong is part of the answer.
func (s *Service) Examine(ctx context.Context, who identity.Actor, content string, run bool) (wire.Examination, error) {
	if err := authors(who); err != nil {
		return wire.Examination{}, err
	}
	documents, problems := s.typed(content)
	out := wire.Examination{Definitions: []wire.DefinitionInfo{}, Readings: []wire.CriteriaInWords{}, Words: []wire.Word{}, Problems: problems}
	known := s.known(ctx, who, true, run) // afresh, but for who types
	set, found := definition.Check(documents, known)
	if ctx.Err() != nil {
		return out, context.Cause(ctx)
	}
	out.Problems = append(out.Problems, found...)
	out.Problems = append(out.Problems, s.unknownGroups(ctx, documents)...)
	out.Problems = append(out.Problems, s.dependents(ctx, who, documents, known)...)
	if out.Problems == nil {
		out.Problems = diag.Problems{}
	}
	for i, d := range documents {
		info := wire.DefinitionInfo{Draft: true}
		info.Kind, info.Name = d.Ident()
		info.Title, _ = d.Heading()
		out.Definitions = append(out.Definitions, info)
		if i == 0 {
			out.Words = s.words(ctx, who, d, set)
		}
		if reading, ok := s.reading(ctx, who, d, set); ok {
			out.Readings = append(out.Readings, reading)
		}
		if report, ok := d.(*definition.Report); ok && run && !out.Problems.Failed() && mayWrite(who, documents) == nil {
			out.Examples = append(out.Examples, s.examples(ctx, who, report, set)...)
		}
	}
	return out, nil
}

// typed reads definitions that somebody is writing.
func (s *Service) typed(content string) ([]definition.Document, diag.Problems) {
	s.typing.Lock()
	defer s.typing.Unlock()
	return s.decoder.Decode("", []byte(content))
}

// dependents warns of kept definitions that use some of these and would no
// longer be sound with them.
func (s *Service) dependents(ctx context.Context, who identity.Actor, documents []definition.Document, known definition.Environment) diag.Problems {
	changed := map[string]string{} // by kind and name, where it is told
	for _, d := range documents {
		kind, name := d.Ident()
		changed[kind+" "+name] = map[string]string{"parameter": "parameter", "query": "columns"}[kind]
		if changed[kind+" "+name] == "" {
			changed[kind+" "+name] = "criteria"
		}
	}
	d, err := s.directory(ctx)
	if err != nil {
		return nil
	}
	places := map[int]string{} // by entry, what it uses first of these
	for used := range changed {
		kind, name, _ := strings.Cut(used, " ")
		for _, u := range d.users[strings.ToLower(name)] {
			by := d.entries[u.by]
			_, itself := changed[by.draft.Kind+" "+by.draft.Name]
			if u.draft && by.seenBy(who, true) && u.kind == kind && !itself && (places[u.by] == "" || used < places[u.by]) {
				places[u.by] = used
			}
		}
	}
	known.Library = definition.NewSet(documents, known.Library).Library
	var problems diag.Problems
	for n, by := range slices.Sorted(maps.Keys(places)) {
		used, kept := places[by], d.entries[by].draft
		if n == maxDependents || ctx.Err() != nil {
			problems = append(problems, diag.Problem{
				Code: "breaks_user", Severity: diag.Warning, Field: used,
				Message: fmt.Sprintf("%d more definitions use it and were not looked at.", len(places)-n), Hint: "pikegate check --published looks at all that are published.",
			})
			break
		}
		read, err := decoded(kept.Content)
		if err != nil {
			continue
		}
		_, found := definition.Check(read, known)
		for _, p := range found {
			if p.Severity == diag.Warning {
				continue
			}
			problems = append(problems, diag.Problem{
				Code: "breaks_user", Severity: diag.Warning, Field: used + ": " + changed[used],
				Message: fmt.Sprintf("The %s %s, which uses it, would not be valid: %s", kept.Kind, kept.Name, p.Message), Hint: p.Hint,
			})
		}
	}
	return problems
}

// maxDependents is how many users of a definition are looked at while it is
// written.
const maxDependents = 50

// relaxed makes a job of a query or report that is being written, in which
// questions without a default need no answer.
func (s *Service) relaxed(ctx context.Context, who identity.Actor, d definition.Document, set *definition.Set) (runner.Job, error) {
	report, ok := d.(*definition.Report)
	if query, isQuery := d.(*definition.Query); isQuery {
		report = &definition.Report{Head: query.Head, Query: query.Name}
	} else if !ok {
		kind, _ := d.Ident()
		return runner.Job{}, &NotFound{What: "result of a", Name: kind}
	}
	job, err := s.jobOf(ctx, viewerOf(who), Request{Report: report.Name}, report, 0, set)
	if err != nil {
		return runner.Job{}, err
	}
	// The query is shared with what else is done with the documents.
	compiled, own := *job.Compiled, *job.Compiled.Query
	own.Parameters = slices.Clone(own.Parameters)
	for i := range own.Parameters {
		q := &own.Parameters[i]
		q.Required = q.Required && q.Default != nil
	}
	compiled.Query, job.Compiled = &own, &compiled
	return job, nil
}

func (s *Service) reading(ctx context.Context, who identity.Actor, d definition.Document, set *definition.Set) (wire.CriteriaInWords, bool) {
	var out wire.CriteriaInWords
	job, err := s.relaxed(ctx, who, d, set)
	if err != nil {
		return out, false // its problems were told
	}
	conditions, err := runner.Conditions(job)
	if err != nil {
		return out, false
	}
	out.Kind, out.Name = d.Ident()
	out.Conditions = []wire.ConditionInWords{}
	for _, c := range conditions {
		out.Conditions = append(out.Conditions, wire.ConditionInWords{Text: c.Text, Words: c.Words})
	}
	return out, true
}

// FirstResults gives the first records of the first query or report among
// definitions that are being written. A required question without a default
// restricts nothing.
func (s *Service) FirstResults(ctx context.Context, who identity.Actor, content string, most int) (output.Result, error) {
	if err := authors(who); err != nil {
		return output.Result{}, err
	}
	job, err := s.written(ctx, who, content)
	if err != nil {
		return output.Result{}, err
	}
	return runner.Sample(ctx, job, most)
}

// written is the job of the first of some definitions that are being written, for who may
// write them, after changes to them.
func (s *Service) written(ctx context.Context, who identity.Actor, content string, changes ...func(definition.Document)) (runner.Job, error) {
	documents, err := decoded(content)
	if err != nil {
		return runner.Job{}, err
	}
	for _, d := range documents {
		for _, change := range changes {
			change(d)
		}
	}
	if err := mayWrite(who, documents); err != nil {
		return runner.Job{}, err
	}
	return s.relaxed(ctx, who, documents[0], definition.NewSet(documents, s.library(ctx, who, true)))
}
