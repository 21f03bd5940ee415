package service

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// Grants lists who was granted what, as far as the actor manages it.
func (s *Service) Grants(ctx context.Context, who identity.Actor) ([]wire.Grant, error) {
	if err := authors(who); err != nil {
		return nil, err
	}
	kept, err := s.Store.Grants(ctx)
	out := []wire.Grant{}
	for _, g := range kept {
		if mayGrant(who, g) {
			out = append(out, grantOf(g))
		}
	}
	return out, err
}

// mayGrant tells whether somebody may give or take a right.
func mayGrant(who identity.Actor, g store.Grant) bool {
	return who.Administers() || g.Kind == "folder" && who.May(identity.Manage, g.Place)
}

func grantOf(g store.Grant) wire.Grant {
	out := wire.Grant{Right: g.Right}
	switch g.Kind {
	case "folder":
		out.Folder = &g.Place
	case "destination":
		out.Destination = g.Place
	default:
		out.Source = g.Place
	}
	if g.ToKind == "user" {
		out.User = g.To
	} else {
		out.Group = g.To
	}
	return out
}

// Grant gives a right, in the place of another that was given to the same in the same
// place.
func (s *Service) Grant(ctx context.Context, who identity.Actor, g wire.Grant) error {
	if err := authorChanges(who); err != nil {
		return err
	}
	kept, err := s.grantable(ctx, who, g, true, "give rights")
	if err != nil {
		return err
	}
	return s.Store.SaveGrants(ctx, nil, []store.Grant{kept}, who.Entry("right.given", toWhom(kept)).With(nil, g))
}

// Revoke takes a right back.
func (s *Service) Revoke(ctx context.Context, who identity.Actor, g wire.Grant) error {
	if err := authorChanges(who); err != nil {
		return err
	}
	kept, err := s.grantable(ctx, who, g, false, "take rights back")
	if err != nil {
		return err
	}
	all, err := s.Store.Grants(ctx)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(all, func(k store.Grant) bool { k.Right = kept.Right; return k == kept }) {
		return &NotFound{What: "right", Name: "of " + toWhom(kept) + " there"}
	}
	return s.Store.SaveGrants(ctx, []store.Grant{kept}, nil, who.Entry("right.taken", toWhom(kept)).With(g, nil))
}

// grantable reads a right that somebody is about to give or take, as doing says; there
// is that of grants.
func (s *Service) grantable(ctx context.Context, who identity.Actor, g wire.Grant, there bool, doing string) (store.Grant, error) {
	kept, err := s.grants(ctx, []wire.Grant{g}, there)
	if err != nil {
		return store.Grant{}, err
	}
	if !mayGrant(who, kept[0]) {
		return store.Grant{}, forbidden("You may not "+doing+" there.", "Ask an administrator, or somebody who manages the folder.")
	}
	return kept[0], nil
}

// ApplyGrants puts rights in the place of all that there are, and tells what that
// changes; dry changes nothing.
func (s *Service) ApplyGrants(ctx context.Context, who identity.Actor, wanted []wire.Grant, dry bool) (given, taken []wire.Grant, err error) {
	if err := administratorChanges(who); err != nil {
		return nil, nil, err
	}
	made, err := s.grants(ctx, wanted, true)
	if err != nil {
		return nil, nil, err
	}
	there, err := s.Store.Grants(ctx)
	if err != nil {
		return nil, nil, err
	}
	given, taken = []wire.Grant{}, []wire.Grant{}
	var gone []store.Grant
	for _, g := range there {
		if !slices.Contains(made, g) {
			gone, taken = append(gone, g), append(taken, grantOf(g))
		}
	}
	for _, g := range made {
		if !slices.Contains(there, g) {
			given = append(given, grantOf(g))
		}
	}
	if dry || len(given)+len(taken) == 0 {
		return given, taken, nil
	}
	return given, taken, s.Store.SaveGrants(ctx, gone, made, who.Entry("rights.applied", "").With(taken, given))
}

func toWhom(g store.Grant) string { return g.ToKind + " " + g.To }

// grants reads rights that are to be given or taken; there says that whom and what
// they name has to be there.
func (s *Service) grants(ctx context.Context, asked []wire.Grant, there bool) ([]store.Grant, error) {
	users, err := s.Store.Users(ctx)
	if err != nil {
		return nil, err
	}
	groups, err := s.Store.Groups(ctx)
	if err != nil {
		return nil, err
	}
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	var userNames, groupNames []string
	for _, u := range users {
		userNames = append(userNames, u.Name)
	}
	for _, g := range groups {
		groupNames = append(groupNames, g.Name)
	}
	out := make([]store.Grant, len(asked))
	var problems diag.Problems
	for i, g := range asked {
		at := func(field string) string {
			if len(asked) == 1 {
				return field
			}
			return fmt.Sprintf("grants[%d].%s", i, field)
		}
		k := store.Grant{Kind: "folder", Right: g.Right, ToKind: "user", To: g.User}
		rights := identity.FolderRights
		switch {
		case counted(g.Folder != nil, g.Source != "", g.Destination != "") != 1:
			problems = append(problems, diag.Problem{Code: "grant_place", Field: at("folder"), Message: "A right is in a folder, on a source or to a destination.", Hint: "Name one of them; the blank folder is the topmost."})
		case g.Destination != "":
			k.Kind, k.Place, rights = "destination", g.Destination, identity.DestinationRights
			if there {
				problems = append(problems, s.destinationThere(at("destination"), g.Destination)...)
			}
		case g.Folder != nil && !definition.IsFolder(*g.Folder):
			problems = append(problems, diag.Problem{Code: "bad_folder", Field: at("folder"), Message: fmt.Sprintf("%q is not a folder.", *g.Folder), Hint: "Write lower-case words joined by dashes, and slashes between folders: dues/monthly."})
		case g.Folder != nil:
			k.Place = *g.Folder
		default:
			k.Kind, k.Place, rights = "source", g.Source, identity.SourceRights
			if there && g.Source != identity.EverySource {
				problems = append(problems, thereAre("unknown_source", "source", at("source"), []string{g.Source}, append([]string{KeptSource}, d.sources...))...)
			}
		}
		if there && !slices.Contains(rights, g.Right) {
			problems = append(problems, diag.Problem{Code: "unknown_right", Field: at("right"), Message: fmt.Sprintf("There is no right %q on a %s.", g.Right, k.Kind), Hint: "There is " + strings.Join(rights, ", ") + "."})
		}
		switch {
		case (g.User != "") == (g.Group != ""):
			problems = append(problems, diag.Problem{Code: "grant_whom", Field: at("user"), Message: "A right is given to a user or to a group.", Hint: "Name one of them."})
		case g.Group != "":
			k.ToKind, k.To = "group", g.Group
			if there {
				problems = append(problems, thereAre("unknown_group", "group", at("group"), []string{g.Group}, groupNames)...)
			}
		case there:
			problems = append(problems, thereAre("unknown_user", "user", at("user"), []string{g.User}, userNames)...)
		}
		out[i] = k
	}
	return out, problems.Err()
}

// counted is how many are true.
func counted(all ...bool) (n int) {
	for _, yes := range all {
		if yes {
			n++
		}
	}
	return n
}

// ReportReaders tells who can run a report and why, to who manages its folder.
func (s *Service) ReportReaders(ctx context.Context, who identity.Actor, report string) ([]wire.ReportReader, error) {
	if err := authors(who); err != nil {
		return nil, err
	}
	if err := s.mayRun(ctx, who, Request{Report: report}); err != nil {
		return nil, err
	}
	e, _, err := s.seen(ctx, who, "report", report, false)
	if err != nil {
		return nil, err
	}
	folder := e.publishedHead.folder
	if !who.May(identity.Manage, folder) {
		p := notIn("", identity.Manage, folder)
		return nil, forbidden(p.Message, p.Hint)
	}
	users, err := s.Store.Users(ctx)
	if err != nil {
		return nil, err
	}
	groups, err := s.Store.Groups(ctx)
	if err != nil {
		return nil, err
	}
	granted, err := s.Store.Grants(ctx)
	out := []wire.ReportReader{}
	for _, u := range users {
		if u.Disabled {
			continue
		}
		reader := wire.ReportReader{User: u.Name, Display: u.Display}
		if u.Role == identity.Administrator {
			reader.Because = append(reader.Because, "is an administrator")
		}
		for _, g := range granted {
			if g.Kind != "folder" || g.Place != "" && folder != g.Place && !strings.HasPrefix(folder, g.Place+"/") {
				continue
			}
			where := "the folder " + g.Place
			if g.Place == "" {
				where = "every folder"
			}
			at := slices.IndexFunc(groups, func(k store.Group) bool { return k.Name == g.To })
			switch {
			case g.ToKind == "user" && g.To == u.Name:
				reader.Because = append(reader.Because, fmt.Sprintf("was given %s in %s", g.Right, where))
			case g.ToKind == "group" && at >= 0 && slices.Contains(groups[at].Members, u.Name):
				reader.Because = append(reader.Because, fmt.Sprintf("is in the group %s, which was given %s in %s", g.To, g.Right, where))
			}
		}
		if reader.Because != nil {
			out = append(out, reader)
		}
	}
	return out, err
}
