package main

import (
	"crypto/tls"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"time"
)

// certificate is the service's own, read again when its files change.
type certificate struct {
	certFile, keyFile string
	log               *slog.Logger

	mu     sync.Mutex // guards the rest
	loaded *tls.Certificate
	as     [2]time.Time // of the files
}

func newCertificate(certFile, keyFile string, log *slog.Logger) (*certificate, error) {
	c := &certificate{certFile: certFile, keyFile: keyFile, log: log}
	if _, err := c.current(); err != nil {
		return nil, fmt.Errorf("the certificate of --tls-cert and --tls-key cannot be read: %w", err)
	}
	return c, nil
}

// current gives the certificate. One that cannot be read any more leaves the one that
// was in force.
func (c *certificate) current() (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	var as [2]time.Time
	for i, file := range []string{c.certFile, c.keyFile} {
		if info, err := os.Stat(file); err == nil {
			as[i] = info.ModTime()
		}
	}
	if c.loaded != nil && as == c.as {
		return c.loaded, nil
	}
	c.as = as
	loaded, err := tls.LoadX509KeyPair(c.certFile, c.keyFile)
	switch {
	case err == nil:
		c.loaded = &loaded
	case c.loaded == nil:
		return nil, err
	default:
		c.log.Error("the new certificate cannot be read; the one before stays in force", "problem", err)
	}
	return c.loaded, nil
}

// named tells whether it is for a host.
func (c *certificate) named(host string) bool {
	loaded, err := c.current()
	return err == nil && loaded.Leaf != nil && loaded.Leaf.VerifyHostname(host) == nil
}

func (c *certificate) config() *tls.Config {
	return &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: func(*tls.ClientHelloInfo) (*tls.Certificate, error) { return c.current() }}
}
