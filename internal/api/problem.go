package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/core/diag"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/service"
	"pikegate/internal/store"
)

// Document is a problem document (RFC 9457) with one entry for each problem.
type Document struct {
	Type   string `json:"type" doc:"The kind of problem" example:"about:blank"`
	Title  string `json:"title" doc:"The status in words"`
	Status int    `json:"status" doc:"The HTTP status"`
	Detail string `json:"detail,omitempty" doc:"One sentence for a person"`
	// Errors has one entry for each problem.
	Errors diag.Problems `json:"errors" doc:"One entry for each problem"`
}

func (p *Document) Error() string { return p.Detail }

// GetStatus is the HTTP status.
func (p *Document) GetStatus() int { return p.Status }

// ContentType is that of a problem document.
func (p *Document) ContentType(string) string { return "application/problem+json" }

func problemOf(status int, problems ...diag.Problem) *Document {
	p := &Document{Type: "about:blank", Title: http.StatusText(status), Status: status, Errors: problems}
	if len(problems) > 0 {
		p.Detail = problems[0].Message
	}
	return p
}

func internalProblem() *Document {
	return problemOf(http.StatusInternalServerError, diag.Problem{
		Code:    "internal",
		Message: "Something went wrong inside Pike Gate.", Hint: "The service's log says what.",
	})
}

// newProblem makes the framework's own refusals (a missing field, a wrong
// type) problem documents of the same shape.
func newProblem(status int, message string, errs ...error) huma.StatusError {
	p := problemOf(status)
	p.Detail = message
	for _, err := range errs {
		problem := diag.Problem{Code: "bad_request", Message: err.Error()}
		if d, ok := err.(*huma.ErrorDetail); ok {
			problem.Field, problem.Message = d.Location, d.Message
		}
		p.Errors = append(p.Errors, problem)
	}
	if p.Errors == nil {
		p.Errors = diag.Problems{{Code: "bad_request", Message: message}}
	}
	return p
}

// asProblem maps what a use case returns to a problem document; what nobody
// expected is logged and not shown.
func (s *Server) asProblem(err error) *Document {
	var problems diag.Problems
	var missing *service.NotFound
	var failure *engine.Failure
	var unwritable *store.Unwritable
	var refusal *identity.Refusal
	switch {
	case errors.As(err, &refusal):
		return problemOf(map[identity.Reason]int{identity.Unknown: 401, identity.Forbidden: 403, identity.TooOften: 429}[refusal.Reason], refusal.Problem)
	case errors.As(err, &problems):
		return problemOf(http.StatusUnprocessableEntity, problems...)
	case errors.As(err, &missing):
		return problemOf(http.StatusNotFound, diag.Problem{Code: "not_found", Message: missing.Error(), Hint: missing.Hint})
	case errors.As(err, &unwritable):
		s.log.Error("the service's own records cannot be written", "problem", unwritable.Err)
		return problemOf(http.StatusInternalServerError, diag.Problem{Code: "records_unwritable", Message: unwritable.Error(), Hint: "Make room on the disk that the service keeps its data on."})
	case errors.As(err, &failure) && failure.Code == engine.TimedOut:
		return problemOf(http.StatusGatewayTimeout, diag.Problem{Code: string(failure.Code), Message: failure.Message, Hint: "Ask for a shorter period, or for an index on what is asked."})
	case errors.As(err, &failure):
		return problemOf(http.StatusBadGateway, diag.Problem{Code: string(failure.Code), Message: failure.Message, Hint: failure.Hint})
	case errors.Is(err, context.Canceled):
		return problemOf(http.StatusServiceUnavailable, diag.Problem{
			Code: "request_ended", Message: "The request was ended before it was answered: whoever asked was signed out, or the service stops.", Hint: "Ask again; sign in first if that is asked for.",
		})
	}
	s.log.Error("a request failed", "problem", err)
	return internalProblem()
}

// answer wraps the result of a use case as a response.
func answer[T any](s *Server, body T, err error) (*response[T], error) {
	if err != nil {
		return nil, s.asProblem(err)
	}
	return &response[T]{body}, nil
}

type response[T any] struct{ Body T }

// writeProblem writes a problem document outside the framework.
func writeProblem(w http.ResponseWriter, p *Document) {
	body, err := json.Marshal(p)
	if err != nil {
		body = []byte("{}")
	}
	w.Header().Set("Content-Type", p.ContentType(""))
	w.WriteHeader(p.Status)
	_, _ = w.Write(body) // the caller may be gone; nothing is left to tell
}

func writeBody(ctx huma.Context, p *Document) {
	body, err := json.Marshal(p)
	if err == nil {
		_, _ = ctx.BodyWriter().Write(body) // the caller may be gone; nothing is left to tell
	}
}
