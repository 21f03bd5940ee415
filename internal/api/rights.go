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
	get(s, "list-readers", "/reports/{report}/readers", "Who can run a report, and why", []int{404}, func(ctx context.Context, who identity.Actor, in *ReportPath) (*response[[]wire.ReportReader], error) {
		list, err := s.service.ReportReaders(ctx, who, in.Report)
		return answer(s, list, err)
	})
}
