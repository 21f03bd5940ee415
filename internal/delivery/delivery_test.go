package delivery_test

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/delivery"
)

// TestRead: what a file says of destinations, and what is wrong with others.
func TestRead(t *testing.T) {
	d, err := delivery.Read([]byte("folders: {dues: out/dues, abs: /srv/x}\nmail: {server: 'smtp.navigation.example:587', from: reports@navigation.example, domains: [Navigation.example], login: r, secret: mail, attach: 3}\nweb: {ledger.example: {}, '10.0.0.5:8080': {private: true}}\n"), "/etc/pikegate")
	require.NoError(t, err)
	assert.Equal(t, "/etc/pikegate/out/dues", d.Folders["dues"])
	assert.Equal(t, "/srv/x", d.Folders["abs"])
	assert.Equal(t, int64(3<<20), d.Mail.Attachable())
	assert.Equal(t, []string{"folder:abs", "folder:dues", "keep", "mail:*", "mail:navigation.example", "web:10.0.0.5:8080", "web:ledger.example"}, d.Places())
	for place, has := range map[string]bool{"folder:dues": true, "folder:x": false, "mail:navigation.example": true, "mail:elsewhere.example": false, "mail:*": true, "web:ledger.example": true, "web:ledger.example:81": false, "keep": true, "fax:1": false} {
		assert.Equal(t, has, d.Has(place), place)
	}
	for content, says := range map[string]string{
		"folders: {'../x': /srv}":      "is not a name",
		"fax: {}":                      "fax",
		"mail: {from: a@b.example}":    "server is missing",
		"mail: {server: smtp.example}": "not HOST:PORT",
		"mail: {server: 'smtp.example:25', tls: maybe, from: a@b.example}": "starttls, tls or none",
		"mail: {server: 'smtp.example:25', tls: none, from: a@b.example}":  "this machine alone",
		"mail: {server: 'smtp.example:25', from: 'Ada <a@b.example>'}":     "not a mail address",
		"mail: {server: 'smtp.example:25', from: a@b.example, login: x}":   "go together",
		"mail: {server: 'smtp.example:25', from: a@b.example, attach: -1}": "negative",
		"web: {'https://ledger.example': {}}":                              "is not a host",
		"web: {Ledger.example: {}}":                                        "lower case",
		"web: {'ledger.example/in': {}}":                                   "is not a host",
	} {
		_, err := delivery.Read([]byte(content), "/")
		assert.ErrorContains(t, err, says, content)
	}
}

// TestFolder: a file appears whole, in the place of an earlier one, and nowhere else.
func TestFolder(t *testing.T) {
	folder := t.TempDir()
	p := parcel(t, "one\n")
	require.NoError(t, delivery.IntoFolder(t.Context(), folder, "2026/March/dues.csv", p, map[string][]byte{".provenance.json": []byte("{}\n")}))
	content, err := os.ReadFile(filepath.Join(folder, "2026/March/dues.csv"))
	require.NoError(t, err)
	assert.Equal(t, "one\n", string(content))
	require.NoError(t, delivery.IntoFolder(t.Context(), folder, "2026/March/dues.csv", parcel(t, "two\n"), nil))
	content, err = os.ReadFile(filepath.Join(folder, "2026/March/dues.csv"))
	require.NoError(t, err)
	assert.Equal(t, "two\n", string(content))
	list, err := os.ReadDir(filepath.Join(folder, "2026/March"))
	require.NoError(t, err)
	assert.Len(t, list, 2, "nothing is left beside it")

	outside := t.TempDir()
	require.NoError(t, os.Symlink(outside, filepath.Join(folder, "link")))
	for _, to := range []string{"../x.csv", "link/x.csv", "a/../../x.csv", "/etc/x.csv"} {
		assert.Error(t, delivery.IntoFolder(t.Context(), folder, to, p, nil), to)
	}
	list, err = os.ReadDir(outside)
	require.NoError(t, err)
	assert.Empty(t, list)
	assert.Error(t, delivery.IntoFolder(t.Context(), filepath.Join(folder, "none"), "x.csv", p, nil))
	missing := p
	missing.Spooled += ".gone"
	require.Error(t, delivery.IntoFolder(t.Context(), folder, "2026/March/dues.csv", missing, nil))
	content, err = os.ReadFile(filepath.Join(folder, "2026/March/dues.csv"))
	require.NoError(t, err)
	assert.Equal(t, "two\n", string(content), "what was there stays until another is whole")
}

// TestWeb: what is posted is signed as Standard Webhooks say.
func TestWeb(t *testing.T) {
	const secret = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"
	key, err := base64.StdEncoding.DecodeString(secret[len("whsec_"):])
	require.NoError(t, err)
	var got *http.Request
	var body []byte
	status := http.StatusNoContent
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		got = r
		body, _ = io.ReadAll(r.Body)
		w.Header().Set("Location", "/elsewhere")
		w.WriteHeader(status)
		_, _ = io.WriteString(w, strings.Repeat("said\n", 500))
	}))
	defer server.Close()
	host := strings.TrimPrefix(server.URL, "http://")
	w := delivery.NewWeb(map[string]delivery.WebHost{host: {Private: true}}, "Pike Gate")
	p := parcel(t, `{"rows":[]}`)
	p.ContentType = "application/json"
	at := time.Unix(1774771200, 0)
	answer, err := w.Post(t.Context(), server.URL+"/in?x=1", secret, p, at)
	require.NoError(t, err)
	assert.Equal(t, "204 No Content", answer)
	assert.Equal(t, "/in?x=1", got.URL.String())
	assert.Equal(t, `{"rows":[]}`, string(body))
	mac := hmac.New(sha256.New, key)
	fmt.Fprintf(mac, "pg-abc.1774771200.%s", body)
	for name, want := range map[string]string{"webhook-id": "pg-abc", "webhook-timestamp": "1774771200", "webhook-signature": "v1," + base64.StdEncoding.EncodeToString(mac.Sum(nil)), "content-type": "application/json", "user-agent": "Pike Gate"} {
		assert.Equal(t, want, got.Header.Get(name), name)
	}
	for code, final := range map[int]bool{200: false, 301: true, 302: true, 307: true, 400: false, 404: false, 410: true, 429: false, 500: false, 503: false} {
		status = code
		answer, err := w.Post(t.Context(), server.URL+"/in", secret, p, at)
		if code == 200 {
			require.NoError(t, err)
			assert.Less(t, len(answer), 400, "an answer is kept in short")
			continue
		}
		var failure *delivery.Failure
		require.ErrorAs(t, err, &failure, code)
		assert.Equal(t, final, failure.Final, code)
		assert.Equal(t, "/in", got.URL.Path, "no redirection is followed")
	}
	_, err = w.Post(t.Context(), server.URL+"/in", "whsec_!", p, at)
	assert.ErrorContains(t, err, "secret")
	_, err = w.Post(t.Context(), "http://127.0.0.1:1/in", secret, p, at)
	assert.ErrorContains(t, err, "not named", "a host that the administrator did not name")
}

// TestPrivate: names and addresses that mean this machine or a private network are not posted to.
func TestPrivate(t *testing.T) {
	reached := false
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { reached = true }))
	defer server.Close()
	_, port, _ := strings.Cut(strings.TrimPrefix(server.URL, "http://"), ":")
	hosts := []string{
		"127.0.0.1:" + port, "localhost:" + port, "[::1]:" + port, "[::ffff:127.0.0.1]:" + port, "0.0.0.0:" + port, "10.0.0.1:" + port, "192.168.1.1:" + port, "172.16.0.1:" + port,
		"169.254.169.254:" + port, "100.64.0.1:" + port, "[fe80::1]:" + port, "[fc00::1]:" + port, "[64:ff9b::7f00:1]:" + port, "[2002:7f00:1::]:" + port, "224.0.0.1:" + port, "[::]:" + port,
	}
	named := map[string]delivery.WebHost{}
	for _, host := range hosts {
		named[host] = delivery.WebHost{}
	}
	w := delivery.NewWeb(named, "Pike Gate")
	for _, host := range hosts {
		_, err := w.Post(t.Context(), "http://"+host+"/in", "x", parcel(t, "x"), time.Now())
		var failure *delivery.Failure
		require.ErrorAs(t, err, &failure, host)
		assert.Contains(t, failure.Message, "private address", host)
		assert.True(t, failure.Final, host)
	}
	assert.False(t, reached)
}
