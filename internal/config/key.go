package config

import (
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// keySize is the size of an installation's key, in bytes.
const keySize = 32

// Key is the installation's key: in the file that PIKEGATE_KEY_FILE names, else in
// the folder of credentials that the system gives a service, else beside the data
// folder, where it is made if there is none. It is never in the data folder: a copy of
// that gives nothing away.
func Key(data string, make func() []byte) (key []byte, file string, err error) {
	file = os.Getenv("PIKEGATE_KEY_FILE")
	given := file != ""
	if folder := os.Getenv("CREDENTIALS_DIRECTORY"); !given && folder != "" {
		path := filepath.Join(folder, "pikegate.key")
		if _, err := os.Stat(path); err == nil {
			file, given = path, true
		}
	}
	if !given {
		absolute, err := filepath.Abs(data)
		if err != nil {
			return nil, "", err
		}
		file = absolute + ".key"
		if err := makeKey(file, make); err != nil {
			return nil, file, fmt.Errorf("the installation's key cannot be kept in %s (%w); write 32 random bytes as base64 into a file that only the service can read, and name it in PIKEGATE_KEY_FILE", file, err)
		}
	}
	info, err := os.Stat(file)
	if err != nil {
		return nil, file, fmt.Errorf("the installation's key cannot be read: %w", err)
	}
	if info.Mode().Perm()&0o077 != 0 {
		return nil, file, fmt.Errorf("the installation's key %s can be read by others; run chmod 600 %s", file, file)
	}
	content, err := os.ReadFile(file)
	if err != nil {
		return nil, file, fmt.Errorf("the installation's key cannot be read: %w", err)
	}
	key, err = base64.StdEncoding.DecodeString(strings.TrimSpace(string(content)))
	if err != nil || len(key) != keySize {
		return nil, file, fmt.Errorf("the file %s holds no key: it should be 32 bytes as base64; head -c 32 /dev/urandom | base64 makes one", file)
	}
	return key, file, nil
}

// makeKey makes the file of a key, unless it is there; never half of one.
func makeKey(file string, make func() []byte) error {
	if _, err := os.Stat(file); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(file), ".key-*")
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	_, err = part.WriteString(base64.StdEncoding.EncodeToString(make()) + "\n")
	if err = errors.Join(err, part.Sync(), part.Close()); err != nil {
		return err
	}
	if err := os.Link(part.Name(), file); !errors.Is(err, fs.ErrExist) { // another one may have been faster
		return err
	}
	return nil
}
