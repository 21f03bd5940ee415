package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/core/period"
	"pikegate/internal/identity"
)

// Health says that the service answers.
type Health struct {
	Status string `json:"status" enum:"ok"`
}

func (s *Server) system() {
	huma.Register(s.huma, huma.Operation{OperationID: "health", Method: http.MethodGet, Path: "/healthz", Summary: "Whether the service answers"},
		func(context.Context, *struct{}) (*response[Health], error) {
			return &response[Health]{Health{"ok"}}, nil
		})
	get(s, "read-period", "/period", "How a period expression is read", []int{422}, func(ctx context.Context, who identity.Actor, in *struct {
		AsOfQuery
		Calendar   string `query:"calendar" doc:"The published calendar it is read by, where it is not the service's" example:"waterway"`
		Language   string `query:"language" doc:"A language it may be in besides English" example:"de"`
		Expression string `query:"expression" required:"true" doc:"The expression" example:"last month"`
	},
	) (*response[period.Reading], error) {
		reading, err := s.service.Period(ctx, who, in.Expression, in.AsOf, in.Calendar, in.Language)
		return answer(s, reading, err)
	})
	get(s, "definition-schema", "/schema", "The JSON Schema of definitions", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[map[string]any], error) {
		schema, err := s.service.Schema(ctx, who)
		return answer(s, schema, err)
	})
}
