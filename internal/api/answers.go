package api

import (
	"context"

	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// asking is a path that names what asks questions, saving has answers to it as well, and
// naming the name of some.
type (
	asking interface{ asker() store.Asker }
	saving interface {
		asking
		Answers() wire.SavedAnswers
	}
	naming interface {
		asking
		Saved() SavedName
	}
)

func (p ReportPath) asker() store.Asker { return store.Asker{Kind: "report", Name: p.Report} }

func (p OverviewPath) asker() store.Asker { return store.Asker{Kind: "overview", Name: p.Overview} }

// SavedBody has the answers to save.
type SavedBody struct{ Body wire.SavedAnswers }

// Answers are those.
func (b SavedBody) Answers() wire.SavedAnswers { return b.Body }

// SavedName names saved answers.
type SavedName struct {
	Name   string `path:"name" doc:"What they are called"`
	Shared bool   `query:"shared" doc:"Whether those for all readers are meant"`
}

// Saved is the name.
func (n SavedName) Saved() SavedName { return n }

func (s *Server) answers() {
	answersTo[struct{ ReportPath }, struct {
		ReportPath
		SavedBody
	}, struct {
		ReportPath
		SavedName
	}](s, "", "report", "/reports/{report}/answers")
	answersTo[struct{ OverviewPath }, struct {
		OverviewPath
		SavedBody
	}, struct {
		OverviewPath
		SavedName
	}](s, "overview-", "overview", "/overviews/{overview}/answers")
}

// answersTo registers the calls about saved answers to what a path names.
func answersTo[List asking, Save saving, Remove naming](s *Server, of, kind, path string) {
	get(s, "list-"+of+"answers", path, "The answers to the "+kind+" that are saved: one's own, and those for all its readers", []int{404}, func(ctx context.Context, who identity.Actor, in *List) (*response[[]wire.SavedAnswers], error) {
		list, err := s.service.SavedAnswers(ctx, who, (*in).asker())
		return answer(s, list, err)
	})
	put(s, "save-"+of+"answers", path, "Save answers to the "+kind+" under a name, in the place of those of that name", []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *Save) (*response[wire.SavedAnswers], error) {
		saved, err := s.service.SaveAnswers(ctx, who, (*in).asker(), (*in).Answers())
		return answer(s, saved, err)
	})
	remove(s, "remove-"+of+"answers", path+"/{name}", "Remove saved answers", func(ctx context.Context, who identity.Actor, in *Remove) error {
		saved := (*in).Saved()
		return s.service.RemoveAnswers(ctx, who, (*in).asker(), saved.Name, saved.Shared)
	})
}
