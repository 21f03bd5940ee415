package api

import (
	"context"
	"net/http"
	"time"

	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// UserPath is a user named in the path.
type UserPath struct {
	User string `path:"user" doc:"The user's name" example:"ava"`
}

// NewUser is a user to be made.
type NewUser struct {
	Name       string              `json:"name" maxLength:"100" doc:"The name to sign in with"`
	Display    string              `json:"display,omitempty" maxLength:"200" doc:"How others see the name"`
	Email      string              `json:"email,omitempty" maxLength:"320"`
	Role       string              `json:"role" enum:"reader,author,administrator"`
	Groups     []string            `json:"groups,omitempty"`
	Attributes map[string][]string `json:"attributes,omitempty" doc:"What row rules ask for"`
}

func (s *Server) people() {
	get(s, "list-users", "/users", "Everybody who can sign in", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.User], error) {
		list, err := s.service.Users(ctx, who)
		return answer(s, list, err)
	})
	get(s, "show-user", "/users/{user}", "Somebody who can sign in", []int{404}, func(ctx context.Context, who identity.Actor, in *UserPath) (*response[wire.User], error) {
		user, err := s.service.User(ctx, who, in.User)
		return answer(s, user, err)
	})
	post(s, "invite-user", "/users", "Make a user, and a link with which they set their password", http.StatusCreated, []int{422}, func(ctx context.Context, who identity.Actor, in *struct{ Body NewUser }) (*response[wire.Invitation], error) {
		b := in.Body
		made, err := s.service.Invite(ctx, who, wire.User{Name: b.Name, Display: b.Display, Email: b.Email, Role: b.Role, Groups: b.Groups, Attributes: b.Attributes})
		return answer(s, made, err)
	})
	patch(s, "change-user", "/users/{user}", "Change a user; what is left out stays", []int{404, 422}, func(ctx context.Context, who identity.Actor, in *struct {
		UserPath
		Body wire.UserChange
	},
	) (*response[wire.User], error) {
		user, err := s.service.ChangeUser(ctx, who, in.User, in.Body)
		return answer(s, user, err)
	})
	post(s, "link-user", "/users/{user}/link", "Give a user another link to set their password with", http.StatusCreated, []int{404}, func(ctx context.Context, who identity.Actor, in *UserPath) (*response[wire.Invitation], error) {
		made, err := s.service.NewLink(ctx, who, in.User)
		return answer(s, made, err)
	})
	done(s, http.MethodPost, "see-as", "/see-as", "See what a user would, in this browser: it only reads", []int{400, 404, 422}, func(ctx context.Context, who identity.Actor, in *struct {
		Body struct {
			User string `json:"user" maxLength:"100"`
		}
	},
	) error {
		return s.service.SeeAs(ctx, who, in.Body.User)
	})
	done(s, http.MethodPost, "see-as-oneself", "/see-as/end", "End seeing what another user would", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) error {
		return s.service.SeeAsOneself(ctx, who)
	})
	get(s, "list-groups", "/groups", "The groups and who is in them", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.Group], error) {
		list, err := s.service.Groups(ctx, who)
		return answer(s, list, err)
	})
	put(s, "save-group", "/groups/{group}", "Make or replace a group", []int{422}, func(ctx context.Context, who identity.Actor, in *struct {
		Group string `path:"group" doc:"The group's name" example:"keepers"`
		Body  struct {
			Title   string   `json:"title,omitempty" maxLength:"200"`
			Members []string `json:"members" maxItems:"10000"`
		}
	},
	) (*response[wire.Group], error) {
		group, err := s.service.SaveGroup(ctx, who, wire.Group{Name: in.Group, Title: in.Body.Title, Members: in.Body.Members})
		return answer(s, group, err)
	})
	remove(s, "remove-group", "/groups/{group}", "Remove a group and what was granted to it", func(ctx context.Context, who identity.Actor, in *struct {
		Group string `path:"group" doc:"The group's name"`
	},
	) error {
		return s.service.RemoveGroup(ctx, who, in.Group)
	})
	get(s, "list-audit", "/audit", "What was done, the newest first", []int{}, func(ctx context.Context, who identity.Actor, in *struct {
		Who    string    `query:"who" doc:"Only what this user did"`
		What   string    `query:"what" doc:"Only this, or what begins with it and a dot" example:"user"`
		From   time.Time `query:"from" doc:"Only what was done at this instant or after it"`
		Until  time.Time `query:"until" doc:"Only what was done before this instant"`
		Before int64     `query:"before" doc:"Only entries with a smaller number: the next page"`
		Limit  int       `query:"limit" default:"100" minimum:"1" maximum:"1000" doc:"How many at the most"`
	},
	) (*response[[]wire.AuditEntry], error) {
		list, err := s.service.AuditLog(ctx, who, store.AuditFilter{Who: in.Who, What: in.What, From: in.From, Until: in.Until, Before: in.Before}, in.Limit)
		return answer(s, list, err)
	})
	get(s, "verify-audit", "/audit/verify", "Whether the audit log is as it was written", []int{422}, func(ctx context.Context, who identity.Actor, in *struct {
		Head string `query:"head" maxLength:"100" doc:"The end of the log as it was noted before"`
	},
	) (*response[wire.Verified], error) {
		verified, err := s.service.VerifyAudit(ctx, who, in.Head)
		return answer(s, verified, err)
	})
}
