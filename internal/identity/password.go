package identity

import (
	"context"
	"crypto/rand"
	"fmt"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"github.com/trustelem/zxcvbn"

	"pikegate/core/diag"
)

// cost is what one hash takes: about 50 ms and 34 MiB, see BenchmarkSignIn.
var cost = &argon2id.Params{Memory: 34 << 10, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// The bounds of a password, in characters.
const (
	leastPassword = 12
	mostPassword  = 200
)

// hasher hashes passwords, a few at a time: each takes a core and much memory.
type hasher struct {
	places chan struct{}
	// unknown is the hash of nothing anybody knows: names that are not there take as
	// long as those that are.
	unknown func() (string, error)
}

// atOnce is how many passwords are hashed at a time.
const atOnce = 2

func newHasher() *hasher {
	return &hasher{make(chan struct{}, atOnce), sync.OnceValues(func() (string, error) { return argon2id.CreateHash(rand.Text(), cost) })}
}

func (h *hasher) enter(ctx context.Context) (leave func(), err error) {
	select {
	case h.places <- struct{}{}:
		return func() { <-h.places }, nil
	case <-ctx.Done():
		return nil, context.Cause(ctx)
	}
}

// hash makes the hash of a password.
func (h *hasher) hash(ctx context.Context, password string) (string, error) {
	leave, err := h.enter(ctx)
	if err != nil {
		return "", err
	}
	defer leave()
	return argon2id.CreateHash(password, cost)
}

// matches tells whether a password is that of a hash; a blank hash matches none, and
// takes as long.
func (h *hasher) matches(ctx context.Context, password, hash string) (bool, error) {
	leave, err := h.enter(ctx)
	if err != nil {
		return false, err
	}
	defer leave()
	unknown, err := h.unknown() // the first to ask waits for it, whoever that is
	if err != nil {
		return false, err
	}
	known := hash != ""
	if !known {
		hash = unknown
	}
	same, err := argon2id.ComparePasswordAndHash(password, hash)
	return same && known, err
}

// weakness tells what is wrong with a password of a user, nil if nothing.
func weakness(password, name, display string) diag.Problems {
	refused := func(code, message, hint string) diag.Problems {
		return diag.Problems{{Code: code, Field: "password", Message: message, Hint: hint}}
	}
	length := utf8.RuneCountInString(password)
	lower := strings.ToLower(password)
	holds := func(word string) bool {
		return utf8.RuneCountInString(word) > 3 && strings.Contains(lower, strings.ToLower(word))
	}
	switch {
	case length < leastPassword:
		return refused("password_short", fmt.Sprintf("The password has %d characters; at least %d are needed.", length, leastPassword), "Several words in a row make a good one.")
	case length > mostPassword:
		return refused("password_long", fmt.Sprintf("The password has more than %d characters.", mostPassword), "Write a shorter one.")
	case holds(name) || holds(display):
		return refused("password_has_name", "The password holds your name.", "Write one that says nothing of you.")
	case zxcvbn.PasswordStrength(password[:min(len(password), 100)], []string{name, display}).Score < 2:
		return refused("password_common", "The password is among those that are tried first.", "Write one that is not a common word, a row of keys or a date.")
	}
	return nil
}
