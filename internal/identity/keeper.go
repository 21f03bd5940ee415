package identity

import (
	"context"
	"errors"
	"log/slog"
	"maps"
	"sync"
	"time"

	"pikegate/internal/store"
)

// How long a session lasts without being used, and at most; how often it is noted
// that it, or a token, was.
const (
	idleTime   = 12 * time.Hour
	wholeTime  = 7 * 24 * time.Hour
	notedEvery = 5 * time.Minute
)

// linkTime is how long a link to set a password can be used.
const linkTime = 24 * time.Hour

// UsuallyFresh is how long what an identity provider said holds, where nothing else is
// said.
const UsuallyFresh = 30 * 24 * time.Hour

// ErrEnded is the cause that ends what somebody had under way when they were signed
// out.
var ErrEnded = errors.New("identity: signed out")

// Keeper knows the users, their sessions and tokens. It is safe for use by several
// goroutines.
type Keeper struct {
	// Fresh is how long what an identity provider said of a user holds after they signed in
	// there; then their tokens and links wait until they do again.
	Fresh time.Duration

	store *store.Store
	vault *Vault
	// provider is where people can sign in besides; nil for nowhere.
	provider *provider
	now      func() time.Time
	log      *slog.Logger
	hasher   *hasher

	accounts, addresses *tries

	mu       sync.Mutex // guards the rest
	people   uint64     // what the store's number was when persons were read
	persons  map[string]*person
	groups   []store.Group
	grants   []store.Grant
	sessions map[string]*session
	tokens   map[string]*store.Token
	noted    map[string]time.Time // sessions, by hash
	used     map[uint]time.Time   // tokens, by ID
	seeing   map[string]string    // users, by the session of the administrator who looks
	under    map[string]map[*context.CancelCauseFunc]bool
}

// session is one that was used since the service started.
type session struct {
	store.Session
	noted time.Time
}

// open is whoever reaches the machine, while there are no users.
var open = &person{open: true}

// NewKeeper makes a keeper of what is in a store. The vault seals the secrets of
// second factors.
func NewKeeper(kept *store.Store, vault *Vault, now func() time.Time, log *slog.Logger) *Keeper {
	return &Keeper{
		Fresh: UsuallyFresh,
		store: kept, vault: vault, now: now, log: log, hasher: newHasher(),
		accounts: newTries(30*time.Second, 10), addresses: newTries(5*time.Second, 30),
		persons: map[string]*person{}, sessions: map[string]*session{}, tokens: map[string]*store.Token{},
		noted: map[string]time.Time{}, used: map[uint]time.Time{}, seeing: map[string]string{}, under: map[string]map[*context.CancelCauseFunc]bool{},
	}
}

// Closed tells whether there are users.
func (k *Keeper) Closed(ctx context.Context) (bool, error) { return k.store.Closed(ctx) }

// Open gives whoever reaches the machine, as long as there are no users.
func (k *Keeper) Open(ctx context.Context, from string) (Actor, error) {
	closed, err := k.store.Closed(ctx)
	if err != nil {
		return Actor{}, err
	}
	if closed {
		return Actor{}, Nobody()
	}
	return Actor{person: open, from: from}, nil
}

// BySession gives who is signed in with a session, by what the browser has.
func (k *Keeper) BySession(ctx context.Context, secret, from string) (Actor, error) {
	hash, now := hashOf(secret), k.now()
	k.mu.Lock()
	kept := k.sessions[hash]
	k.mu.Unlock()
	if kept == nil {
		found, err := k.store.Session(ctx, hash)
		if errors.Is(err, store.ErrNotFound) {
			return Actor{}, Nobody()
		} else if err != nil {
			return Actor{}, err
		}
		kept = &session{found, found.Seen}
	}
	k.mu.Lock()
	if now.Sub(kept.Seen) > idleTime || now.Sub(kept.Begun) > wholeTime {
		delete(k.sessions, hash)
		k.mu.Unlock()
		return Actor{}, Nobody()
	}
	kept.Seen = now
	if now.Sub(kept.noted) > notedEvery {
		kept.noted, k.noted[hash] = now, now
	}
	k.mu.Unlock()
	p, err := k.person(ctx, kept.User)
	if err != nil {
		return Actor{}, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if _, again := k.sessions[hash]; !again {
		// It may have ended since it was read: what ends one takes it away last.
		if _, err := k.store.Session(ctx, hash); err != nil {
			return Actor{}, Nobody()
		}
		k.sessions[hash] = kept
	}
	a := Actor{person: p, session: hash, from: from}
	seen := k.seeing[hash]
	if seen == "" || !a.Administers() {
		return a, nil
	}
	k.mu.Unlock()
	other, err := k.person(ctx, seen)
	k.mu.Lock()
	if err != nil { // they were disabled
		delete(k.seeing, hash)
		return a, nil
	}
	return Actor{person: other, session: hash, from: from, behind: p.user.Name}, nil
}

// See has an administrator's session see what a user would, until it is blank.
func (k *Keeper) See(ctx context.Context, a Actor, user string) error {
	if user != "" {
		if _, err := k.person(ctx, user); err != nil {
			return err
		}
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.seeing[a.session] = user; user == "" {
		delete(k.seeing, a.session)
	}
	return nil
}

// ByToken gives who a token belongs to.
func (k *Keeper) ByToken(ctx context.Context, secret, from string) (Actor, error) {
	a, err := k.byToken(ctx, secret, from)
	if err == nil && a.token.Scope == OnlyLink {
		return Actor{}, Nobody()
	}
	return a, err
}

// ByLink gives who a link for a spreadsheet belongs to, and to what report and answers
// it leads. No other token stands in an address.
func (k *Keeper) ByLink(ctx context.Context, secret, from string) (Actor, error) {
	a, err := k.byToken(ctx, secret, from)
	if err == nil && a.token.Scope != OnlyLink {
		return Actor{}, Nobody()
	}
	return a, err
}

func (k *Keeper) byToken(ctx context.Context, secret, from string) (Actor, error) {
	if !isToken(secret) {
		return Actor{}, Nobody()
	}
	hash, now := hashOf(secret), k.now()
	k.mu.Lock()
	kept := k.tokens[hash]
	k.mu.Unlock()
	if kept == nil {
		found, err := k.store.Token(ctx, hash)
		if errors.Is(err, store.ErrNotFound) {
			return Actor{}, Nobody()
		} else if err != nil {
			return Actor{}, err
		}
		kept = &found
	}
	if !now.Before(kept.Expires) {
		return Actor{}, &Refusal{Reason: Unknown, Problem: expired(*kept)}
	}
	p, err := k.person(ctx, kept.User)
	if err != nil {
		return Actor{}, err
	}
	if p.user.Provider != "" && now.Sub(p.user.ProviderAt) > k.Fresh {
		return Actor{}, &Refusal{Reason: Unknown, Problem: paused(p.user)}
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.tokens[hash] == nil {
		if _, err := k.store.Token(ctx, hash); err != nil { // see BySession
			return Actor{}, Nobody()
		}
		k.tokens[hash] = kept
	}
	if now.Sub(kept.Used) > notedEvery && now.Sub(k.used[kept.ID]) > notedEvery {
		k.used[kept.ID] = now
	}
	return Actor{person: p, token: kept, from: from}, nil
}

// OnBehalf gives somebody whose schedule is due, with the rights they have now. An error says
// that nothing may be done for them any more.
func (k *Keeper) OnBehalf(ctx context.Context, user string) (Actor, error) {
	if user == "" {
		return k.Open(ctx, "")
	}
	p, err := k.person(ctx, user)
	if err != nil {
		return Actor{}, err
	}
	if p.user.Provider != "" && k.now().Sub(p.user.ProviderAt) > k.Fresh {
		return Actor{}, &Refusal{Reason: Unknown, Problem: paused(p.user)}
	}
	return Actor{person: p}, nil
}

// person gives what is known of a user who may sign in.
func (k *Keeper) person(ctx context.Context, name string) (*person, error) {
	people := k.store.People() // before anything is read
	k.mu.Lock()
	if k.people != people {
		k.people, k.persons, k.groups, k.grants = people, map[string]*person{}, nil, nil
	}
	p, groups, grants := k.persons[name], k.groups, k.grants
	k.mu.Unlock()
	if p != nil {
		return allowed(p)
	}
	u, err := k.store.User(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		return nil, Nobody()
	}
	if err == nil && groups == nil {
		groups, err = k.store.Groups(ctx)
	}
	if err == nil && grants == nil {
		grants, err = k.store.Grants(ctx)
	}
	if err != nil {
		return nil, err
	}
	p = personOf(u, groups, grants)
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.people == people {
		k.persons[name], k.groups, k.grants = p, groups, grants
	}
	return allowed(p)
}

func allowed(p *person) (*person, error) {
	if p.user.Disabled {
		return nil, Nobody()
	}
	return p, nil
}

// Attend has a request end when whoever made it is signed out.
func (k *Keeper) Attend(ctx context.Context, a Actor) (attended context.Context, done func()) {
	attended, cancel := context.WithCancelCause(ctx)
	key := keyOf(a)
	k.mu.Lock()
	if k.under[key] == nil {
		k.under[key] = map[*context.CancelCauseFunc]bool{}
	}
	k.under[key][&cancel] = true
	k.mu.Unlock()
	return attended, func() {
		cancel(nil)
		k.mu.Lock()
		defer k.mu.Unlock()
		if delete(k.under[key], &cancel); len(k.under[key]) == 0 {
			delete(k.under, key)
		}
	}
}

// keyOf names what a request depends on besides its user.
func keyOf(a Actor) string {
	switch {
	case a.open:
		return "open"
	case a.token != nil:
		return "token " + a.token.Hash + " " + a.Name()
	}
	return "session " + a.session + " " + a.Name()
}

// end breaks off what is under way with keys that are meant.
func (k *Keeper) end(meant func(key string) bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	for key, cancels := range k.under {
		if !meant(key) {
			continue
		}
		for cancel := range cancels {
			(*cancel)(ErrEnded)
		}
	}
}

// Watch keeps when sessions and tokens were last used, and ends what is under way
// when the service is closed from outside; it returns when the context ends.
func (k *Keeper) Watch(ctx context.Context) {
	closing, noting := time.NewTicker(250*time.Millisecond), time.NewTicker(time.Minute)
	defer closing.Stop()
	defer noting.Stop()
	for {
		select {
		case <-ctx.Done():
			k.note(context.WithoutCancel(ctx))
			return
		case <-closing.C:
			if closed, err := k.store.Closed(ctx); err == nil && closed {
				k.end(func(key string) bool { return key == "open" })
				closing.Stop()
			}
		case <-noting.C:
			k.note(ctx)
		}
	}
}

func (k *Keeper) note(ctx context.Context) {
	k.mu.Lock()
	noted, used := k.noted, k.used
	k.noted, k.used = map[string]time.Time{}, map[uint]time.Time{}
	now := k.now()
	maps.DeleteFunc(k.sessions, func(_ string, s *session) bool { return now.Sub(s.Seen) > idleTime || now.Sub(s.Begun) > wholeTime })
	k.mu.Unlock()
	if err := k.store.Noted(ctx, noted, used, now.Add(-wholeTime), now.Add(-idleTime-notedEvery), now); err != nil {
		k.log.Error("when sessions were last used could not be kept", "problem", err)
	}
}
