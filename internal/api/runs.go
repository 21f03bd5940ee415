package api

import (
	"context"
	"net/http"
	"reflect"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"pikegate/core/diag"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// RunHeader names the run in the response's head, so that its record can be
// asked for while or after the rows come.
const RunHeader = "Pikegate-Run"

func (s *Server) runs() {
	content := map[string]*huma.MediaType{
		output.JSON.ContentType:    {Schema: s.huma.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[output.Result](), true, "Result")},
		output.CSV.ContentType:     {Schema: &huma.Schema{Type: huma.TypeString, Description: "RFC 4180, the columns' names on the first line"}},
		output.NDJSON.ContentType:  {Schema: &huma.Schema{Type: huma.TypeString, Description: "A line with the header, a line for each record, a line with the summary"}},
		output.JSONL.ContentType:   {Schema: &huma.Schema{Type: huma.TypeString, Description: "An object for each record, each on a line, and nothing else"}},
		output.Parquet.ContentType: {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary", Description: "The records as Parquet; what was asked for stands in its metadata"}},
		output.HTML.ContentType:    {Schema: &huma.Schema{Type: huma.TypeString, Description: "One page that needs nothing else"}},
		output.XML.ContentType:     {Schema: &huma.Schema{Type: huma.TypeString, Description: "One document in the namespace urn:pikegate:result:1, described by docs/result.xsd"}},
		output.XLSX.ContentType:    {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary", Description: "A workbook: the records, and a sheet about the run"}},
		output.PDF.ContentType:     {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary", Description: "Pages of the paper that the report names, 20,000 records at the most"}},
		output.Pages.ContentType:   {Schema: &huma.Schema{Type: huma.TypeString, Description: "The same pages as pictures (SVG), each on a line of its own"}},
		output.SVG.ContentType:     {Schema: &huma.Schema{Type: huma.TypeString, Description: "The chart as a drawing"}},
		output.PNG.ContentType:     {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary", Description: "The chart as a picture"}},
	}
	s.huma.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[output.Subtotal](), true, "Subtotal") // stands among the rows
	s.huma.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[output.Opening](), true, "Opening")
	register(s, huma.Operation{
		OperationID: "run-report", Method: http.MethodPost, Path: "/reports/{report}/runs",
		Summary: "Run a report and stream its records",
		Errors:  []int{400, 404, 422, 502, 504},
		Responses: map[string]*huma.Response{"200": {Description: "The records, as they come", Content: content, Headers: map[string]*huma.Header{
			RunHeader: {Description: "The number of the run", Schema: &huma.Schema{Type: huma.TypeInteger}},
		}}},
	}, func(ctx context.Context, who identity.Actor, in *struct {
		ReportPath
		Accept string `header:"Accept" doc:"The format, where the query names none"`
		Format string `query:"format" enum:"json,csv,ndjson,jsonl,xlsx,parquet,pdf,html,xml,pages,svg,png" doc:"The format; the Accept header decides when it is left out"`
		Body   RunBody
	},
	) (*huma.StreamResponse, error) {
		format := formatOf(in.Format, in.Accept)
		return &huma.StreamResponse{Body: func(ctx huma.Context) { s.stream(ctx, who, in.Body.request(in.Report), format) }}, nil
	})
	register(s, huma.Operation{
		OperationID: "draw-chart", Method: http.MethodPost, Path: "/drawings", Summary: "Draw the chart of a result", Errors: []int{400, 422},
		Responses: map[string]*huma.Response{"200": {Description: "The drawing", Content: map[string]*huma.MediaType{output.SVG.ContentType: content[output.SVG.ContentType]}}},
	}, func(ctx context.Context, who identity.Actor, in *struct{ Body Drawing }) (*drawn, error) {
		picture, err := s.service.Draw(ctx, who, in.Body.Chart, in.Body.Language, in.Body.Width, in.Body.Height)
		if err != nil {
			return nil, s.asProblem(err)
		}
		return &drawn{output.SVG.ContentType, picture}, nil
	})
	get(s, "show-run", "/runs/{run}", "The record of a run", []int{404}, func(ctx context.Context, who identity.Actor, in *struct {
		Run uint `path:"run" doc:"The number of the run"`
	},
	) (*response[wire.RunRecord], error) {
		record, err := s.service.RunRecord(ctx, who, in.Run)
		return answer(s, record, err)
	})
	get(s, "why-run", "/runs/{run}/why", "Why a run found what it found, asked anew with its answers", []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Run uint `path:"run" doc:"The number of the run"`
	},
	) (*response[wire.Why], error) {
		why, err := s.service.WhyRun(ctx, who, in.Run)
		return answer(s, why, err)
	})
	get(s, "compare-runs", "/runs/{run}/compare/{other}", "How the records of two runs of a report differ, both asked for anew as they were", []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Run   uint `path:"run" doc:"The number of the first run"`
		Other uint `path:"other" doc:"The number of the second run"`
	},
	) (*response[wire.Comparison], error) {
		comparison, err := s.service.Compare(ctx, who, in.Run, in.Other)
		return answer(s, comparison, err)
	})
	get(s, "list-runs", "/runs", "The newest runs", []int{}, func(ctx context.Context, who identity.Actor, in *struct {
		Report  string    `query:"report" doc:"Only runs of this report"`
		Outcome string    `query:"outcome" enum:"running,done,empty,failed,refused,cancelled,timed_out,stalled,stopped" doc:"Only runs that ended so"`
		From    time.Time `query:"from" doc:"Only runs that started at this instant or after it"`
		Until   time.Time `query:"until" doc:"Only runs that started before this instant"`
		Before  uint      `query:"before" doc:"Only runs with a smaller number: the next page"`
		Limit   int       `query:"limit" default:"50" minimum:"1" maximum:"1000" doc:"How many at the most"`
	},
	) (*response[[]wire.RunSummary], error) {
		records, err := s.service.RunRecords(ctx, who, store.Filter{Report: in.Report, Outcome: in.Outcome, From: in.From, Until: in.Until, Before: in.Before}, in.Limit)
		return answer(s, records, err)
	})
}

// Drawing is a chart to be drawn.
type Drawing struct {
	Chart    output.Chart `json:"chart" doc:"The chart, as the summary of a run has it"`
	Language string       `json:"language,omitempty" maxLength:"35" doc:"The language of its numbers and dates"`
	Width    float64      `json:"width" minimum:"40" maximum:"1000" doc:"In millimetres"`
	Height   float64      `json:"height" minimum:"30" maximum:"1000" doc:"In millimetres"`
}

// drawn is a drawing as it is answered with.
type drawn struct {
	ContentType string `header:"Content-Type"`
	Body        []byte
}

func formatOf(name, accept string) output.Format {
	for _, f := range output.Formats {
		media, _, _ := strings.Cut(f.ContentType, ";")
		if name == f.Name || name == "" && strings.Contains(accept, media) {
			return f
		}
	}
	return output.JSON
}

// stream runs a report into the response. What goes wrong before the first
// byte is a problem document; after it, a format that cannot say how it ended
// breaks the connection off, so that half a file is never taken for a whole one.
func (s *Server) stream(ctx huma.Context, who identity.Actor, request service.Request, format output.Format) {
	s.streamed(ctx, who, "run-report", format, func(ctx context.Context, begin beginning) (wire.RunRecord, error) {
		return s.service.Run(ctx, who, request, format, begin)
	})
}

// beginning begins a response before its first row.
type beginning = func(started wire.RunRecord, format output.Format) output.Writer

func (s *Server) streamed(ctx huma.Context, who identity.Actor, operation string, format output.Format, run func(ctx context.Context, begin beginning) (wire.RunRecord, error)) {
	body := newBody(ctx.Context(), humagin.Unwrap(ctx).Writer, s.Stall)
	defer body.close()
	record, err := run(ctx.Context(), func(started wire.RunRecord, format output.Format) output.Writer {
		ctx.SetHeader("Content-Type", format.ContentType)
		ctx.SetHeader(RunHeader, strconv.FormatUint(uint64(started.Run), 10))
		ctx.SetStatus(http.StatusOK)
		return format.New(body)
	})
	var problem *Document
	switch {
	case err != nil:
		problem = s.asProblem(err)
		s.tell(ctx.Context(), who, operation, problem)
	case record.Outcome == runner.Cancelled || record.Outcome == runner.Stalled:
		panic(http.ErrAbortHandler) // nobody is there
	case format.Framed || record.Problem == "":
		return
	case record.Outcome == runner.Refused:
		problem = problemOf(http.StatusUnprocessableEntity, diag.Problem{Code: record.Outcome, Message: record.Problem})
	case record.Outcome == runner.TimedOut:
		problem = s.asProblem(&engine.Failure{Code: engine.TimedOut, Message: record.Problem})
	case record.Outcome == runner.Stopped:
		problem = problemOf(http.StatusServiceUnavailable, diag.Problem{Code: record.Outcome, Message: record.Problem, Hint: "Run it again when the service is back."})
	default:
		problem = problemOf(http.StatusBadGateway, diag.Problem{Code: record.Outcome, Message: record.Problem})
	}
	if body.written {
		panic(http.ErrAbortHandler)
	}
	ctx.SetHeader("Content-Type", problem.ContentType(""))
	ctx.SetStatus(problem.Status)
	writeBody(ctx, problem)
}
