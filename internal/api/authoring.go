package api

import (
	"context"
	"net/http"

	"pikegate/internal/service"
)

func (s *Server) authoring() {
	get(s, "list-definitions", "/definitions", "Everything that was pushed", []int{}, func(context.Context, *struct{}) (*response[[]service.DefinitionInfo], error) {
		list, err := s.service.Definitions()
		return answer(s, list, err)
	})
	get(s, "show-definition", "/definitions/{kind}/{name}", "A definition as it was pushed last", []int{404}, func(_ context.Context, in *struct {
		Kind string `path:"kind" enum:"query,report,parameter" doc:"The kind of definition"`
		Name string `path:"name" doc:"The definition's name"`
	},
	) (*response[Content], error) {
		content, err := s.service.Definition(in.Kind, in.Name)
		return answer(s, Content{content}, err)
	})
	get(s, "list-users", "/uses/{name}", "What depends on a definition or a source", []int{404}, func(_ context.Context, in *struct {
		Name string `path:"name" doc:"The name of a definition or a source"`
	},
	) (*response[[]service.User], error) {
		users, err := s.service.Users(in.Name)
		return answer(s, users, err)
	})
	post(s, "push-definitions", "/definitions", "Check definitions and keep them as drafts, all or none", http.StatusOK, []int{422},
		func(ctx context.Context, in *struct{ Body Content }) (*response[service.Checked], error) {
			checked, err := s.service.Push(ctx, in.Body.Content)
			return answer(s, checked, err)
		})
	post(s, "publish-definition", "/definitions/{name}/publish", "Check what was pushed under a name and freeze it as the next version", http.StatusOK, []int{404, 422},
		func(ctx context.Context, in *struct {
			Name string `path:"name" doc:"The definition's name"`
		},
		) (*response[service.Checked], error) {
			checked, err := s.service.Publish(ctx, in.Name)
			return answer(s, checked, err)
		})
}

// Content is a file of definitions.
type Content struct {
	Content string `json:"content" doc:"YAML or JSON documents" maxLength:"1048576"`
}
