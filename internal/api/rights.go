package api

import (
	"context"
	"net/http"

	"pikegate/internal/identity"
	"pikegate/internal/wire"
)

func (s *Server) rights() {
	get(s, "list-rights", "/rights", "Who was granted what, as far as one manages it", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.Grant], error) {
		list, err := s.service.Grants(ctx, who)
		return answer(s, list, err)
	})
	done(s, http.MethodPost, "give-right", "/rights", "Give a right, in the place of another that was given to the same in the same place", []int{400, 422}, func(ctx context.Context, who identity.Actor, in *struct{ Body wire.Grant }) error {
		return s.service.Grant(ctx, who, in.Body)
	})
	done(s, http.MethodPost, "take-right", "/rights/take", "Take a right back", []int{400, 404, 422}, func(ctx context.Context, who identity.Actor, in *struct{ Body wire.Grant }) error {
		return s.service.Revoke(ctx, who, in.Body)
	})
	put(s, "apply-rights", "/rights", "Put rights in the place of all that there are", []int{422}, func(ctx context.Context, who identity.Actor, in *struct {
		Dry  bool         `query:"dry" doc:"Whether only to tell what it would change"`
		Body []wire.Grant `maxItems:"10000"`
	},
	) (*response[wire.AppliedRights], error) {
		given, taken, err := s.service.ApplyGrants(ctx, who, in.Body, in.Dry)
		return answer(s, wire.AppliedRights{Given: given, Taken: taken}, err)
	})
	get(s, "list-answers", "/reports/{report}/answers", "The answers to a report that are saved: one's own, and those for all its readers", []int{404}, func(ctx context.Context, who identity.Actor, in *ReportPath) (*response[[]wire.SavedAnswers], error) {
		list, err := s.service.SavedAnswers(ctx, who, in.Report)
		return answer(s, list, err)
	})
	put(s, "save-answers", "/reports/{report}/answers", "Save answers to a report under a name, in the place of those of that name", []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		ReportPath
		Body wire.SavedAnswers
	},
	) (*response[wire.SavedAnswers], error) {
		saved, err := s.service.SaveAnswers(ctx, who, in.Report, in.Body)
		return answer(s, saved, err)
	})
	remove(s, "remove-answers", "/reports/{report}/answers/{name}", "Remove saved answers", func(ctx context.Context, who identity.Actor, in *struct {
		ReportPath
		Name   string `path:"name" doc:"What they are called"`
		Shared bool   `query:"shared" doc:"Whether those for all readers are meant"`
	},
	) error {
		return s.service.RemoveAnswers(ctx, who, in.Report, in.Name, in.Shared)
	})
	get(s, "list-readers", "/reports/{report}/readers", "Who can run a report, and why", []int{404}, func(ctx context.Context, who identity.Actor, in *ReportPath) (*response[[]wire.ReportReader], error) {
		list, err := s.service.ReportReaders(ctx, who, in.Report)
		return answer(s, list, err)
	})
}
