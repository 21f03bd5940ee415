package api

import (
	"context"
	"net/http"

	"pikegate/core/catalog"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/service"
	"pikegate/internal/wire"
)

// ReportPath is a report named in the path.
type ReportPath struct {
	Report string `path:"report" doc:"The report's name" example:"passages-by-date"`
}

// AsOfQuery is the day taken for today.
type AsOfQuery struct {
	AsOf string `query:"as_of" doc:"The day or instant taken for now; the clock when left out" example:"2026-03-31"`
}

// RunBody is what a caller gives to preview, explain or run a report.
type RunBody struct {
	Inputs  parameter.Inputs  `json:"inputs,omitempty" doc:"The answers by question: a text, a number, a list of them, or for a period also start and end; a blank text is no answer where there is a default" example:"{\"period\":\"2025-03\"}"`
	AsOf    string            `json:"as_of,omitempty" doc:"The day or instant taken for now; the clock when left out" example:"2026-03-31"`
	Sort    []string          `json:"sort,omitempty" doc:"An order of the caller's own, of a run or an explanation: columns that the report shows, each perhaps followed by descending" example:"[\"toll descending\"]"`
	Draft   bool              `json:"draft,omitempty" doc:"Whether what was pushed last is meant instead of the published version"`
	Answers string            `json:"answers,omitempty" maxLength:"200" doc:"The name of saved answers, under those that are given"`
	CSV     catalog.CSVFormat `json:"csv,omitzero" doc:"How a CSV is written, where not as the report or whoever asks has it"`
	Guard   bool              `json:"guard,omitempty" doc:"Whether texts that a spreadsheet would take for formulas get an apostrophe before them in CSV"`
}

func (b RunBody) request(report string) service.Request {
	return service.Request{Report: report, Inputs: b.Inputs, AsOf: b.AsOf, Sort: b.Sort, Draft: b.Draft, Answers: b.Answers, CSV: output.CSVSettings{CSVFormat: b.CSV, Guard: b.Guard}}
}

func (s *Server) reports() {
	get(s, "list-reports", "/reports", "The published reports", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.ReportInfo], error) {
		list, err := s.service.Reports(ctx, who)
		return answer(s, list, err)
	})
	get(s, "ask-report", "/reports/{report}", "What a report asks", []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		ReportPath
		AsOfQuery
		Draft bool `query:"draft" doc:"Whether what was pushed last is meant instead of the published version"`
	},
	) (*response[wire.ReportForm], error) {
		form, err := s.service.Ask(ctx, who, service.Request{Report: in.Report, AsOf: in.AsOf, Draft: in.Draft})
		return answer(s, form, err)
	})
	post(s, "list-choices", "/reports/{report}/questions/{question}/choices", "A page of what a question's answer is chosen from, the other answers applied", http.StatusOK, []int{404, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			ReportPath
			Question string `path:"question" doc:"The question's name" example:"locks"`
			Search   string `query:"search" doc:"Only choices this text occurs in, whatever its case"`
			Limit    int    `query:"limit" default:"100" minimum:"1" maximum:"500" doc:"How many at the most"`
			Offset   int    `query:"offset" minimum:"0" doc:"How many are skipped"`
			Body     RunBody
		},
		) (*response[[]parameter.Choice], error) {
			search := plan.Search{Text: in.Search, Limit: in.Limit, Offset: in.Offset}
			choices, err := s.service.Choices(ctx, who, in.Body.request(in.Report), in.Question, search)
			if choices == nil {
				choices = []parameter.Choice{}
			}
			return answer(s, choices, err)
		})
	post(s, "cover-report", "/reports/{report}/coverage", "How many records each day, month or year holds, the other answers applied", http.StatusOK, []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			ReportPath
			By   string `query:"by" default:"month" doc:"The unit of time: day, week, month, quarter, half, year, a fiscal one such as fiscal quarter, or a period of the calendar"`
			Body RunBody
		},
		) (*response[wire.Coverage], error) {
			coverage, err := s.service.Coverage(ctx, who, in.Body.request(in.Report), in.By)
			return answer(s, coverage, err)
		})
	post(s, "preview-report", "/reports/{report}/preview", "How inputs would be understood: the read-back, or every problem", http.StatusOK, []int{404, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			ReportPath
			Body RunBody
		},
		) (*response[wire.Preview], error) {
			preview, err := s.service.Preview(ctx, who, in.Body.request(in.Report))
			return answer(s, preview, err)
		})
	post(s, "explain-report", "/reports/{report}/explain", "How a run would come about, without running it", http.StatusOK, []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			ReportPath
			Plan bool `query:"plan" doc:"Whether to ask the database how it would run it"`
			Body RunBody
		},
		) (*response[wire.Explanation], error) {
			explanation, err := s.service.Explain(ctx, who, in.Body.request(in.Report), in.Plan)
			return answer(s, explanation, err)
		})
	post(s, "why-report", "/reports/{report}/why", "Why a run would find what it finds: how many records each condition matches, and where the nearest records are", http.StatusOK, []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			ReportPath
			Body RunBody
		},
		) (*response[wire.Why], error) {
			why, err := s.service.Why(ctx, who, in.Body.request(in.Report))
			return answer(s, why, err)
		})
}
