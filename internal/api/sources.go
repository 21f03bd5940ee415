package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/core/catalog"
	"pikegate/internal/engine"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/service"
)

// Encoding is how the dates of a column are stored.
type Encoding struct {
	Encoding string `json:"encoding" doc:"How the dates are stored" example:"ymd"`
}

func (s *Server) sources() {
	get(s, "list-sources", "/sources", "The sources", []int{}, func(context.Context, *struct{}) (*response[[]service.SourceInfo], error) {
		list, err := s.service.Sources()
		return answer(s, list, err)
	})
	post(s, "add-source", "/sources", "Connect a database, or replace the connection of that name", http.StatusCreated, []int{422, 502, 504},
		func(ctx context.Context, in *struct{ Body service.SourceInfo }) (*response[catalog.Source], error) {
			catalogue, err := s.service.AddSource(ctx, in.Body)
			return answer(s, catalogue, err)
		})
	get(s, "show-source", "/sources/{source}", "A source's tables, views and columns", []int{404, 502, 504}, func(ctx context.Context, in *struct {
		Source string `path:"source" doc:"The source's name"`
	},
	) (*response[catalog.Source], error) {
		catalogue, err := s.service.Catalogue(ctx, in.Source)
		return answer(s, catalogue, err)
	})
	get(s, "check-source", "/sources/{source}/check", "What answers at a source, and whether it can only read", []int{404, 502, 504}, func(ctx context.Context, in *struct {
		Source string `path:"source" doc:"The source's name"`
	},
	) (*response[engine.Report], error) {
		report, err := s.service.CheckSource(ctx, in.Source)
		return answer(s, report, err)
	})
	get(s, "show-extents", "/sources/{source}/tables/{table}/extents", "What each column of a table holds: blanks, different values, the earliest and the latest", []int{404, 502, 504}, func(ctx context.Context, in *struct {
		Source string `path:"source" doc:"The source's name"`
		Table  string `path:"table" doc:"The table's name"`
	},
	) (*response[[]runner.Extent], error) {
		extents, err := s.service.Extents(ctx, in.Source, in.Table)
		return answer(s, extents, err)
	})
	get(s, "show-rows", "/sources/{source}/tables/{table}/rows", "The first rows of a table", []int{404, 502, 504}, func(ctx context.Context, in *struct {
		Source string `path:"source" doc:"The source's name"`
		Table  string `path:"table" doc:"The table's name"`
		Limit  int    `query:"limit" default:"20" minimum:"1" maximum:"200" doc:"How many at the most"`
	},
	) (*response[output.Result], error) {
		rows, err := s.service.FirstRows(ctx, in.Source, in.Table, in.Limit)
		return answer(s, rows, err)
	})
	huma.Register(s.huma, huma.Operation{
		OperationID: "set-encoding", Method: http.MethodPut, Path: prefix + "/sources/{source}/encodings/{column}",
		Summary: "Say how the dates of a column are stored", Errors: []int{400, 404, 422, 502, 504},
	},
		func(ctx context.Context, in *struct {
			Source string `path:"source" doc:"The source's name"`
			Column string `path:"column" doc:"TABLE.COLUMN" example:"maintenance_jobs.due_on"`
			Body   Encoding
		},
		) (*response[catalog.Source], error) {
			catalogue, err := s.service.SetEncoding(ctx, in.Source, in.Column, in.Body.Encoding)
			return answer(s, catalogue, err)
		})
}
