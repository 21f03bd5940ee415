package config_test

import (
	"bytes"
	"encoding/base64"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/config"
)

// TestKey: the key is made once, beside the data folder, for its owner alone; one that is
// named, or that the system gives, comes first.
func TestKey(t *testing.T) {
	t.Setenv("PIKEGATE_KEY_FILE", "")
	t.Setenv("CREDENTIALS_DIRECTORY", "")
	data := filepath.Join(t.TempDir(), "data")
	made := 0
	make32 := func() []byte {
		made++
		return bytes.Repeat([]byte{byte(made)}, 32)
	}
	key, file, err := config.Key(data, make32)
	require.NoError(t, err)
	assert.Equal(t, data+".key", file)
	again, _, err := config.Key(data, make32)
	require.NoError(t, err)
	assert.Equal(t, key, again)
	assert.Equal(t, 1, made)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	left, err := filepath.Glob(filepath.Join(filepath.Dir(data), ".key-*"))
	require.NoError(t, err)
	assert.Empty(t, left)

	given := filepath.Join(t.TempDir(), "pikegate.key")
	write := func(content string, mode os.FileMode) {
		require.NoError(t, os.WriteFile(given, []byte(content), mode))
		require.NoError(t, os.Chmod(given, mode))
	}
	write(base64.StdEncoding.EncodeToString(bytes.Repeat([]byte{9}, 32))+"\n", 0o400)
	t.Setenv("CREDENTIALS_DIRECTORY", filepath.Dir(given))
	key, _, err = config.Key(data, make32)
	require.NoError(t, err)
	assert.Equal(t, byte(9), key[0])
	t.Setenv("CREDENTIALS_DIRECTORY", "")
	t.Setenv("PIKEGATE_KEY_FILE", given)
	key, _, err = config.Key(data, make32)
	require.NoError(t, err)
	assert.Equal(t, byte(9), key[0])
	require.NoError(t, os.Chmod(given, 0o644))
	_, _, err = config.Key(data, make32)
	assert.ErrorContains(t, err, "chmod 600")
	require.NoError(t, os.Chmod(given, 0o600))
	write("short", 0o600)
	_, _, err = config.Key(data, make32)
	assert.ErrorContains(t, err, "holds no key")
	t.Setenv("PIKEGATE_KEY_FILE", filepath.Join(t.TempDir(), "none"))
	_, _, err = config.Key(data, make32)
	assert.ErrorContains(t, err, "cannot be read")
	t.Setenv("PIKEGATE_KEY_FILE", "")
	_, _, err = config.Key(filepath.Join(t.TempDir(), "no", "folder"), make32)
	assert.ErrorContains(t, err, "PIKEGATE_KEY_FILE")
}

// TestTokens: each service has its own, in a file for its owner alone.
func TestTokens(t *testing.T) {
	file := filepath.Join(t.TempDir(), "folder", "tokens.json")
	t.Setenv("PIKEGATE_TOKENS", file)
	t.Setenv("PIKEGATE_TOKEN", "")
	kept, err := config.KeptTokens()
	require.NoError(t, err)
	assert.Empty(t, kept.Of("http://127.0.0.1:1"))
	require.NoError(t, kept.Keep("http://127.0.0.1:1/", "one"))
	require.NoError(t, kept.Keep("https://reports.example.org", "two"))
	assert.Equal(t, "one", kept.Of("http://127.0.0.1:1"))
	assert.Equal(t, "two", kept.Of("https://reports.example.org/"))
	assert.Empty(t, kept.Of("https://else.example"))
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, kept.Keep("http://127.0.0.1:1", ""))
	assert.Empty(t, kept.Of("http://127.0.0.1:1"))
	t.Setenv("PIKEGATE_TOKEN", "of a script")
	assert.Equal(t, "of a script", kept.Of("https://reports.example.org"))
	require.NoError(t, os.WriteFile(file, []byte("{"), 0o600))
	assert.Error(t, kept.Keep("http://127.0.0.1:1", "one"), "what is there is not written over")
}
