package api

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/identity"
)

// use is a use case as it is called over HTTP.
type use[I, O any] func(context.Context, identity.Actor, *I) (*O, error)

// register registers a use case under the prefix, for who is known.
func register[I, O any](s *Server, op huma.Operation, handler use[I, O]) {
	op.Path = prefix + op.Path
	op.Errors = append(op.Errors, http.StatusUnauthorized, http.StatusForbidden)
	op.Security = []map[string][]string{{sessionScheme: {}}, {tokenScheme: {}}}
	huma.Register(s.huma, op, func(ctx context.Context, in *I) (*O, error) {
		who := callerOf(ctx).actor
		out, err := handler(ctx, who, in)
		s.tell(ctx, who, op.OperationID, err)
		return out, err
	})
}

// tell has the audit log tell of a refusal.
func (s *Server) tell(ctx context.Context, who identity.Actor, operation string, err error) {
	var p *Document
	if errors.As(err, &p) && p.Status == http.StatusForbidden {
		s.service.Refused(ctx, who, operation, p.Detail)
	}
}

// public registers a call that needs no sign-in.
func public[I, O any](s *Server, method, id, path, summary string, status int, errors []int, handler func(context.Context, *I) (*O, error)) {
	huma.Register(s.huma, huma.Operation{OperationID: id, Method: method, Path: prefix + path, Summary: summary, DefaultStatus: status, Errors: errors}, handler)
}

// The following register a use case by its method. Errors lists the statuses it
// refuses with besides 401, 403 and 500 and, for bad requests, 400 and 422.

func get[I, O any](s *Server, id, path, summary string, errors []int, handler use[I, O]) {
	register(s, huma.Operation{OperationID: id, Method: http.MethodGet, Path: path, Summary: summary, Errors: errors}, handler)
}

func post[I, O any](s *Server, id, path, summary string, status int, errors []int, handler use[I, O]) {
	register(s, huma.Operation{
		OperationID: id, Method: http.MethodPost, Path: path, Summary: summary,
		DefaultStatus: status, Errors: append([]int{http.StatusBadRequest}, errors...),
	}, handler)
}

func put[I, O any](s *Server, id, path, summary string, errors []int, handler use[I, O]) {
	register(s, huma.Operation{OperationID: id, Method: http.MethodPut, Path: path, Summary: summary, Errors: append([]int{http.StatusBadRequest}, errors...)}, handler)
}

func patch[I, O any](s *Server, id, path, summary string, errors []int, handler use[I, O]) {
	register(s, huma.Operation{OperationID: id, Method: http.MethodPatch, Path: path, Summary: summary, Errors: append([]int{http.StatusBadRequest}, errors...)}, handler)
}

func remove[I any](s *Server, id, path, summary string, handler func(context.Context, identity.Actor, *I) error) {
	done(s, http.MethodDelete, id, path, summary, []int{404, 422}, handler)
}

// done registers a call that answers with nothing.
func done[I any](s *Server, method, id, path, summary string, errors []int, handler func(context.Context, identity.Actor, *I) error) {
	register(s, huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, Errors: errors}, func(ctx context.Context, who identity.Actor, in *I) (*struct{}, error) {
		if err := handler(ctx, who, in); err != nil {
			return nil, s.asProblem(err)
		}
		return nil, nil
	})
}
