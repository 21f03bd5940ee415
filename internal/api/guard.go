package api

import (
	"net"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"

	"pikegate/core/diag"
)

// sameSite keeps web pages from elsewhere out: the service must be addressed
// by a loopback name (a page cannot point a name of its own at it), and a
// request that a page sends must come from the service's own page.
func sameSite(c *gin.Context) {
	host := c.Request.Host
	origin := c.GetHeader("Origin")
	switch {
	case !loopbackHost(host):
		refuse(c, "wrong_host", "The service is not addressed by a loopback name, but as "+host+".", "Use http://127.0.0.1 or http://localhost with its port.")
	case foreign(c.GetHeader("Sec-Fetch-Site")) && !navigates(c.Request):
		refuse(c, "wrong_origin", "The request comes from a page of another site.", "Use the service's own console.")
	case origin != "" && !ownOrigin(origin, host):
		refuse(c, "wrong_origin", "The request comes from a page of another site, "+origin+".", "Use the service's own console.")
	default:
		c.Next()
	}
}

// foreign tells what a browser says of a request that a page of another site
// sends, even one that only reads; source: W3C Fetch Metadata.
func foreign(site string) bool { return site == "cross-site" || site == "same-site" }

// navigates tells whether somebody follows a link to a page of the console, which
// does no work.
func navigates(r *http.Request) bool {
	return r.Method == http.MethodGet && r.Header.Get("Sec-Fetch-Mode") == "navigate" && r.Header.Get("Sec-Fetch-Dest") == "document" && !strings.HasPrefix(r.URL.Path, "/api/")
}

func refuse(c *gin.Context, code, message, hint string) {
	writeProblem(c.Writer, problemOf(http.StatusForbidden, diag.Problem{Code: code, Message: message, Hint: hint}))
	c.Abort()
}

func loopbackHost(hostport string) bool {
	host, _, err := net.SplitHostPort(hostport)
	if err != nil {
		host = hostport
	}
	return IsLoopback(host)
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
func secure(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		h.Set("Cache-Control", "no-store")
	}
	c.Next()
}
