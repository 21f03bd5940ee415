package engine

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"strings"
)

// Untrusted is a connection that could not be encrypted as it was to be.
const Untrusted Code = "tls_failed"

// Encryption is how the connection to a server is encrypted; nil for not at all.
// Beyond this machine it is looked at who answers, unless something else was
// said; on it, a server that offers encryption is taken at its word.
func (a Address) Encryption(host string) *tls.Config {
	config := &tls.Config{ServerName: host, MinVersion: tls.VersionTLS12}
	switch {
	case a.TLS == "off":
		return nil
	case a.TLS == "on" || a.TLS == "" && Local(host):
		config.InsecureSkipVerify = true
	}
	return config
}

// Local tells whether a host is this machine.
func Local(host string) bool {
	if ip := net.ParseIP(host); ip != nil {
		return ip.IsLoopback()
	}
	return host == "localhost"
}

// TLSFailure says why a connection could not be encrypted, nil where that is not
// what failed.
func TLSFailure(name, at string, err error) *Failure {
	fail := func(why, hint string) *Failure {
		return &Failure{Code: Untrusted, Message: fmt.Sprintf("%s at %s %s.", name, at, why), Hint: hint, Err: err}
	}
	var wrongName x509.HostnameError
	var unknown x509.UnknownAuthorityError
	var invalid x509.CertificateInvalidError
	var record tls.RecordHeaderError
	switch {
	case errors.As(err, &wrongName):
		return fail("showed a certificate for another name", "Connect by the name that the certificate is for.")
	case errors.As(err, &unknown):
		return fail("showed a certificate of an authority that is not known here", "Add the authority to this machine's, or say --tls on to encrypt without looking at who answers.")
	case errors.As(err, &invalid):
		return fail("showed a certificate that is not valid: "+invalid.Error(), "Have the certificate renewed.")
	case errors.As(err, &record), strings.Contains(err.Error(), "refused TLS"), strings.Contains(err.Error(), "TLS requested but server does not support TLS"):
		return fail("does not encrypt its connections", "Have the server offer TLS, or say --tls off where the network may read along.")
	case strings.Contains(err.Error(), "tls:"):
		return fail("could not be agreed with on how to encrypt the connection", "See which versions of TLS the server takes; 1.2 is the least.")
	}
	return nil
}
