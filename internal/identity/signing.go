package identity

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"pikegate/core/diag"
	"pikegate/internal/store"
)

// Attempt is somebody who signs in.
type Attempt struct {
	Name, Password string
	// Code is that of the second factor, or one of those written down; blank where none
	// was asked for yet.
	Code string
	// Address and Client are where they come from.
	Address, Client string
}

// longest bounds what is looked at of a name or a password.
const longest = 1000

// SignIn signs somebody in and gives what their browser is to keep. What was wrong is
// not told, neither by words nor by the time it takes.
func (k *Keeper) SignIn(ctx context.Context, a Attempt) (secret string, err error) {
	a.Name = strings.ToLower(strings.TrimSpace(a.Name))
	if len(a.Name) > longest || len(a.Password) > longest || len(a.Code) > longest {
		return "", wrongSignIn()
	}
	done, err := k.try(a.Name, a.Address)
	if err != nil {
		return "", err
	}
	failed := true
	defer func() { done(failed) }()
	u, err := k.store.User(ctx, a.Name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		failed = false
		return "", err
	}
	if u.Disabled {
		u.Password = ""
	}
	same, err := k.hasher.matches(ctx, a.Password, u.Password)
	if err != nil {
		failed = false
		return "", err
	}
	if !same {
		return "", k.refusedSignIn(ctx, a)
	}
	if u.Confirmed && a.Code == "" {
		failed = false
		return "", &Refusal{Reason: Unknown, Problem: diag.Problem{
			Code: "second_factor_needed", Field: "code", Message: "A code of the second factor is needed.", Hint: "Type the code that your authenticator shows, or one of those you wrote down.",
		}}
	}
	if u.Confirmed {
		if err := k.useFactor(ctx, u, a.Code, store.Entry{From: a.Address}); err != nil {
			var refused *Refusal
			if errors.As(err, &refused) {
				return "", k.refusedSignIn(ctx, a)
			}
			failed = false
			return "", err
		}
	}
	failed = false
	return k.begin(ctx, u.Name, a)
}

// begin begins a session of a user.
func (k *Keeper) begin(ctx context.Context, user string, a Attempt) (secret string, err error) {
	secret = newSecret()
	now := k.now().UTC()
	entry := store.Entry{Who: user, From: a.Address, What: "signed-in", To: user}
	return secret, k.store.BeginSession(ctx, store.Session{Hash: hashOf(secret), User: user, Begun: now, Seen: now, Address: a.Address, Client: a.Client[:min(len(a.Client), 200)]}, entry)
}

// try lets an attempt in, or refuses it until later; the account is blank where it is
// that of nobody yet, so that one who tries holds up nobody else.
func (k *Keeper) try(account, address string) (done func(failed bool), err error) {
	now := k.now()
	first, wait := k.addresses.begin(address, now)
	if first == nil {
		return nil, tooOften(wait)
	}
	if account == "" {
		return first, nil
	}
	second, wait := k.accounts.begin(account, now)
	if second == nil {
		first(false)
		return nil, tooOften(wait)
	}
	return func(failed bool) { first(failed); second(failed) }, nil
}

func tooOften(wait time.Duration) *Refusal {
	return &Refusal{Reason: TooOften, After: wait, Problem: diag.Problem{
		Code: "too_many_tries", Message: "It was tried too often.", Hint: fmt.Sprintf("Try again in %d seconds.", int(wait.Seconds())),
	}}
}

// refusedSignIn tells the audit log, and whoever tried no more than that it was wrong.
func (k *Keeper) refusedSignIn(ctx context.Context, a Attempt) error {
	name := a.Name
	if HoldsToken(name) || len(name) > 100 {
		name = "(unreadable)"
	}
	if err := k.store.Audit(ctx, store.Entry{From: a.Address, What: "sign-in.refused", To: name}); err != nil {
		return err
	}
	return wrongSignIn()
}

// useFactor takes a code of the second factor, once. The error is a Refusal where it
// is wrong.
func (k *Keeper) useFactor(ctx context.Context, u store.User, code string, e store.Entry) error {
	secret, err := k.vault.Unseal(u.Factor, factorPlace(u.Name))
	if err != nil {
		return err
	}
	return k.store.ChangeUser(ctx, u.Name, false, e, func(now *store.User) error {
		if step, ok := stepOf(strings.ReplaceAll(code, " ", ""), secret, k.now(), now.Step); ok {
			now.Step = step
			return nil
		}
		left, ok := useRecovery(code, now.Recovery)
		if !ok {
			return wrongSignIn()
		}
		now.Recovery = left
		return nil
	})
}

func factorPlace(user string) string { return "factor of " + user }

// SignOut ends the session, or the token, that somebody is signed in with.
func (k *Keeper) SignOut(ctx context.Context, a Actor) error {
	if a.token != nil {
		return k.EndToken(ctx, a, a.Name(), a.token.ID)
	}
	return k.EndSession(ctx, a, a.session)
}

// EndSession ends a session of the actor.
func (k *Keeper) EndSession(ctx context.Context, a Actor, hash string) error {
	entry := a.Entry("signed-out", a.Name())
	err := k.store.EndSession(ctx, a.Doer(), hash, entry)
	k.mu.Lock()
	delete(k.sessions, hash)
	delete(k.seeing, hash)
	k.mu.Unlock()
	k.end(func(key string) bool { return strings.HasPrefix(key, "session "+hash+" ") })
	return err
}

// Sessions lists those of the actor, the newest first.
func (k *Keeper) Sessions(ctx context.Context, a Actor) ([]store.Session, error) {
	kept, err := k.store.Sessions(ctx, a.Name())
	k.mu.Lock()
	defer k.mu.Unlock()
	for i := range kept {
		if used := k.sessions[kept[i].Hash]; used != nil {
			kept[i].Seen = used.Seen
		}
	}
	return kept, err
}

// EndUser ends everything a user has under way and all their sessions; their tokens
// are refused as long as they are disabled.
func (k *Keeper) EndUser(name string) {
	k.mu.Lock()
	for hash, s := range k.sessions {
		if s.User == name {
			delete(k.sessions, hash)
		}
	}
	k.mu.Unlock()
	k.end(func(key string) bool { return strings.HasSuffix(key, " "+name) })
}

// NewLink makes a link with which a user sets their password, once.
func (k *Keeper) NewLink(user string) (secret string, link store.Link) {
	secret = newSecret()
	return secret, store.Link{Hash: hashOf(secret), User: user, Expires: k.now().Add(linkTime)}
}

// OfLink tells whose a link is.
func (k *Keeper) OfLink(ctx context.Context, secret, address string) (store.User, error) {
	done, err := k.try("", address)
	if err != nil {
		return store.User{}, err
	}
	u, err := k.store.LinkUser(ctx, hashOf(secret), k.now())
	done(errors.Is(err, store.ErrNotFound))
	if errors.Is(err, store.ErrNotFound) || err == nil && u.Disabled {
		return store.User{}, spentLink()
	}
	return u, err
}

func spentLink() *Refusal {
	return &Refusal{Reason: Unknown, Problem: diag.Problem{
		Code: "link_spent", Message: "The link was used, is older than a day, or another one was given since.", Hint: "Ask an administrator for a new one, or make one at the machine with pikegate user recover.",
	}}
}

// SetPassword sets the password of whoever has a link, uses the link up and ends all
// sessions of the user.
func (k *Keeper) SetPassword(ctx context.Context, link, password, address string) error {
	u, err := k.OfLink(ctx, link, address)
	if err != nil {
		return err
	}
	hash, err := k.passwordHash(ctx, password, u)
	if err != nil {
		return err
	}
	entry := store.Entry{Who: u.Name, From: address, What: "password.set", To: u.Name}
	err = k.store.UseLink(ctx, hashOf(link), k.now(), entry, func(u *store.User) error {
		u.Password = hash
		return nil
	})
	if errors.Is(err, store.ErrNotFound) {
		return spentLink()
	}
	k.EndUser(u.Name)
	return err
}

// ChangePassword changes the password of the actor, who has to know the old one. All
// their sessions end.
func (k *Keeper) ChangePassword(ctx context.Context, a Actor, old, password string) error {
	if err := k.confirm(ctx, a, old); err != nil {
		return err
	}
	hash, err := k.passwordHash(ctx, password, a.user)
	if err != nil {
		return err
	}
	entry := a.Entry("password.set", a.Name())
	err = k.store.ChangeUser(ctx, a.Name(), true, entry, func(u *store.User) error {
		u.Password = hash
		return nil
	})
	k.EndUser(a.Name())
	return err
}

func (k *Keeper) passwordHash(ctx context.Context, password string, u store.User) (string, error) {
	if err := weakness(password, u.Name, u.Display).Err(); err != nil {
		return "", err
	}
	return k.hasher.hash(ctx, password)
}

// confirm asks for the actor's password again.
func (k *Keeper) confirm(ctx context.Context, a Actor, password string) error {
	done, err := k.try(a.Name(), a.from)
	if err != nil {
		return err
	}
	u, err := k.store.User(ctx, a.Name())
	if err != nil {
		done(false)
		return err
	}
	same, err := k.hasher.matches(ctx, password[:min(len(password), longest)], u.Password)
	done(err == nil && !same)
	if err == nil && !same {
		return diag.Problems{{Code: "wrong_password", Field: "old", Message: "That is not your password.", Hint: "Type the one you sign in with."}}
	}
	return err
}

// Factor is a second factor that waits to be confirmed.
type Factor struct{ Secret, Address string }

// BeginFactor makes a second factor for the actor. It is asked for once it was
// confirmed with a code.
func (k *Keeper) BeginFactor(ctx context.Context, a Actor, password string) (Factor, error) {
	if err := k.confirm(ctx, a, password); err != nil {
		return Factor{}, err
	}
	secret, address, err := newFactor(a.Name(), "Pike Gate")
	if err != nil {
		return Factor{}, err
	}
	return Factor{secret, address}, k.store.ChangeUser(ctx, a.Name(), false, store.Entry{}, func(u *store.User) error {
		if u.Confirmed {
			return diag.Problems{{Code: "factor_there", Message: "There is a second factor already.", Hint: "Take it away first."}}
		}
		u.Factor, u.Step = k.vault.Seal(secret, factorPlace(u.Name)), 0
		return nil
	})
}

// ConfirmFactor puts the second factor of the actor in force and gives the codes that
// can be used in its place.
func (k *Keeper) ConfirmFactor(ctx context.Context, a Actor, code string) ([]string, error) {
	done, err := k.try(a.Name(), a.from)
	if err != nil {
		return nil, err
	}
	wrong := false
	defer func() { done(wrong) }()
	codes, hashes := newRecovery()
	entry := a.Entry("second-factor.set", a.Name())
	return codes, k.store.ChangeUser(ctx, a.Name(), false, entry, func(u *store.User) error {
		if u.Factor == nil || u.Confirmed {
			return diag.Problems{{Code: "no_factor_begun", Message: "No second factor waits to be confirmed.", Hint: "Begin one."}}
		}
		secret, err := k.vault.Unseal(u.Factor, factorPlace(u.Name))
		if err != nil {
			return err
		}
		step, ok := stepOf(strings.ReplaceAll(code, " ", ""), secret, k.now(), u.Step)
		if !ok {
			wrong = true
			return diag.Problems{{Code: "wrong_code", Field: "code", Message: "That is not the code of this moment.", Hint: "Type the one that is shown now. Look at the clock of the device if it is refused again."}}
		}
		u.Confirmed, u.Step, u.Recovery = true, step, hashes
		return nil
	})
}

// DropFactor takes the second factor of the actor away.
func (k *Keeper) DropFactor(ctx context.Context, a Actor, password string) error {
	if err := k.confirm(ctx, a, password); err != nil {
		return err
	}
	entry := a.Entry("second-factor.taken-away", a.Name())
	return k.store.ChangeUser(ctx, a.Name(), false, entry, WithoutFactor)
}

// WithoutFactor takes the second factor of a user away.
func WithoutFactor(u *store.User) error {
	u.Factor, u.Confirmed, u.Step, u.Recovery = nil, false, 0, nil
	return nil
}

// NewToken makes a token for the actor, or one that is narrowed, and gives it: it
// can be had this once.
func (k *Keeper) NewToken(ctx context.Context, a Actor, t store.Token) (secret string, id uint, err error) {
	secret = newToken()
	t.Hash, t.User, t.Created = hashOf(secret), a.Name(), k.now()
	entry := a.Entry("token.made", a.Name()).With(nil, map[string]any{"name": t.Name, "scope": t.Scope, "report": t.Report, "expires": t.Expires.UTC().Format(time.RFC3339)})
	id, err = k.store.SaveToken(ctx, t, entry)
	return secret, id, err
}

// EndToken ends a token of a user, of anybody where that is blank.
func (k *Keeper) EndToken(ctx context.Context, a Actor, user string, id uint) error {
	entry := a.Entry("token.ended", user).With(map[string]any{"token": id}, nil)
	err := k.store.EndToken(ctx, user, id, entry)
	hash := ""
	k.mu.Lock()
	for h, t := range k.tokens {
		if t.ID == id && err == nil {
			hash = h
			delete(k.tokens, h)
		}
	}
	k.mu.Unlock()
	if hash != "" {
		k.end(func(key string) bool { return strings.HasPrefix(key, "token "+hash+" ") })
	}
	return err
}

func paused(u store.User) diag.Problem {
	return diag.Problem{
		Code: "token_paused", Message: fmt.Sprintf("The identity provider last spoke for %s on %s, too long ago for tokens and links to work.", u.Name, u.ProviderAt.UTC().Format(time.DateOnly)),
		Hint: "Sign in in the console; then they work again.",
	}
}

func expired(t store.Token) diag.Problem {
	return diag.Problem{
		Code: "token_expired", Message: fmt.Sprintf("The token %q expired on %s.", t.Name, t.Expires.UTC().Format(time.DateOnly)), Hint: "Make another on your account's page.",
	}
}
