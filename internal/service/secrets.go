package service

import (
	"context"
	"fmt"

	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// longestSecret bounds a password of a source, in bytes.
const longestSecret = 4096

// mayKeepSecrets lets in who manages all sources.
func mayKeepSecrets(who identity.Actor) error {
	if err := authorChanges(who); err != nil {
		return err
	}
	if !who.MayOn(identity.Manage, identity.EverySource) {
		return forbidden("You have no right to manage the secrets of sources.", "Ask an administrator.")
	}
	return nil
}

// Secrets lists the passwords of sources that are kept sealed, by name; the passwords
// are told to nobody.
func (s *Service) Secrets(ctx context.Context, who identity.Actor) ([]wire.SecretInfo, error) {
	if err := authors(who); err != nil {
		return nil, err
	}
	if !who.MayOn(identity.Manage, identity.EverySource) {
		return nil, forbidden("You have no right to manage the secrets of sources.", "Ask an administrator.")
	}
	kept, err := s.Store.Secrets(ctx)
	out := make([]wire.SecretInfo, len(kept))
	for i, k := range kept {
		out[i] = wire.SecretInfo{Name: k.Name, At: k.At}
	}
	return out, err
}

// SaveSecret keeps the password of sources under a name, sealed. Those that use it are
// connected anew.
func (s *Service) SaveSecret(ctx context.Context, who identity.Actor, name, secret string) error {
	if err := mayKeepSecrets(who); err != nil {
		return err
	}
	var problems diag.Problems
	if !sourceName.MatchString(name) {
		problems = append(problems, diag.Problem{Code: "bad_name", Field: "name", Message: fmt.Sprintf("%q is not a name.", name), Hint: "Names are lower-case words joined by dashes."})
	}
	if secret == "" || len(secret) > longestSecret {
		problems = append(problems, diag.Problem{Code: "bad_secret", Field: "secret", Message: fmt.Sprintf("A password is needed, of at most %d bytes.", longestSecret), Hint: "Give the one that the database asks for."})
	}
	if err := problems.Err(); err != nil {
		return err
	}
	kept := store.Secret{Name: name, Sealed: s.Vault.Seal(secret, secretPlace(name)), At: s.Now().UTC()}
	if err := s.Store.SaveSecret(ctx, kept, who.Entry("secret.set", name)); err != nil {
		return err
	}
	return s.retireWith(ctx, name)
}

// RemoveSecret forgets the password under a name.
func (s *Service) RemoveSecret(ctx context.Context, who identity.Actor, name string) error {
	if err := mayKeepSecrets(who); err != nil {
		return err
	}
	if err := s.Store.RemoveSecret(ctx, name, who.Entry("secret.removed", name)); err != nil {
		return orNotFound(err, "secret", name)
	}
	return s.retireWith(ctx, name)
}

// retireWith takes the sources out of use that use a secret: they are connected anew
// when they are next asked.
func (s *Service) retireWith(ctx context.Context, name string) error {
	sources, err := s.Store.Sources(ctx)
	for _, kept := range sources {
		if secretName(kept) == name {
			s.retire(kept.Name)
		}
	}
	return err
}

func secretPlace(name string) string { return "secret " + name }

// secret looks a password up: in the environment and the file of secrets, then among
// those that are kept sealed.
func (s *Service) secret(ctx context.Context, name string) (string, bool) {
	if s.Secret != nil {
		if found, ok := s.Secret(name); ok {
			return found, true
		}
	}
	kept, err := s.Store.Secret(ctx, name)
	if err != nil {
		return "", false // told as one that there is not
	}
	secret, err := s.Vault.Unseal(kept.Sealed, secretPlace(name))
	if err != nil {
		s.Log.Error("a secret cannot be unsealed", "secret", name, "problem", err)
		return "", false
	}
	return secret, true
}
