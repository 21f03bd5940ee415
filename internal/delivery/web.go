package delivery

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"strconv"
	"strings"
	"syscall"
	"time"
	"unicode"
)

// How long a request may take: to connect, to be answered once it was sent, and in all.
const (
	connecting = 15 * time.Second
	answering  = 30 * time.Second
	posting    = 10 * time.Minute
)

// longestAnswer is how many bytes of an answer are kept.
const longestAnswer = 300

// Web makes requests to hosts that were named.
type Web struct {
	hosts  map[string]WebHost
	agent  string
	client func(WebHost) *http.Client
}

// errPrivate says that a name means an address that requests may not go to.
var errPrivate = errors.New("the host's name means a private address")

// NewWeb makes requests to hosts. Agent is what the service calls itself.
func NewWeb(hosts map[string]WebHost, agent string) *Web {
	made := func(private bool) *http.Client {
		dialer := &net.Dialer{Timeout: connecting, ControlContext: func(_ context.Context, _, address string, _ syscall.RawConn) error {
			to, err := netip.ParseAddrPort(address)
			if err != nil {
				return err
			}
			if !private && !public(to.Addr()) { // looked at when connecting, after the name was looked up
				return errPrivate
			}
			return nil
		}}
		return &http.Client{
			Timeout:       posting,
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
			Transport: &http.Transport{
				DialContext: dialer.DialContext, TLSHandshakeTimeout: connecting, ResponseHeaderTimeout: answering, MaxResponseHeaderBytes: 64 << 10,
				MaxIdleConnsPerHost: 2, IdleConnTimeout: time.Minute, DisableCompression: true, ForceAttemptHTTP2: true,
			},
		}
	}
	open, closed := made(true), made(false)
	return &Web{hosts, agent, func(h WebHost) *http.Client {
		if h.Private {
			return open
		}
		return closed
	}}
}

// special are networks that are not public though no method of netip says so; source: IANA
// special-purpose address registries.
var special = func() (list []netip.Prefix) {
	for _, p := range []string{
		"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "240.0.0.0/4",
		"64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23", "2001:db8::/32", "2002::/16", "3fff::/20", "5f00::/16", "fec0::/10",
	} {
		list = append(list, netip.MustParsePrefix(p))
	}
	return list
}()

// public tells whether an address is one of the public internet.
func public(a netip.Addr) bool {
	a = a.Unmap().WithZone("")
	if !a.IsGlobalUnicast() || a.IsPrivate() || a.IsLoopback() || a.IsLinkLocalUnicast() {
		return false
	}
	for _, p := range special {
		if p.Contains(a) {
			return false
		}
	}
	return true
}

// Post sends the file of a parcel to an address, signed as Standard Webhooks say, and gives what
// was answered. At is the time that the signature holds for.
func (w *Web) Post(ctx context.Context, to, secret string, p Parcel, at time.Time) (answer string, err error) {
	u, err := url.Parse(to)
	if err != nil {
		return "", &Failure{Message: "The address cannot be read.", Final: true, Err: err}
	}
	host, named := w.hosts[strings.ToLower(u.Host)]
	if !named {
		return "", &Failure{Message: "The administrator has not named the host " + u.Host + ".", Final: true}
	}
	stamp := strconv.FormatInt(at.Unix(), 10)
	signature, err := sign(p, stamp, secret)
	if err != nil {
		return "", &Failure{Message: "The file cannot be read.", Err: err}
	}
	file, err := os.Open(p.Spooled)
	if err != nil {
		return "", &Failure{Message: "The file cannot be read.", Err: err}
	}
	defer file.Close()
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, to, file)
	if err != nil {
		return "", &Failure{Message: "The address cannot be read.", Final: true, Err: err}
	}
	request.ContentLength = p.Bytes
	if p.Bytes == 0 {
		request.Body = http.NoBody
	}
	request.Header.Set("Content-Type", p.ContentType)
	request.Header.Set("User-Agent", w.agent)
	request.Header.Set("Webhook-Id", p.ID)
	request.Header.Set("Webhook-Timestamp", stamp)
	request.Header.Set("Webhook-Signature", signature)
	response, err := w.client(host).Do(request)
	switch {
	case errors.Is(err, errPrivate):
		return "", &Failure{Message: "The name " + u.Hostname() + " means a private address, or one of this machine.", Final: true}
	case err != nil:
		var inner *url.Error
		if errors.As(err, &inner) { // the address may hold what is nobody's business
			err = inner.Err
		}
		return "", &Failure{Message: "The host " + u.Host + " cannot be reached.", Err: err}
	}
	defer response.Body.Close()
	body, _ := io.ReadAll(io.LimitReader(response.Body, longestAnswer))
	answer = strings.TrimSpace(response.Status + " " + readable(body))
	switch code := response.StatusCode; {
	case code >= 200 && code < 300:
		return answer, nil
	case code >= 300 && code < 400:
		return answer, &Failure{Message: fmt.Sprintf("The host answered %s, and redirections are not followed.", response.Status), Final: true}
	case code == http.StatusGone:
		return answer, &Failure{Message: "The host answered " + response.Status + ": it takes nothing there any more.", Final: true}
	}
	return answer, &Failure{Message: "The host answered " + response.Status + "."}
}

// readable is what of an answer a person can read.
func readable(body []byte) string {
	return strings.Join(strings.FieldsFunc(string(bytes.ToValidUTF8(body, nil)), func(r rune) bool { return unicode.IsSpace(r) || !unicode.IsPrint(r) }), " ")
}

// sign is the signature of a parcel at a time; source: Standard Webhooks 1.0.0, symmetric.
func sign(p Parcel, stamp, secret string) (string, error) {
	key := []byte(secret)
	if encoded, ok := strings.CutPrefix(secret, "whsec_"); ok {
		decoded, err := base64.StdEncoding.DecodeString(encoded)
		if err != nil {
			return "", fmt.Errorf("the secret is not what whsec_ begins: %w", err)
		}
		key = decoded
	}
	mac := hmac.New(sha256.New, key)
	fmt.Fprintf(mac, "%s.%s.", p.ID, stamp)
	file, err := os.Open(p.Spooled)
	if err != nil {
		return "", err
	}
	defer file.Close()
	if _, err := io.Copy(mac, file); err != nil {
		return "", err
	}
	return "v1," + base64.StdEncoding.EncodeToString(mac.Sum(nil)), nil
}
