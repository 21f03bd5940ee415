package api

import (
	"context"
	"net/http"

	"pikegate/core/definition"
	"pikegate/core/phrase"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/wire"
)

func (s *Server) authoring() {
	get(s, "list-definitions", "/definitions", "Everything that was pushed", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.DefinitionInfo], error) {
		list, err := s.service.Definitions(ctx, who)
		return answer(s, list, err)
	})
	get(s, "show-definition", "/definitions/{kind}/{name}", "A definition as it was pushed last, or a published version of it", []int{404}, func(ctx context.Context, who identity.Actor, in *struct {
		DefinitionPath
		Version int `query:"version" minimum:"0" doc:"The published version; what was pushed last when left out"`
	},
	) (*response[Kept], error) {
		content, revision, err := s.service.Definition(ctx, who, in.Kind, in.Name, in.Version)
		return answer(s, Kept{content, revision}, err)
	})
	get(s, "list-versions", "/definitions/{kind}/{name}/versions", "What was published of a definition, the newest first", []int{404}, func(ctx context.Context, who identity.Actor, in *struct {
		DefinitionPath
	},
	) (*response[[]wire.Version], error) {
		versions, err := s.service.Versions(ctx, who, in.Kind, in.Name)
		return answer(s, versions, err)
	})
	get(s, "show-differences", "/definitions/{kind}/{name}/differences", "How one version of a definition differs from another, in words", []int{404}, func(ctx context.Context, who identity.Actor, in *struct {
		DefinitionPath
		From int `query:"from" minimum:"0" doc:"The one version; what was pushed last when left out"`
		To   int `query:"to" minimum:"0" doc:"The other; what was pushed last when left out"`
	},
	) (*response[[]definition.Difference], error) {
		differences, err := s.service.Differences(ctx, who, in.Kind, in.Name, in.From, in.To)
		return answer(s, differences, err)
	})
	get(s, "review-definition", "/reviews/{name}", "What publishing a name would do: the differences, the examples, who is affected", []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Name string `path:"name" doc:"The definition's name"`
	},
	) (*response[wire.Review], error) {
		review, err := s.service.Review(ctx, who, in.Name)
		return answer(s, review, err)
	})
	post(s, "check-definitions", "/definitions/check", "Everything that can be told of definitions that are being written; nothing is kept", http.StatusOK, []int{},
		func(ctx context.Context, who identity.Actor, in *struct {
			Run  bool `query:"run" doc:"Whether to run the examples of reports"`
			Body Content
		},
		) (*response[wire.Examination], error) {
			examination, err := s.service.Examine(ctx, who, in.Body.Content, in.Run)
			return answer(s, examination, err)
		})
	post(s, "look-at-results", "/definitions/results", "The first records of the first query or report among definitions that are being written", http.StatusOK, []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			Limit int `query:"limit" default:"20" minimum:"1" maximum:"200" doc:"How many at the most"`
			Body  Content
		},
		) (*response[output.Result], error) {
			result, err := s.service.FirstResults(ctx, who, in.Body.Content, in.Limit)
			return answer(s, result, err)
		})
	post(s, "preview-rule", "/definitions/rule-preview", "The first rows of a row rule's table as a user would see them, with the rule as it is written", http.StatusOK, []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			User  string `query:"user" required:"true" maxLength:"100" doc:"The user"`
			Limit int    `query:"limit" default:"20" minimum:"1" maximum:"200" doc:"How many at the most"`
			Body  Content
		},
		) (*response[output.Result], error) {
			result, err := s.service.PreviewRule(ctx, who, in.Body.Content, in.User, in.Limit)
			return answer(s, result, err)
		})
	post(s, "read-criteria", "/criteria/read", "The criteria of the first definition that has any, taken apart into conditions", http.StatusOK, []int{422},
		func(ctx context.Context, who identity.Actor, in *struct{ Body Content }) (*response[wire.CriteriaTree], error) {
			tree, err := s.service.ReadCriteria(ctx, who, in.Body.Content)
			return answer(s, tree, err)
		})
	post(s, "write-criteria", "/criteria/write", "The text of criteria whose conditions were changed; what was not changed stays as it was written", http.StatusOK, []int{422},
		func(ctx context.Context, who identity.Actor, in *struct{ Body ChangedCriteria }) (*response[wire.CriteriaTree], error) {
			tree, err := s.service.WriteCriteria(ctx, who, in.Body.Content, in.Body.Condition)
			return answer(s, tree, err)
		})
	post(s, "count-criteria", "/criteria/counts", "How many records each condition of a query that is being written lets through", http.StatusOK, []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			Anyway bool `query:"anyway" doc:"Whether to count the records of a table that has more than a million"`
			Body   Content
		},
		) (*response[wire.ConditionCounts], error) {
			counts, err := s.service.CountConditions(ctx, who, in.Body.Content, in.Anyway)
			return answer(s, counts, err)
		})
	get(s, "list-comparisons", "/criteria/comparisons", "What can be said of a value, by its type; \"unknown\" of one whose type is not known", []int{},
		func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[map[string][]phrase.Operator], error) {
			list, err := s.service.Comparisons(ctx, who)
			return answer(s, list, err)
		})
	get(s, "list-dependents", "/uses/{name}", "What depends on a definition, a source, a table or a column", []int{404}, func(ctx context.Context, who identity.Actor, in *struct {
		Name string `path:"name" doc:"The name of a definition or a source, a table, or TABLE.COLUMN"`
	},
	) (*response[[]wire.Dependent], error) {
		users, err := s.service.Dependents(ctx, who, in.Name)
		return answer(s, users, err)
	})
	post(s, "copy-definition", "/copies", "Keep what was pushed last under another name, to be varied; a report takes its query along where no other uses it", http.StatusOK, []int{404, 422},
		func(ctx context.Context, who identity.Actor, in *struct{ Body Copied }) (*response[wire.Checked], error) {
			checked, err := s.service.Copy(ctx, who, in.Body.Kind, in.Body.Name, in.Body.To)
			return answer(s, checked, err)
		})
	post(s, "rename", "/names", "Give a definition, a column or a question another name in every draft that uses it, or show what would change", http.StatusOK, []int{404, 422},
		func(ctx context.Context, who identity.Actor, in *struct{ Body wire.Renaming }) (*response[wire.Renamed], error) {
			renamed, err := s.service.Rename(ctx, who, in.Body)
			return answer(s, renamed, err)
		})
	post(s, "push-definitions", "/definitions", "Check definitions and keep them as drafts, all or none", http.StatusOK, []int{422},
		func(ctx context.Context, who identity.Actor, in *struct{ Body Pushed }) (*response[wire.Checked], error) {
			checked, err := s.service.Push(ctx, who, in.Body.Content, in.Body.Keeping)
			return answer(s, checked, err)
		})
	remove(s, "remove-definition", "/definitions/{kind}/{name}", "Remove a definition: its draft, and what was published from what can be run",
		func(ctx context.Context, who identity.Actor, in *struct {
			DefinitionPath
			Anyway bool `query:"anyway" doc:"Whether to remove it although it is used"`
		},
		) error {
			return s.service.Remove(ctx, who, in.Kind, in.Name, in.Anyway)
		})
	get(s, "check-published", "/published/check", "Every published report held against its source as it is now, its examples run", []int{502, 504}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.Published], error) {
		found, err := s.service.CheckPublished(ctx, who)
		return answer(s, found, err)
	})
	post(s, "publish-definition", "/definitions/{name}/publish", "Check what was pushed under a name and freeze it as the next version", http.StatusOK, []int{404, 422},
		func(ctx context.Context, who identity.Actor, in *struct {
			Name string `path:"name" doc:"The definition's name"`
		},
		) (*response[wire.Checked], error) {
			checked, err := s.service.Publish(ctx, who, in.Name)
			return answer(s, checked, err)
		})
}

// Copied is a definition, and what its copy is called.
type Copied struct {
	Kind string `json:"kind" maxLength:"20" doc:"The kind of the definition" example:"report"`
	Name string `json:"name" maxLength:"200" doc:"Its name" example:"passages-by-date"`
	To   string `json:"to" maxLength:"200" doc:"The name of the copy: lower-case words joined by dashes" example:"my-passages"`
}

// ChangedCriteria is a definition, and its criteria as they are to be.
type ChangedCriteria struct {
	Content   string        `json:"content" doc:"YAML or JSON documents" maxLength:"1048576"`
	Condition phrase.Phrase `json:"condition" doc:"The conditions, as they were read and changed"`
}

// Pushed is a file of definitions, and what its documents were changed from.
type Pushed struct {
	Content string `json:"content" doc:"YAML or JSON documents" maxLength:"1048576"`
	wire.Keeping
}

// Kept is a definition as it is kept.
type Kept struct {
	Content  string `json:"content" doc:"A YAML or JSON document"`
	Revision int    `json:"revision,omitempty" doc:"The revision of the draft, where that was asked for"`
}

// DefinitionPath is a definition named in the path.
type DefinitionPath struct {
	Kind string `path:"kind" enum:"source,calendar,parameter,criterion,query,report,overview,schedule,rule" doc:"The kind of definition"`
	Name string `path:"name" doc:"The definition's name"`
}

// Content is a file of definitions.
type Content struct {
	Content string `json:"content" doc:"YAML or JSON documents" maxLength:"1048576"`
}
