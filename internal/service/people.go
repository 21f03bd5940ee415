package service

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

var (
	userName  = regexp.MustCompile(`^[a-z0-9][a-z0-9._@+-]{0,99}$`)
	groupName = regexp.MustCompile(`^[a-z][a-z0-9]*([-_][a-z0-9]+)*$`)
)

// The bounds of what row rules ask for.
const (
	maxAttributes = 50
	maxValues     = 1000
)

// Users lists everybody who can sign in.
func (s *Service) Users(ctx context.Context, who identity.Actor) ([]wire.User, error) {
	if err := administrators(who); err != nil {
		return nil, err
	}
	kept, err := s.Store.Users(ctx)
	if err != nil {
		return nil, err
	}
	groups, err := s.Store.Groups(ctx)
	out := make([]wire.User, len(kept))
	for i, u := range kept {
		out[i] = userOf(u, groups)
	}
	return out, err
}

// User gives somebody who can sign in.
func (s *Service) User(ctx context.Context, who identity.Actor, name string) (wire.User, error) {
	all, err := s.Users(ctx, who)
	if err != nil {
		return wire.User{}, err
	}
	names := make([]string, len(all))
	for i, u := range all {
		if u.Name == name {
			return u, nil
		}
		names[i] = u.Name
	}
	return wire.User{}, notFound("user", name, names)
}

func userOf(u store.User, groups []store.Group) wire.User {
	out := wire.User{
		Name: u.Name, Display: u.Display, Email: u.Email, Role: u.Role, Groups: []string{}, Attributes: u.Attributes, Disabled: u.Disabled,
		HasPassword: u.Password != "", SecondFactor: u.Confirmed, CreatedAt: u.CreatedAt,
	}
	for _, g := range groups {
		if slices.Contains(g.Members, u.Name) {
			out.Groups = append(out.Groups, g.Name)
		}
	}
	return out
}

// Invite makes a user, and a link with which they set their password. The first user
// is made at the machine.
func (s *Service) Invite(ctx context.Context, who identity.Actor, u wire.User) (wire.Invitation, error) {
	if err := administratorChanges(who); err != nil {
		return wire.Invitation{}, err
	}
	if who.IsOpen() {
		return wire.Invitation{}, forbidden("The first user is made at the machine.", "Say there: pikegate user add NAME --role administrator")
	}
	if err := s.groupsThere(ctx, u.Groups); err != nil {
		return wire.Invitation{}, err
	}
	made, err := s.addUser(ctx, u, who.Entry("user.added", u.Name))
	if err != nil || len(u.Groups) == 0 {
		return made, err
	}
	return made, s.setGroups(ctx, who.Entry, u.Name, u.Groups)
}

// AddUserHere makes a user at the machine, the first one among them, which closes the
// service.
func (s *Service) AddUserHere(ctx context.Context, u wire.User) (wire.Invitation, error) {
	if err := s.groupsThere(ctx, u.Groups); err != nil {
		return wire.Invitation{}, err
	}
	if closed, err := s.Store.Closed(ctx); err != nil {
		return wire.Invitation{}, err
	} else if !closed && u.Role != identity.Administrator {
		return wire.Invitation{}, diag.Problems{{Code: "first_administrator", Field: "role", Message: "The first user has to be an administrator.", Hint: "Add one with --role administrator."}}
	}
	made, err := s.addUser(ctx, u, store.Entry{What: "user.added", To: u.Name})
	if err != nil || len(u.Groups) == 0 {
		return made, err
	}
	return made, s.setGroups(ctx, func(what, to string) store.Entry { return store.Entry{What: what, To: to} }, u.Name, u.Groups)
}

func (s *Service) addUser(ctx context.Context, u wire.User, e store.Entry) (wire.Invitation, error) {
	problems := checkAttributes(u.Attributes)
	if !userName.MatchString(u.Name) {
		problems = append(problems, diag.Problem{Code: "bad_user_name", Field: "name", Message: fmt.Sprintf("%q is not a name to sign in with.", u.Name), Hint: "Use lower-case letters, digits and . _ - + @, at most 100."})
	}
	if !slices.Contains(identity.Roles, u.Role) {
		problems = append(problems, diag.Problem{Code: "unknown_role", Field: "role", Message: fmt.Sprintf("There is no role %q.", u.Role), Hint: "There is " + strings.Join(identity.Roles, ", ") + "."})
	}
	if err := problems.Err(); err != nil {
		return wire.Invitation{}, err
	}
	secret, link := s.People.NewLink(u.Name)
	err := s.Store.AddUser(ctx, store.User{Name: u.Name, Display: u.Display, Email: u.Email, Role: u.Role, Attributes: u.Attributes, CreatedAt: s.Now().UTC()}, link, e.With(nil, u))
	if errors.Is(err, store.ErrTaken) {
		return wire.Invitation{}, diag.Problems{{Code: "user_exists", Field: "name", Message: "There is a user " + u.Name + " already.", Hint: "Choose another name, or give them a new link."}}
	}
	return invitation(link, secret), err
}

func invitation(link store.Link, secret string) wire.Invitation {
	return wire.Invitation{User: link.User, Link: "/#/welcome/" + secret, Expires: link.Expires}
}

// NewLink gives a user another link to set their password with.
func (s *Service) NewLink(ctx context.Context, who identity.Actor, name string) (wire.Invitation, error) {
	if err := administratorChanges(who); err != nil {
		return wire.Invitation{}, err
	}
	return s.newLink(ctx, name, who.Entry("user.link", name))
}

func (s *Service) newLink(ctx context.Context, name string, e store.Entry) (wire.Invitation, error) {
	if _, err := s.Store.User(ctx, name); err != nil {
		return wire.Invitation{}, orNotFound(err, "user", name)
	}
	secret, link := s.People.NewLink(name)
	return invitation(link, secret), s.Store.KeepLink(ctx, link, e)
}

// RecoverHere lets a user in again, at the machine: they are enabled, their second
// factor is taken away, and a link to set their password is given.
func (s *Service) RecoverHere(ctx context.Context, name string) (wire.Invitation, error) {
	err := s.Store.ChangeUser(ctx, name, false, store.Entry{What: "user.recovered", To: name}, func(u *store.User) error {
		u.Disabled = false
		return identity.WithoutFactor(u)
	})
	if err != nil {
		return wire.Invitation{}, orNotFound(err, "user", name)
	}
	return s.newLink(ctx, name, store.Entry{What: "user.link", To: name})
}

// ChangeUser changes a user; what is left out stays. One who is disabled is signed out
// everywhere, and what they have under way ends.
func (s *Service) ChangeUser(ctx context.Context, who identity.Actor, name string, c wire.UserChange) (wire.User, error) {
	before, err := s.User(ctx, who, name)
	if err == nil {
		err = administratorChanges(who)
	}
	if err != nil {
		return wire.User{}, err
	}
	if c.Attributes != nil {
		if err := checkAttributes(*c.Attributes).Err(); err != nil {
			return wire.User{}, err
		}
	}
	if c.Groups != nil {
		if err := s.groupsThere(ctx, *c.Groups); err != nil {
			return wire.User{}, err
		}
	}
	ends := c.Disabled != nil && *c.Disabled || c.NoFactor
	err = s.Store.ChangeUser(ctx, name, ends, who.Entry("user.changed", name).With(before, c), func(u *store.User) error {
		set(&u.Display, c.Display)
		set(&u.Email, c.Email)
		set(&u.Role, c.Role)
		set(&u.Attributes, c.Attributes)
		set(&u.Disabled, c.Disabled)
		if c.NoFactor {
			return identity.WithoutFactor(u)
		}
		return nil
	})
	if ends && err == nil {
		s.People.EndUser(name)
	}
	if errors.Is(err, store.ErrLast) {
		return wire.User{}, diag.Problems{{Code: "last_administrator", Field: "name", Message: name + " is the last administrator who can sign in.", Hint: "Make somebody else an administrator first."}}
	}
	if err == nil && c.Groups != nil {
		err = s.setGroups(ctx, who.Entry, name, *c.Groups)
	}
	if err != nil {
		return wire.User{}, orNotFound(err, "user", name)
	}
	return s.User(ctx, who, name)
}

// SeeAs has an administrator's session see what a user would: it only reads, and every
// page says so.
func (s *Service) SeeAs(ctx context.Context, who identity.Actor, user string) error {
	if err := administrators(who); err != nil {
		return err
	}
	if err := inPerson(who); err != nil {
		return err
	}
	if _, err := s.User(ctx, who, user); err != nil {
		return err
	}
	if err := s.People.See(ctx, who, user); err != nil {
		return diag.Problems{{Code: "user_disabled", Field: "user", Message: user + " is disabled and sees nothing.", Hint: "Enable them first."}}
	}
	return s.Store.Audit(ctx, who.Entry("see-as.begun", user))
}

// SeeAsOneself ends seeing what another user would.
func (s *Service) SeeAsOneself(ctx context.Context, who identity.Actor) error {
	if err := admitted(who); err != nil {
		return err
	}
	if who.Behind() == "" {
		return nil
	}
	if err := s.People.See(ctx, who, ""); err != nil {
		return err
	}
	return s.Store.Audit(ctx, who.Entry("see-as.ended", who.Name()))
}

// set puts what is given in the place of what there is.
func set[T any](to, from *T) {
	if from != nil {
		*to = *from
	}
}

func checkAttributes(attributes map[string][]string) (problems diag.Problems) {
	if len(attributes) > maxAttributes {
		return diag.Problems{{Code: "too_many_attributes", Field: "attributes", Message: fmt.Sprintf("There are %d attributes, and at most %d.", len(attributes), maxAttributes), Hint: "Leave some out."}}
	}
	for _, name := range slices.Sorted(maps.Keys(attributes)) {
		if !identity.IsAttribute(name) {
			problems = append(problems, diag.Problem{Code: "bad_name", Field: "attributes", Message: fmt.Sprintf("%q cannot be the name of an attribute.", name), Hint: identity.AttributeHint})
		}
		if len(attributes[name]) > maxValues {
			problems = append(problems, diag.Problem{Code: "too_many_attributes", Field: "attributes." + name, Message: fmt.Sprintf("There are %d values, and at most %d.", len(attributes[name]), maxValues), Hint: "Leave some out."})
		}
	}
	return problems
}

// setGroups has a user be in some groups and in no others.
func (s *Service) setGroups(ctx context.Context, entry func(what, to string) store.Entry, user string, names []string) error {
	if err := s.groupsThere(ctx, names); err != nil {
		return err
	}
	groups, err := s.Store.Groups(ctx)
	if err != nil {
		return err
	}
	for _, g := range groups {
		wanted, is := slices.Contains(names, g.Name), slices.Contains(g.Members, user)
		if wanted == is {
			continue
		}
		before := groupOf(g)
		g.Members = slices.DeleteFunc(slices.Clone(g.Members), func(m string) bool { return m == user })
		if wanted {
			g.Members = append(g.Members, user)
		}
		if err := s.Store.SaveGroup(ctx, g, entry("group.changed", g.Name).With(before, groupOf(g))); err != nil {
			return err
		}
	}
	return nil
}

// groupsThere says which of some groups there are not.
func (s *Service) groupsThere(ctx context.Context, names []string) error {
	groups, err := s.Store.Groups(ctx)
	if err != nil {
		return err
	}
	known := make([]string, len(groups))
	for i, g := range groups {
		known[i] = g.Name
	}
	return thereAre("unknown_group", "group", "groups", names, known).Err()
}

// thereAre says which of some names are not among those that are known.
func thereAre(code, what, field string, names, known []string) (problems diag.Problems) {
	for _, name := range names {
		if !slices.Contains(known, name) {
			hint := diag.DidYouMean(name, known)
			if hint == "" {
				hint = "pikegate " + what + " list names those there are."
			}
			problems = append(problems, diag.Problem{Code: code, Field: field, Message: fmt.Sprintf("There is no %s %q.", what, name), Hint: hint})
		}
	}
	return problems
}

func groupOf(g store.Group) wire.Group {
	members := g.Members
	if members == nil {
		members = []string{}
	}
	return wire.Group{Name: g.Name, Title: g.Title, Members: members}
}

// Groups lists the groups and who is in them.
func (s *Service) Groups(ctx context.Context, who identity.Actor) ([]wire.Group, error) {
	if err := administrators(who); err != nil {
		return nil, err
	}
	kept, err := s.Store.Groups(ctx)
	out := make([]wire.Group, len(kept))
	for i, g := range kept {
		out[i] = groupOf(g)
	}
	return out, err
}

// SaveGroup makes or replaces a group.
func (s *Service) SaveGroup(ctx context.Context, who identity.Actor, g wire.Group) (wire.Group, error) {
	if err := administratorChanges(who); err != nil {
		return wire.Group{}, err
	}
	groups, err := s.Store.Groups(ctx)
	if err != nil {
		return wire.Group{}, err
	}
	users, err := s.Store.Users(ctx)
	if err != nil {
		return wire.Group{}, err
	}
	var problems diag.Problems
	if !groupName.MatchString(g.Name) {
		problems = append(problems, diag.Problem{Code: "bad_name", Field: "name", Message: fmt.Sprintf("%q is not a name.", g.Name), Hint: "Names are lower-case words joined by dashes."})
	}
	known := make([]string, len(users))
	for i, u := range users {
		known[i] = u.Name
	}
	problems = append(problems, thereAre("unknown_user", "user", "members", g.Members, known)...)
	if err := problems.Err(); err != nil {
		return wire.Group{}, err
	}
	entry := who.Entry("group.added", g.Name).With(nil, g)
	if at := slices.IndexFunc(groups, func(k store.Group) bool { return k.Name == g.Name }); at >= 0 {
		entry = who.Entry("group.changed", g.Name).With(groupOf(groups[at]), g)
	}
	slices.Sort(g.Members)
	kept := store.Group{Name: g.Name, Title: g.Title, Members: slices.Compact(g.Members)}
	return groupOf(kept), s.Store.SaveGroup(ctx, kept, entry)
}

// RemoveGroup removes a group and what was granted to it.
func (s *Service) RemoveGroup(ctx context.Context, who identity.Actor, name string) error {
	if err := administratorChanges(who); err != nil {
		return err
	}
	return orNotFound(s.Store.RemoveGroup(ctx, name, who.Entry("group.removed", name)), "group", name)
}
