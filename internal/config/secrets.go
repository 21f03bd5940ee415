package config

import (
	"fmt"
	"os"
	"strings"
)

// secretPrefix begins the names of environment variables that hold passwords:
// PIKEGATE_SECRET_NAVIGATION is that of the source navigation.
const secretPrefix = "PIKEGATE_SECRET_"

// Secrets looks passwords up by name: in the environment, then in a file of
// lines NAME=PASSWORD, which is read at each use, so that a password can be
// changed while the service runs. Nothing else in the file or the environment
// can be had by a name.
func Secrets(file string) (func(name string) (string, bool), error) {
	if file != "" {
		info, err := os.Stat(file)
		if err != nil {
			return nil, fmt.Errorf("the file of secrets cannot be read: %w", err)
		}
		if info.Mode().Perm()&0o077 != 0 {
			return nil, fmt.Errorf("the file of secrets %s can be read by others; run chmod 600 %s", file, file)
		}
	}
	return func(name string) (string, bool) {
		if v, ok := os.LookupEnv(SecretVariable(name)); ok {
			return v, true
		}
		content, err := os.ReadFile(file)
		if err != nil {
			return "", false
		}
		for _, line := range strings.Split(string(content), "\n") {
			if found, secret, ok := strings.Cut(line, "="); ok && found == name {
				return strings.TrimSuffix(secret, "\r"), true
			}
		}
		return "", false
	}, nil
}

// SecretVariable is the variable of the environment that has a secret: its name
// in capitals, with _ for dashes and dots.
func SecretVariable(name string) string {
	return secretPrefix + strings.ToUpper(strings.NewReplacer("-", "_", ".", "_").Replace(name))
}
