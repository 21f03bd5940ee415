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

// SavedAnswers lists the answers to a report or an overview that are saved: the actor's own,
// and those for all its readers.
func (s *Service) SavedAnswers(ctx context.Context, who identity.Actor, to store.Asker) ([]wire.SavedAnswers, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	if _, err := s.mayAsk(ctx, who, to); err != nil {
		return nil, err
	}
	kept, err := s.Store.AnswersTo(ctx, to, who.Name())
	out := make([]wire.SavedAnswers, len(kept))
	for i, a := range kept {
		out[i] = savedOf(a)
	}
	return out, err
}

func savedOf(a store.Answers) wire.SavedAnswers {
	return wire.SavedAnswers{Name: a.Name, Shared: a.Shared, Begins: a.Begins, Inputs: orEmpty(a.Inputs)}
}

// SaveAnswers keeps answers under a name, as they were typed: what is said in words that
// depend on the day is read anew each time. For all readers they are saved by who manages the
// folder.
func (s *Service) SaveAnswers(ctx context.Context, who identity.Actor, to store.Asker, a wire.SavedAnswers) (wire.SavedAnswers, error) {
	if err := s.mayChangeAnswers(ctx, who, to, a.Shared); err != nil {
		return wire.SavedAnswers{}, err
	}
	a.Name = strings.TrimSpace(a.Name)
	if a.Name == "" || utf8.RuneCountInString(a.Name) > longestAnswersName {
		return wire.SavedAnswers{}, diag.Problems{{Code: "bad_answers_name", Field: "name", Message: fmt.Sprintf("Saved answers need a name of at most %d characters.", longestAnswersName), Hint: "Write what they are for, such as Last month, Harrow Top."}}
	}
	preview, err := s.previewOf(ctx, who, to, a.Inputs)
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
	kept := store.Answers{To: to, Name: a.Name, Owner: who.Name(), Shared: a.Shared, Inputs: a.Inputs, Begins: a.Begins, At: s.Now()}
	entry := store.Entry{}
	if a.Shared {
		entry = who.Entry("answers.saved", to.Name).With(nil, a)
	}
	return savedOf(kept), s.Store.SaveAnswers(ctx, kept, entry)
}

func (s *Service) previewOf(ctx context.Context, who identity.Actor, to store.Asker, inputs parameter.Inputs) (wire.Preview, error) {
	if to.Kind == "overview" {
		return s.PreviewOverview(ctx, who, OverviewRequest{Overview: to.Name, Inputs: inputs})
	}
	return s.Preview(ctx, who, Request{Report: to.Name, Inputs: inputs})
}

// RemoveAnswers removes saved answers.
func (s *Service) RemoveAnswers(ctx context.Context, who identity.Actor, to store.Asker, name string, shared bool) error {
	if err := s.mayChangeAnswers(ctx, who, to, shared); err != nil {
		return err
	}
	entry := store.Entry{}
	if shared {
		entry = who.Entry("answers.removed", to.Name).With(name, nil)
	}
	return orNotFound(s.Store.RemoveAnswers(ctx, to, name, who.Name(), shared, entry), "set of saved answers", name)
}

// mayAsk lets in who may run a report or see an overview, as it is published.
func (s *Service) mayAsk(ctx context.Context, who identity.Actor, to store.Asker) (entry, error) {
	if to.Kind == "report" {
		if err := s.mayRun(ctx, who, Request{Report: to.Name}); err != nil {
			return entry{}, err
		}
	}
	e, seen, err := s.seen(ctx, who, to.Kind, to.Name, false)
	if err == nil && !seen {
		err = s.noOverview(ctx, who, OverviewRequest{Overview: to.Name})
	}
	return e, err
}

// mayChangeAnswers lets in who may save answers.
func (s *Service) mayChangeAnswers(ctx context.Context, who identity.Actor, to store.Asker, shared bool) error {
	if err := changes(who); err != nil {
		return err
	}
	e, err := s.mayAsk(ctx, who, to)
	if err == nil && shared && !who.May(identity.Manage, e.publishedHead.folder) {
		p := notIn("", identity.Manage, e.publishedHead.folder)
		err = forbidden(p.Message, p.Hint)
	}
	return err
}

// saved puts saved answers under those that are given.
func (s *Service) saved(ctx context.Context, who identity.Actor, to store.Asker, name string, given parameter.Inputs) (parameter.Inputs, error) {
	if name == "" {
		return given, nil
	}
	kept, err := s.Store.AnswersTo(ctx, to, who.Name())
	if err != nil {
		return nil, err
	}
	var names []string
	for _, a := range kept { // one's own come before those for all
		names = append(names, a.Name)
		if a.Name != name {
			continue
		}
		inputs := parameter.Inputs{}
		maps.Copy(inputs, a.Inputs)
		maps.Copy(inputs, given)
		return inputs, nil
	}
	return nil, notFound("set of saved answers", name, names)
}
