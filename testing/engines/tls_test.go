package engines

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha1"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"os"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/engine"
	"pikegate/testing/servers"
)

// authority signs certificates.
type authority struct {
	root *x509.Certificate
	key  *ecdsa.PrivateKey
	file string
}

func newAuthority(t *testing.T) authority {
	root := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "tests"}, NotAfter: time.Now().Add(time.Hour), IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	der, err := x509.CreateCertificate(rand.Reader, root, root, &key.PublicKey, key)
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "root.pem")
	require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	return authority{root, key, file}
}

// certificate makes a certificate for names, and the files of it and its key,
// owned by a user.
func (a authority) certificate(t *testing.T, owner string, names ...string) (cert, key string) {
	folder, err := os.MkdirTemp("", "pikegate-tls-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(folder) })
	made := &x509.Certificate{SerialNumber: big.NewInt(2), NotAfter: time.Now().Add(time.Hour), ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	for _, name := range names {
		if ip := net.ParseIP(name); ip != nil {
			made.IPAddresses = append(made.IPAddresses, ip)
		} else {
			made.DNSNames = append(made.DNSNames, name)
		}
	}
	own, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	write := func(name, kind string, der []byte) string {
		path := filepath.Join(folder, name)
		require.NoError(t, os.WriteFile(path, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: der}), 0o600))
		if u, err := user.Lookup(owner); err == nil && os.Getuid() == 0 {
			uid, _ := strconv.Atoi(u.Uid)
			gid, _ := strconv.Atoi(u.Gid)
			require.NoError(t, os.Chown(path, uid, gid))
			require.NoError(t, os.Chown(folder, uid, gid))
		}
		return path
	}
	der, err := x509.CreateCertificate(rand.Reader, made, a.root, &own.PublicKey, a.key)
	require.NoError(t, err)
	cert = write("cert.pem", "CERTIFICATE", der)
	der, err = x509.MarshalPKCS8PrivateKey(own)
	require.NoError(t, err)
	return cert, write("key.pem", "PRIVATE KEY", der)
}

// TestEncrypted: a connection is encrypted as it was to be, or is not made:
// with servers that offer it and that do not, of a known and an unknown
// authority, under their name and another's.
func TestEncrypted(t *testing.T) {
	known, unknown := newAuthority(t), newAuthority(t)
	t.Setenv("SSL_CERT_FILE", known.file) // which the process reads once
	encrypted := map[string]string{"postgresql": "select ssl::text from pg_stat_ssl where pid = pg_backend_pid()", "mysql": "select variable_value <> '' from information_schema.session_status where variable_name = 'Ssl_cipher'"}
	for _, kind := range []string{"postgresql", "mysql"} {
		t.Run(kind, func(t *testing.T) {
			owner := map[string]string{"postgresql": "postgres", "mysql": "mysql"}[kind]
			start := func(a authority) *servers.Server {
				cert, key := a.certificate(t, owner, "localhost")
				if kind == "postgresql" {
					server, _ := servers.Postgres(t, "ssl=on", "ssl_cert_file="+cert, "ssl_key_file="+key)
					return server
				}
				server, _ := servers.MariaDB(t, "--ssl-cert="+cert, "--ssl-key="+key)
				return server
			}
			offering, strange := start(known), start(unknown)
			var plain *servers.Server
			if kind == "postgresql" {
				plain, _ = servers.Postgres(t, "ssl=off")
			} else {
				plain, _ = servers.MariaDB(t, "--skip-ssl")
			}
			try := func(server *servers.Server, host, tls string) (any, error) {
				a := address(server)
				_, port, _ := net.SplitHostPort(a.At)
				a.At, a.TLS = net.JoinHostPort(host, port), tls
				ctx, stop := context.WithTimeout(t.Context(), 20*time.Second)
				defer stop()
				rows, err := engine.Rows(ctx, source(t, kind, a), encrypted[kind])
				if err != nil {
					return nil, err
				}
				return rows[0][0], nil
			}
			yes, no := any("true"), any("false")
			if kind == "mysql" {
				yes, no = int64(1), int64(0)
			}
			for _, c := range []struct {
				server    *servers.Server
				host, tls string
				want      any
				code      engine.Code
			}{
				{offering, "localhost", "verify", yes, ""},
				{strange, "localhost", "verify", nil, engine.Untrusted},
				{strange, "localhost", "on", yes, ""},
				{offering, "localhost", "on", yes, ""},
				{offering, "127.0.0.1", "on", yes, ""},
				{offering, "localhost", "off", no, ""},
				{offering, "localhost", "", yes, ""},
				{offering, "127.0.0.1", "verify", nil, engine.Untrusted}, // another name
				{plain, "localhost", "on", nil, engine.Untrusted},
				{plain, "localhost", "verify", nil, engine.Untrusted},
				{plain, "localhost", "", no, ""},
				{plain, "localhost", "off", no, ""},
			} {
				got, err := try(c.server, c.host, c.tls)
				if c.code != "" {
					assert.Equal(t, c.code, code(err), "%s %q: %v", c.host, c.tls, err)
					continue
				}
				assert.NoError(t, err, "%s %q", c.host, c.tls)
				assert.Equal(t, c.want, got, "%s %q", c.host, c.tls)
			}
		})
	}
	// Beyond this machine it is looked at who answers.
	beyond := engine.Address{}.Encryption("db.example")
	require.NotNil(t, beyond)
	assert.False(t, beyond.InsecureSkipVerify)
	assert.True(t, engine.Address{}.Encryption("::1").InsecureSkipVerify)
}

// TestPasswordNotGivenAway: a server that asks for the password itself, or for
// what it can be found from, is not given it unless it is known who asks.
func TestPasswordNotGivenAway(t *testing.T) {
	t.Setenv("PGHOST", "127.0.0.2") // what is in the environment decides nothing
	t.Setenv("PGSERVICE", "nobody")
	for name, request := range map[string][]byte{"clear": {0, 0, 0, 3}, "md5": {0, 0, 0, 5, 1, 2, 3, 4}} {
		t.Run(name, func(t *testing.T) {
			listener, err := net.Listen("tcp", "127.0.0.1:0")
			require.NoError(t, err)
			defer listener.Close()
			got := make(chan []byte, 10)
			go func() {
				for {
					conn, err := listener.Accept()
					if err != nil {
						return
					}
					buffer := make([]byte, 4096)
					n, _ := conn.Read(buffer)
					if n == 8 { // it asks for TLS, which is not offered
						_, _ = conn.Write([]byte("N"))
						_, _ = conn.Read(buffer)
					}
					_, _ = conn.Write(append([]byte{'R', 0, 0, 0, byte(4 + len(request))}, request...))
					n, _ = conn.Read(buffer)
					got <- buffer[:n]
					conn.Close()
				}
			}()
			a := engine.Address{Name: "false", At: listener.Addr().String(), User: servers.Reader, Password: servers.Password, Connections: 1}
			_, err = engine.Rows(t.Context(), source(t, "postgresql", a), "select 1")
			assert.Equal(t, engine.WrongLogin, code(err), "%v", err)
			assert.NotContains(t, string(<-got), servers.Password)
		})
	}
}

// TestPasswordNotForKeys: without TLS, a server beyond this machine that wants the
// password encrypted with a key of its own choice is not given it.
func TestPasswordNotForKeys(t *testing.T) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	const plugin, salt = "caching_sha2_password", "12345678123456789012"
	packet := func(n byte, content string) []byte {
		return append([]byte{byte(len(content)), byte(len(content) >> 8), 0, n}, content...)
	}
	for host, given := range map[string]bool{"0.0.0.0": false, "127.0.0.1": true} { // the first is no loopback address, but leads here
		t.Run(host, func(t *testing.T) {
			listener, err := net.Listen("tcp", "127.0.0.1:0")
			require.NoError(t, err)
			defer listener.Close()
			read := make(chan string, 1)
			go func() {
				conn, err := listener.Accept()
				if err != nil {
					return
				}
				defer conn.Close()
				buffer := make([]byte, 4096)
				receive := func() []byte {
					n, _ := conn.Read(buffer)
					return buffer[min(4, n):n]
				}
				// Protocol 10, capabilities: 4.1, secure connection, plugin names, a database.
				_, _ = conn.Write(packet(0, "\x0a8.0.0\x00\x01\x00\x00\x00"+salt[:8]+"\x00"+"\x08\x82"+"\x2d"+"\x02\x00"+"\x08\x00"+"\x15"+strings.Repeat("\x00", 10)+salt[8:]+"\x00"+plugin+"\x00"))
				receive()
				_, _ = conn.Write(packet(2, "\x01\x04")) // all of it, please
				answer := receive()
				if len(answer) == 1 && answer[0] == 2 { // it asks for the key
					public, _ := x509.MarshalPKIXPublicKey(&key.PublicKey)
					_, _ = conn.Write(packet(4, "\x01"+string(pem.EncodeToMemory(&pem.Block{Type: "PUBLIC KEY", Bytes: public}))))
					answer = receive()
				}
				plain, _ := rsa.DecryptOAEP(sha1.New(), nil, key, answer, nil)
				for i := range plain {
					plain[i] ^= salt[i%len(salt)]
				}
				read <- string(plain)
				_, _ = conn.Write(packet(6, "\xff\x15\x04#28000Access denied"))
			}()
			_, port, _ := net.SplitHostPort(listener.Addr().String())
			a := engine.Address{Name: "false", At: net.JoinHostPort(host, port), User: servers.Reader, Password: servers.Password, TLS: "off", Connections: 1}
			_, err = engine.Rows(t.Context(), source(t, "mysql", a), "select 1")
			var failure *engine.Failure
			require.ErrorAs(t, err, &failure)
			assert.Equal(t, engine.WrongLogin, failure.Code, "%v", err)
			assert.Contains(t, failure.Hint, "--tls verify")
			assert.Equal(t, given, strings.Contains(<-read, servers.Password))
		})
	}
}
