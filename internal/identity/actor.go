package identity

import (
	"maps"
	"regexp"
	"slices"
	"strings"

	"pikegate/core/parameter"
	"pikegate/internal/store"
)

// The roles. An author can be granted more than running; an administrator may do
// everything everywhere.
const (
	Reader        = "reader"
	Author        = "author"
	Administrator = "administrator"
)

// AttributeHint says what IsAttribute asks for.
const AttributeHint = "Attributes are lower-case words joined by underscores, other than from, through and until."

var attribute = regexp.MustCompile(`^[a-z][a-z0-9]*(_[a-z0-9]+)*$`)

// IsAttribute tells whether an attribute can have a name: one that a row rule can write
// after ":user.", where some words are the parts of a period.
func IsAttribute(name string) bool {
	return attribute.MatchString(name) && !slices.Contains([]string{"from", "through", "until"}, name)
}

// Roles are the roles, the least first.
var Roles = []string{Reader, Author, Administrator}

// The rights in a folder and all below it, each with those before it.
const (
	Run     = "run"
	Draft   = "draft"
	Publish = "publish"
	Manage  = "manage"
)

// The rights on a source: to write queries on it, to write SQL by hand on it, and to
// change its connection and how its dates are stored; each with those before it.
const (
	Read = "read"
	SQL  = "sql"
)

// Deliver is the right on a destination: to have schedules deliver there.
const Deliver = "deliver"

// DestinationRights are those on destinations.
var DestinationRights = []string{Deliver}

// FolderRights and SourceRights are the rights there are, the least first.
var (
	FolderRights = []string{Run, Draft, Publish, Manage}
	SourceRights = []string{Read, SQL, Manage}
)

// EverySource is the place of a grant on all sources, those to come among them.
const EverySource = "*"

// The scopes of tokens.
const (
	Full       = "full"
	ReadOnly   = "read"
	OnlyReport = "report"
	OnlyLink   = "link"
)

// Actor is who asks. The zero actor is nobody and may nothing; only a Keeper makes
// others.
type Actor struct {
	*person
	// session is the hash of the session, token the token, that was signed in with.
	session string
	token   *store.Token
	// from is the address the request came from.
	from string
	// behind is the administrator who looks at what this user would see.
	behind string
}

// person is what is known of a user. It is shared and never changed.
type person struct {
	open    bool // whoever reaches the machine, while there are no users
	user    store.User
	groups  []string
	folders map[string]int // by path, the place of the right in FolderRights, from 1
	sources map[string]int
	// destinations are those of schedules, such as mail:navigation.example.
	destinations map[string]bool
}

// Known tells whether this is anybody.
func (a Actor) Known() bool { return a.person != nil }

// IsOpen tells whether this is whoever reaches the machine, while there are no users.
func (a Actor) IsOpen() bool { return a.Known() && a.open }

// Name is that of the user, blank in the open state.
func (a Actor) Name() string {
	if !a.Known() {
		return ""
	}
	return a.user.Name
}

// User is what is kept of the user; the zero one in the open state.
func (a Actor) User() store.User {
	if !a.Known() {
		return store.User{}
	}
	return a.user
}

// Groups are those the user is in.
func (a Actor) Groups() []string { return slices.Clone(a.groups) }

// From is the address the request came from.
func (a Actor) From() string { return a.from }

// Session is the hash of the session that was signed in with, blank for none.
func (a Actor) Session() string { return a.session }

// ByToken tells whether a token was signed in with.
func (a Actor) ByToken() bool { return a.token != nil }

// Writes tells whether anything can be changed: not with a narrowed token, nor by an
// administrator who looks at what another user would see.
func (a Actor) Writes() bool {
	return a.Known() && a.behind == "" && (a.token == nil || a.token.Scope == Full)
}

// Behind is the administrator who looks at what this user would see, blank for nobody.
func (a Actor) Behind() string { return a.behind }

// Doer is who it is that does something: the user, or the administrator who looks at
// what the user would see.
func (a Actor) Doer() string {
	if a.behind != "" {
		return a.behind
	}
	return a.Name()
}

// Narrowed gives the one report, and its answers, that a token is good for.
func (a Actor) Narrowed() (report string, inputs parameter.Inputs, ok bool) {
	if a.token == nil || a.token.Scope != OnlyReport && a.token.Scope != OnlyLink {
		return "", nil, false
	}
	return a.token.Report, a.token.Inputs, true
}

// Authors tells whether drafts can be had at all.
func (a Actor) Authors() bool {
	return a.Administers() || a.Known() && a.user.Role == Author
}

// Administers tells whether everything may be done everywhere.
func (a Actor) Administers() bool {
	return a.Known() && (a.open || a.user.Role == Administrator)
}

// May tells whether a right is held in a folder, or in one above it.
func (a Actor) May(right, folder string) bool {
	switch {
	case !a.Known():
		return false
	case a.Administers():
		return true
	case right != Run && !a.Authors():
		return false
	}
	need := slices.Index(FolderRights, right) + 1
	for {
		if a.folders[folder] >= need {
			return true
		}
		if folder == "" {
			return false
		}
		folder = folder[:max(strings.LastIndexByte(folder, '/'), 0)]
	}
}

// MayOn tells whether a right is held on a source.
func (a Actor) MayOn(right, source string) bool {
	switch {
	case a.Administers():
		return true
	case !a.Authors():
		return false
	}
	need := slices.Index(SourceRights, right) + 1
	return a.sources[source] >= need || a.sources[EverySource] >= need
}

// MayDeliver tells whether schedules may deliver to a place: folder:dues, mail:navigation.example,
// web:ledger.example or keep.
func (a Actor) MayDeliver(place string) bool {
	if !a.Known() || a.Administers() {
		return a.Known()
	}
	way, _, _ := strings.Cut(place, ":")
	return a.destinations[place] || a.destinations[way+":*"]
}

// Folders are those in which something is granted, with the rights.
func (a Actor) Folders() map[string]string { return named(a.folders, FolderRights) }

// Sources are those on which something is granted, with the rights.
func (a Actor) Sources() map[string]string { return named(a.sources, SourceRights) }

func named(granted map[string]int, rights []string) map[string]string {
	out := make(map[string]string, len(granted))
	for place, right := range granted {
		out[place] = rights[right-1]
	}
	return out
}

// personOf puts together what is known of a user.
func personOf(u store.User, groups []store.Group, grants []store.Grant) *person {
	p := &person{user: u, folders: map[string]int{}, sources: map[string]int{}, destinations: map[string]bool{}}
	for _, g := range groups {
		if slices.Contains(g.Members, u.Name) {
			p.groups = append(p.groups, g.Name)
		}
	}
	for _, g := range grants {
		if g.ToKind == "user" && g.To != u.Name || g.ToKind == "group" && !slices.Contains(p.groups, g.To) {
			continue
		}
		places, rights := p.folders, FolderRights
		switch g.Kind {
		case "destination":
			p.destinations[g.Place] = g.Right == Deliver
			continue
		case "source":
			places, rights = p.sources, SourceRights
		}
		places[g.Place] = max(places[g.Place], slices.Index(rights, g.Right)+1)
	}
	maps.DeleteFunc(p.folders, func(_ string, right int) bool { return right == 0 })
	maps.DeleteFunc(p.sources, func(_ string, right int) bool { return right == 0 })
	return p
}

// Entry begins what the audit log says of something this actor does.
func (a Actor) Entry(what, to string) store.Entry {
	return store.Entry{Who: a.Doer(), From: a.from, What: what, To: to}
}
