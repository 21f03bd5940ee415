package endtoend

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"io"
	"math/big"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// certify writes a certificate of this machine and its key over those that are there,
// as of a time.
func certify(t *testing.T, certFile, keyFile string, serial int64, as time.Time) *x509.Certificate {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	wanted := &x509.Certificate{SerialNumber: big.NewInt(serial), NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true}
	made, err := x509.CreateCertificate(rand.Reader, wanted, wanted, key.Public(), key)
	require.NoError(t, err)
	kept, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	for file, block := range map[string]pem.Block{certFile: {Type: "CERTIFICATE", Bytes: made}, keyFile: {Type: "PRIVATE KEY", Bytes: kept}} {
		require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(&block), 0o600))
		require.NoError(t, os.Chtimes(file, as, as))
	}
	certificate, err := x509.ParseCertificate(made)
	require.NoError(t, err)
	return certificate
}

// TestEncrypted: with a certificate the service speaks TLS only, tells browsers to keep to
// it, and takes a new certificate without being started again.
func TestEncrypted(t *testing.T) {
	folder := t.TempDir()
	certFile, keyFile := filepath.Join(folder, "cert.pem"), filepath.Join(folder, "key.pem")
	now := time.Now()
	trusted := x509.NewCertPool()
	trusted.AddCert(certify(t, certFile, keyFile, 1, now.Add(-time.Minute)))
	made, err := exec.Command(binary, "user", "add", "ada", "--role", "administrator", "--data", filepath.Join(folder, "data")).Output()
	require.NoError(t, err)
	encrypted, stop, err := start("serve", "--data", filepath.Join(folder, "data"), "--tls-cert", certFile, "--tls-key", keyFile)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, stop()) })
	require.True(t, strings.HasPrefix(encrypted, "https://127.0.0.1:"), encrypted)

	// send is a request on a connection of its own; it gives the certificate it met.
	send := func(method, path, body string) (*http.Response, int64) {
		t.Helper()
		client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: trusted}, DisableKeepAlives: true}}
		request, err := http.NewRequestWithContext(t.Context(), method, encrypted+path, strings.NewReader(body))
		require.NoError(t, err)
		request.Header.Set("Content-Type", "application/json")
		response, err := client.Do(request)
		require.NoError(t, err)
		defer response.Body.Close()
		_, err = io.Copy(io.Discard, response.Body)
		require.NoError(t, err)
		return response, response.TLS.PeerCertificates[0].SerialNumber.Int64()
	}
	response, serial := send("GET", "/healthz", "")
	assert.Equal(t, 200, response.StatusCode)
	assert.EqualValues(t, 1, serial)
	assert.Contains(t, response.Header.Get("Strict-Transport-Security"), "max-age=")

	_, link, found := strings.Cut(string(made), "/#/welcome/")
	require.True(t, found, string(made))
	link, _, _ = strings.Cut(link, "\n")
	response, _ = send("POST", "/api/v1/welcome/password", `{"link": "`+strings.TrimSpace(link)+`", "password": "`+secretWords+`"}`)
	require.Less(t, response.StatusCode, 300)
	response, _ = send("POST", "/api/v1/sign-in", `{"name": "ada", "password": "`+secretWords+`"}`)
	require.Len(t, response.Cookies(), 1)
	cookie := response.Cookies()[0]
	assert.True(t, cookie.Secure && cookie.HttpOnly, "the session goes over TLS alone")
	assert.True(t, strings.HasPrefix(cookie.Name, "__Host-"), "no other host can set it")

	plain, err := http.Get(strings.Replace(encrypted, "https:", "http:", 1) + "/healthz")
	require.NoError(t, err)
	assert.NoError(t, plain.Body.Close())
	assert.Equal(t, 400, plain.StatusCode, "nothing is answered in the clear")
	_, err = tls.Dial("tcp", strings.TrimPrefix(encrypted, "https://"), &tls.Config{RootCAs: trusted, MaxVersion: tls.VersionTLS11})
	assert.Error(t, err, "TLS 1.1 is not spoken")

	// The command-line client believes nobody whom the machine does not trust.
	client := func(trust string) result {
		cmd := exec.CommandContext(t.Context(), binary, "reports")
		cmd.Env = append(os.Environ(), "PIKEGATE_SERVER="+encrypted, "SSL_CERT_FILE="+trust, "PIKEGATE_TOKENS="+filepath.Join(folder, "tokens.json"))
		out, err := cmd.CombinedOutput()
		assert.Error(t, err, "nobody has signed in")
		return result{err: string(out)}
	}
	assert.Contains(t, client(certFile).err, "not_signed_in")
	assert.Contains(t, client("/dev/null").err, "certificate")

	trusted.AddCert(certify(t, certFile, keyFile, 2, now))
	_, serial = send("GET", "/healthz", "")
	assert.EqualValues(t, 2, serial, "a new certificate is taken")
	require.NoError(t, os.WriteFile(certFile, []byte("half of a certificate"), 0o600))
	_, serial = send("GET", "/healthz", "")
	assert.EqualValues(t, 2, serial, "one that cannot be read leaves the one before")

	out, err := exec.Command(binary, "serve", "--data", filepath.Join(folder, "other"), "--tls-cert", certFile, "--tls-key", keyFile, "--listen", "127.0.0.1:0").CombinedOutput()
	assert.Error(t, err)
	assert.Contains(t, string(out), "--tls-cert", "at the start it is needed")
}
