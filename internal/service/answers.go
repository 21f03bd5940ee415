package service

import (
	"context"
	"fmt"
	"maps"
	"strings"
	"unicode/utf8"

	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// longestAnswersName is how long the name of saved answers may be, in characters.
const longestAnswersName = 100

// SavedAnswers lists the answers to a report that are saved: the actor's own, and those
// for all its readers.
func (s *Service) SavedAnswers(ctx context.Context, who identity.Actor, report string) ([]wire.SavedAnswers, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	if err := s.mayRun(ctx, who, Request{Report: report}); err != nil {
		return nil, err
	}
	kept, err := s.Store.AnswersOf(ctx, report, who.Name())
	out := make([]wire.SavedAnswers, len(kept))
	for i, a := range kept {
		out[i] = savedOf(a)
	}
	return out, err
}

func savedOf(a store.Answers) wire.SavedAnswers {
	return wire.SavedAnswers{Name: a.Name, Shared: a.Shared, Begins: a.Begins, Inputs: orEmpty(a.Inputs)}
}

// SaveAnswers keeps answers to a report under a name, as they were typed: what is said in
// words that depend on the day is read anew each time. For all its readers they are saved
// by who manages its folder.
func (s *Service) SaveAnswers(ctx context.Context, who identity.Actor, report string, a wire.SavedAnswers) (wire.SavedAnswers, error) {
	if err := s.mayChangeAnswers(ctx, who, report, a.Shared); err != nil {
		return wire.SavedAnswers{}, err
	}
	a.Name = strings.TrimSpace(a.Name)
	if a.Name == "" || utf8.RuneCountInString(a.Name) > longestAnswersName {
		return wire.SavedAnswers{}, diag.Problems{{Code: "bad_answers_name", Field: "name", Message: fmt.Sprintf("Saved answers need a name of at most %d characters.", longestAnswersName), Hint: "Write what they are for, such as Last month, Harrow Top."}}
	}
	preview, err := s.Preview(ctx, who, Request{Report: report, Inputs: a.Inputs})
	if err != nil {
		return wire.SavedAnswers{}, err
	}
	var problems diag.Problems
	for _, p := range preview.Problems {
		if p.Code != "missing" { // some are answered when they are used
			problems = append(problems, p)
		}
	}
	if err := problems.Err(); err != nil {
		return wire.SavedAnswers{}, err
	}
	kept := store.Answers{Report: report, Name: a.Name, Owner: who.Name(), Shared: a.Shared, Inputs: a.Inputs, Begins: a.Begins, At: s.Now()}
	entry := store.Entry{}
	if a.Shared {
		entry = who.Entry("answers.saved", report).With(nil, a)
	}
	return savedOf(kept), s.Store.SaveAnswers(ctx, kept, entry)
}

// RemoveAnswers removes saved answers.
func (s *Service) RemoveAnswers(ctx context.Context, who identity.Actor, report, name string, shared bool) error {
	if err := s.mayChangeAnswers(ctx, who, report, shared); err != nil {
		return err
	}
	entry := store.Entry{}
	if shared {
		entry = who.Entry("answers.removed", report).With(name, nil)
	}
	return orNotFound(s.Store.RemoveAnswers(ctx, report, name, who.Name(), shared, entry), "saved answers", name)
}

// mayChangeAnswers lets in who may save answers to a report.
func (s *Service) mayChangeAnswers(ctx context.Context, who identity.Actor, report string, shared bool) error {
	if err := changes(who); err != nil {
		return err
	}
	if err := s.mayRun(ctx, who, Request{Report: report}); err != nil {
		return err
	}
	if !shared {
		return nil
	}
	e, _, err := s.seen(ctx, who, "report", report, false)
	if err == nil && !who.May(identity.Manage, e.publishedHead.folder) {
		p := notIn("", identity.Manage, e.publishedHead.folder)
		err = forbidden(p.Message, p.Hint)
	}
	return err
}

// answered puts saved answers under those that are given.
func (s *Service) answered(ctx context.Context, who identity.Actor, r Request) (Request, error) {
	if r.Answers == "" {
		return r, nil
	}
	kept, err := s.Store.AnswersOf(ctx, r.Report, who.Name())
	if err != nil {
		return r, err
	}
	var names []string
	for _, a := range kept { // one's own come before those for all
		names = append(names, a.Name)
		if a.Name != r.Answers {
			continue
		}
		inputs := parameter.Inputs{}
		maps.Copy(inputs, a.Inputs)
		maps.Copy(inputs, r.Inputs)
		r.Inputs, r.Answers = inputs, ""
		return r, nil
	}
	return r, notFound("saved answers", r.Answers, names)
}
