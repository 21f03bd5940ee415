package identity

import (
	"crypto/rand"
	"slices"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"
	"github.com/pquerna/otp/totp"
)

// The second factor is a code that changes every 30 seconds (RFC 6238), or one of a
// few codes that were written down.

const (
	factorPeriod  = 30
	recoveryCodes = 10
)

// newFactor makes the secret of a second factor and the address that an
// authenticator reads.
func newFactor(name, service string) (secret, address string, err error) {
	key, err := totp.Generate(totp.GenerateOpts{Issuer: service, AccountName: name, Period: factorPeriod, SecretSize: 20, Algorithm: otp.AlgorithmSHA1, Digits: otp.DigitsSix})
	if err != nil {
		return "", "", err
	}
	return key.Secret(), key.URL(), nil
}

// stepOf finds the time step of a code, which must be later than the one used last:
// the present one, or one before or after it.
func stepOf(code, secret string, now time.Time, last int64) (int64, bool) {
	present := now.Unix() / factorPeriod
	for step := present - 1; step <= present+1; step++ {
		ok, err := hotp.ValidateCustom(code, uint64(step), secret, hotp.ValidateOpts{Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1})
		if err == nil && ok && step > last {
			return step, true
		}
	}
	return 0, false
}

// newRecovery makes codes that can be used once each in the place of the factor,
// and their hashes.
func newRecovery() (codes, hashes []string) {
	for range recoveryCodes {
		text := strings.ToLower(rand.Text()[:16])
		code := strings.Join([]string{text[:4], text[4:8], text[8:12], text[12:]}, "-")
		codes, hashes = append(codes, code), append(hashes, hashOf(code))
	}
	return codes, hashes
}

// useRecovery takes a code out of those that are left.
func useRecovery(code string, hashes []string) (left []string, ok bool) {
	at := slices.Index(hashes, hashOf(strings.ToLower(strings.TrimSpace(code))))
	if at < 0 {
		return hashes, false
	}
	return slices.Delete(slices.Clone(hashes), at, at+1), true
}
