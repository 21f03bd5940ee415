package api

import (
	"context"
	"io"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/service"
	"pikegate/internal/wire"
)

// OverviewPath is an overview named in the path.
type OverviewPath struct {
	Overview string `path:"overview" maxLength:"300" doc:"The overview's name" example:"navigation-at-a-glance"`
}

// PartPath is a part of an overview.
type PartPath struct {
	OverviewPath
	Part int `path:"part" minimum:"1" maximum:"1000" doc:"The part, counted from 1"`
}

// PageBody is what a caller gives to an overview.
type PageBody struct {
	Inputs parameter.Inputs `json:"inputs,omitempty" doc:"The answers by question, as a report takes them" example:"{\"period\":\"2025-03\"}"`
	AsOf   string           `json:"as_of,omitempty" doc:"The day or instant taken for now; the clock when left out" example:"2026-03-31"`
	Draft  bool             `json:"draft,omitempty" doc:"Whether what was pushed last is meant instead of the published version"`
	// Answers are put under the inputs.
	Answers string `json:"answers,omitempty" maxLength:"200" doc:"The name of saved answers, under those that are given"`
}

func (b PageBody) request(path OverviewPath) service.OverviewRequest {
	return service.OverviewRequest{Overview: path.Overview, Inputs: b.Inputs, AsOf: b.AsOf, Draft: b.Draft, Answers: b.Answers}
}

func (s *Server) overviews() {
	get(s, "list-overviews", "/overviews", "The published overviews", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.ReportInfo], error) {
		list, err := s.service.Overviews(ctx, who)
		return answer(s, list, err)
	})
	get(s, "ask-overview", "/overviews/{overview}", "What an overview asks, and what stands on it", []int{404, 422}, func(ctx context.Context, who identity.Actor, in *struct {
		OverviewPath
		AsOfQuery
		Draft bool `query:"draft" doc:"Whether what was pushed last is meant instead of the published version"`
	},
	) (*response[wire.OverviewForm], error) {
		form, err := s.service.AskOverview(ctx, who, service.OverviewRequest{Overview: in.Overview, AsOf: in.AsOf, Draft: in.Draft})
		return answer(s, form, err)
	})
	post(s, "preview-overview", "/overviews/{overview}/preview", "How inputs would be understood by the parts of an overview, or every problem", http.StatusOK, []int{404},
		func(ctx context.Context, who identity.Actor, in *struct {
			OverviewPath
			Body PageBody
		},
		) (*response[wire.Preview], error) {
			preview, err := s.service.PreviewOverview(ctx, who, in.Body.request(in.OverviewPath))
			return answer(s, preview, err)
		})
	post(s, "list-overview-choices", "/overviews/{overview}/questions/{question}/choices", "A page of what a question's answer is chosen from, the other answers applied", http.StatusOK, []int{404, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			OverviewPath
			Question string `path:"question" doc:"The question's name" example:"region"`
			Search   string `query:"search" doc:"Only choices this text occurs in, whatever its case"`
			Limit    int    `query:"limit" default:"100" minimum:"1" maximum:"500" doc:"How many at the most"`
			Offset   int    `query:"offset" minimum:"0" doc:"How many are skipped"`
			Body     PageBody
		},
		) (*response[[]parameter.Choice], error) {
			choices, err := s.service.OverviewChoices(ctx, who, in.Body.request(in.OverviewPath), in.Question, plan.Search{Text: in.Search, Limit: in.Limit, Offset: in.Offset})
			if choices == nil {
				choices = []parameter.Choice{}
			}
			return answer(s, choices, err)
		})
	post(s, "cover-overview", "/overviews/{overview}/coverage", "How many records each day, month or year holds in the first part that asks for a period", http.StatusOK, []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			OverviewPath
			By   string `query:"by" default:"month" doc:"The unit of time, as for a report"`
			Body PageBody
		},
		) (*response[wire.Coverage], error) {
			coverage, err := s.service.OverviewCoverage(ctx, who, in.Body.request(in.OverviewPath), in.By)
			return answer(s, coverage, err)
		})
	post(s, "measure-part", "/overviews/{overview}/parts/{part}/number", "The number that a part shows, and that of the period it is compared with", http.StatusOK, []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			PartPath
			Body PageBody
		},
		) (*response[output.Figure], error) {
			figure, err := s.service.MeasurePart(ctx, who, in.Body.request(in.OverviewPath), in.Part)
			return answer(s, figure, err)
		})
	register(s, huma.Operation{
		OperationID: "run-part", Method: http.MethodPost, Path: "/overviews/{overview}/parts/{part}/runs",
		Summary: "Run the report of a part with the answers of the page, and stream its first records",
		Errors:  []int{400, 404, 422, 502, 504},
		Responses: map[string]*huma.Response{"200": {Description: "A line with the header, a line for each record, a line with the summary", Content: map[string]*huma.MediaType{output.NDJSON.ContentType: {Schema: &huma.Schema{Type: huma.TypeString}}}, Headers: map[string]*huma.Header{
			RunHeader: {Description: "The number of the run", Schema: &huma.Schema{Type: huma.TypeInteger}},
		}}},
	}, func(ctx context.Context, who identity.Actor, in *struct {
		PartPath
		Most int `query:"most" default:"1000" minimum:"0" maximum:"100000" doc:"How many records are sent at the most; what is said of them at the end is of all"`
		Body PageBody
	},
	) (*huma.StreamResponse, error) {
		return &huma.StreamResponse{Body: func(ctx huma.Context) {
			s.streamed(ctx, who, "run-part", output.NDJSON, func(ctx context.Context, begin beginning) (wire.RunRecord, error) {
				return s.service.RunPart(ctx, who, in.Body.request(in.OverviewPath), in.Part, output.NDJSON, func(started wire.RunRecord, format output.Format) output.Writer {
					return output.First(begin(started, format), in.Most)
				})
			})
		}}, nil
	})
	register(s, huma.Operation{
		OperationID: "run-overview", Method: http.MethodPost, Path: "/overviews/{overview}/runs",
		Summary: "Run every part of an overview and write what they find as one document",
		Errors:  []int{400, 404, 422, 502, 504},
		Responses: map[string]*huma.Response{"200": {Description: "The document; a part that failed says why in its place", Content: map[string]*huma.MediaType{
			output.PDF.ContentType:  {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary"}},
			output.HTML.ContentType: {Schema: &huma.Schema{Type: huma.TypeString}},
		}}},
	}, func(ctx context.Context, who identity.Actor, in *struct {
		OverviewPath
		Format string `query:"format" enum:"pdf,html" default:"pdf" doc:"The format"`
		Body   PageBody
	},
	) (*huma.StreamResponse, error) {
		return &huma.StreamResponse{Body: func(ctx huma.Context) {
			s.document(ctx, who, in.Body.request(in.OverviewPath), formatOf(in.Format, ""))
		}}, nil
	})
}

// document writes an overview into the response. What goes wrong after its first byte breaks
// the connection off.
func (s *Server) document(ctx huma.Context, who identity.Actor, request service.OverviewRequest, format output.Format) {
	body := newBody(ctx.Context(), humagin.Unwrap(ctx).Writer, s.Stall)
	defer body.close()
	_, err := s.service.RunOverview(ctx.Context(), who, request, format, func() io.Writer {
		ctx.SetHeader("Content-Type", format.ContentType)
		ctx.SetStatus(http.StatusOK)
		return body
	})
	switch {
	case err == nil:
		return
	case body.written:
		panic(http.ErrAbortHandler)
	}
	problem := s.asProblem(err)
	s.tell(ctx.Context(), who, "run-overview", problem)
	ctx.SetHeader("Content-Type", problem.ContentType(""))
	ctx.SetStatus(problem.Status)
	writeBody(ctx, problem)
}
