package config

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// Tokens are those that sign-in has kept, by the service they are for, in a file that
// only its owner can read.
type Tokens struct{ file string }

// KeptTokens finds the file; PIKEGATE_TOKENS names another.
func KeptTokens() (Tokens, error) {
	if file := os.Getenv("PIKEGATE_TOKENS"); file != "" {
		return Tokens{file}, nil
	}
	folder, err := os.UserConfigDir()
	return Tokens{filepath.Join(folder, "pikegate", "tokens.json")}, err
}

// Of gives the token for a service, blank for none. PIKEGATE_TOKEN comes first.
func (t Tokens) Of(server string) string {
	if token := os.Getenv("PIKEGATE_TOKEN"); token != "" {
		return token
	}
	all, err := t.read()
	if err != nil {
		return ""
	}
	return all[address(server)]
}

// Keep keeps the token for a service, or takes it away where it is blank.
func (t Tokens) Keep(server, token string) error {
	all, err := t.read()
	if err != nil {
		return err
	}
	all[address(server)] = token
	if token == "" {
		delete(all, address(server))
	}
	content, err := json.MarshalIndent(all, "", "  ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(t.file), 0o700); err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(t.file), ".tokens-*") // for its owner alone
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	_, err = part.Write(append(content, '\n'))
	if err = errors.Join(err, part.Close()); err != nil {
		return err
	}
	return os.Rename(part.Name(), t.file)
}

func (t Tokens) read() (map[string]string, error) {
	all := map[string]string{}
	content, err := os.ReadFile(t.file)
	if errors.Is(err, fs.ErrNotExist) {
		return all, nil
	}
	if err == nil {
		err = json.Unmarshal(content, &all)
	}
	return all, err
}

func address(server string) string { return strings.TrimRight(server, "/") }
