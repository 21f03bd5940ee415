package identity

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base32"
	"encoding/hex"
	"strings"
)

// What people and scripts sign in with is 32 random bytes in letters; only its hash
// is kept.

// TokenPrefix begins every token, so that one that got out is recognised.
const TokenPrefix = "pikegate_"

var letters = base32.NewEncoding("abcdefghijkmnpqrstuvwxyz23456789").WithPadding(base32.NoPadding)

// checkBytes are how many bytes of a token check the others.
const checkBytes = 3

// newSecret makes a secret.
func newSecret() string {
	random := make([]byte, 32)
	_, _ = rand.Read(random) // never fails
	return letters.EncodeToString(random)
}

// newToken makes a token: the prefix, a secret, and a check of both.
func newToken() string {
	body := newSecret()
	return TokenPrefix + body + checkOf(body)
}

// isToken tells whether a text has the form of a token.
func isToken(text string) bool {
	body, ok := strings.CutPrefix(text, TokenPrefix)
	at := letters.EncodedLen(32)
	return ok && len(body) > at && body[at:] == checkOf(body[:at])
}

// HoldsToken tells whether a text holds something that begins like a token.
func HoldsToken(text string) bool { return strings.Contains(text, TokenPrefix) }

func checkOf(body string) string {
	sum := sha256.Sum256([]byte(TokenPrefix + body))
	return letters.EncodeToString(sum[:checkBytes])
}

// hashOf is what is kept of a secret. It needs no salt: the secret is random.
func hashOf(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}
