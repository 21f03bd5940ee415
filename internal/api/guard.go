package api

import (
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"pikegate/core/diag"
)

// Reach is by what names and through which proxies the service is reached.
type Reach struct {
	// Public is the address people use, nil where that is the machine's own.
	Public *url.URL
	// Proxies are those whose word is taken for where a request comes from. Where there
	// are any, nobody but they and this machine reaches the service.
	Proxies []netip.Prefix
	// Certified tells whether the service's own certificate is for a host; nil where it
	// has none.
	Certified func(host string) bool
}

// encrypted tells whether browsers reach the service by TLS.
func (r Reach) encrypted() bool {
	return r.Certified != nil || r.Public != nil && r.Public.Scheme == "https"
}

// forwarding are the headers in which proxies say for whom they ask.
func forwarding(h http.Header) bool {
	for name := range h {
		if name == "Forwarded" || name == "Via" || strings.HasPrefix(name, "X-Forwarded-") {
			return true
		}
	}
	return false
}

// guard keeps out what comes by another name, through a proxy nobody named, or from a
// page of another site: a page cannot point a name of its own at the service, and a
// request that a page sends must come from the service's own.
func (s *Server) guard(c *gin.Context) {
	r := c.Request
	from, trusted := s.from(r)
	c.Set(fromKey, from)
	switch {
	case !s.Reach.named(r.Host):
		refuse(c, "wrong_host", "The service is not addressed by a name of its own, but as "+r.Host+".", "Use the address it is reached by; on its machine that is http://127.0.0.1 or http://localhost with its port.")
	case !trusted:
		refuse(c, "wrong_proxy", "The request came through a proxy that the service does not know.", "Name it with serve --behind-proxy.")
	case foreign(c.GetHeader("Sec-Fetch-Site")) && !navigates(r) || s.crossOrigin(r):
		refuse(c, "wrong_origin", "The request comes from a page of another site.", "Use the service's own console.")
	default:
		c.Next()
	}
}

const fromKey = "from"

// named tells whether a host is one that the service is reached by.
func (r Reach) named(hostport string) bool {
	host := hostOf(hostport)
	return IsLoopback(host) || r.Public != nil && strings.EqualFold(hostport, r.Public.Host) || r.Certified != nil && r.Certified(host)
}

// crossOrigin tells whether a page of another site sends something to be done.
func (s *Server) crossOrigin(r *http.Request) bool {
	protection := http.NewCrossOriginProtection()
	if s.Reach.Public != nil {
		_ = protection.AddTrustedOrigin(s.Reach.Public.Scheme + "://" + s.Reach.Public.Host) // was looked at when the service was configured
	}
	origin := r.Header.Get("Origin")
	own := origin == "" || ownOrigin(origin, r.Host) || s.Reach.Public != nil && ownOrigin(origin, s.Reach.Public.Host)
	return protection.Check(r) != nil || !own
}

// from is the address a request comes from. What a header says of it counts from a
// proxy that is trusted alone; from anybody else it is refused.
func (s *Server) from(r *http.Request) (address string, trusted bool) {
	address, _, _ = net.SplitHostPort(r.RemoteAddr)
	if len(s.Reach.Proxies) == 0 {
		return address, !forwarding(r.Header)
	}
	if !s.Reach.proxy(address) {
		return address, IsLoopback(address) && !forwarding(r.Header)
	}
	hops := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(hops) - 1; i >= 0; i-- { // the nearest comes last; what was said to it before may be made up
		hop, err := netip.ParseAddr(strings.TrimSpace(hops[i]))
		if err != nil {
			break
		}
		if address = hop.Unmap().String(); !s.Reach.proxy(address) {
			break
		}
	}
	return address, true
}

func (r Reach) proxy(address string) bool {
	ip, err := netip.ParseAddr(address)
	if err != nil {
		return false
	}
	for _, p := range r.Proxies {
		if p.Contains(ip.Unmap()) {
			return true
		}
	}
	return false
}

// foreign tells what a browser says of a request that a page of another site
// sends, even one that only reads; source: W3C Fetch Metadata.
func foreign(site string) bool { return site == "cross-site" || site == "same-site" }

// navigates tells whether somebody follows a link to a page of the console, which
// does no work, or is sent back by the identity provider.
func navigates(r *http.Request) bool {
	return r.Method == http.MethodGet && r.Header.Get("Sec-Fetch-Mode") == "navigate" && r.Header.Get("Sec-Fetch-Dest") == "document" &&
		(!strings.HasPrefix(r.URL.Path, "/api/") || r.URL.Path == providerReturn)
}

func refuse(c *gin.Context, code, message, hint string) {
	writeProblem(c.Writer, problemOf(http.StatusForbidden, diag.Problem{Code: code, Message: message, Hint: hint}))
	c.Abort()
}

func hostOf(hostport string) string {
	host, _, err := net.SplitHostPort(hostport)
	if err != nil {
		return hostport
	}
	return host
}

// IsLoopback tells whether a host is this machine's loopback.
func IsLoopback(host string) bool {
	if host == "localhost" {
		return true
	}
	if len(host) > 2 && host[0] == '[' {
		host = host[1 : len(host)-1]
	}
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback()
}

func ownOrigin(origin, host string) bool {
	u, err := url.Parse(origin)
	return err == nil && u.Host == host
}

// secure sets what a browser must keep to: no script, style or request from
// anywhere but here, no framing, no guessing of types.
func (s *Server) secure(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	if s.Reach.encrypted() {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		h.Set("Cache-Control", "no-store")
	}
	c.Next()
}
