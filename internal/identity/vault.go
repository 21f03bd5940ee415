package identity

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"errors"
)

// Vault seals what must not be read in a copy of the store, under the key of the
// installation (AES-256-GCM).
type Vault struct {
	key    []byte
	sealer cipher.AEAD
}

// KeySize is the size of an installation's key, in bytes.
const KeySize = 32

// NewVault makes a vault of an installation's key.
func NewVault(key []byte) (*Vault, error) {
	if len(key) != KeySize {
		return nil, errors.New("identity: the installation's key must have 32 bytes")
	}
	v := &Vault{key: key}
	sealing, err := v.Derived("sealing")
	if err != nil {
		return nil, err
	}
	block, err := aes.NewCipher(sealing)
	if err != nil {
		return nil, err
	}
	v.sealer, err = cipher.NewGCMWithRandomNonce(block)
	return v, err
}

// Derived is a key of its own for a purpose.
func (v *Vault) Derived(purpose string) ([]byte, error) {
	return hkdf.Key(sha256.New, v.key, nil, "pikegate "+purpose, KeySize)
}

// Seal seals a text for a place: it cannot be opened as that of another.
func (v *Vault) Seal(text, place string) []byte {
	return v.sealer.Seal(nil, nil, []byte(text), []byte(place))
}

// Unseal opens what was sealed for a place.
func (v *Vault) Unseal(sealed []byte, place string) (string, error) {
	text, err := v.sealer.Open(nil, nil, sealed, []byte(place))
	if err != nil {
		return "", errors.New("identity: it was sealed with another key, or for another place")
	}
	return string(text), nil
}

// NewKey makes the key of an installation.
func NewKey() []byte {
	key := make([]byte, KeySize)
	_, _ = rand.Read(key) // never fails
	return key
}
