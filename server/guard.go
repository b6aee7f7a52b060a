package server

import (
	"crypto/sha256"
	"crypto/subtle"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"
)

// mostBody is the largest body that any request may have, in bytes.
const mostBody = 32 << 20

// policy lets the page use nothing but what this server sends. Style rules are
// made by the page itself, which needs no inline style in the markup but does
// need the style element that it fills.
const policy = "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; " +
	"connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"

// guard refuses requests for another host and writes from another origin, which
// a page from elsewhere could send to a server on this machine, and sets the
// headers that keep the page to itself.
func guard(hosts []string) gin.HandlerFunc {
	return func(c *gin.Context) {
		h := c.Writer.Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		if !knownHost(hosts, c.Request.Host) {
			problem(c, http.StatusMisdirectedRequest, "This server does not answer for the host "+strings.ToValidUTF8(c.Request.Host, "?")+".")
			return
		}
		if c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead && !sameOrigin(c.Request) {
			problem(c, http.StatusForbidden, "Changes are only taken from this program's own page.")
			return
		}
		most := int64(mostBody)
		if strings.HasSuffix(c.Request.URL.Path, evidencePath) {
			most = mostEvidence
		}
		if c.Request.ContentLength > most {
			h.Set("Connection", "close") // what follows on it is no request
			problem(c, http.StatusRequestEntityTooLarge, fmt.Sprintf("The request is larger than %d MB.", most>>20))
			return
		}
		c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
		c.Next()
	}
}

// knownHost compares without the port where the list has none.
func knownHost(hosts []string, host string) bool {
	name, _, err := net.SplitHostPort(host)
	if err != nil {
		name = host
	}
	for _, h := range hosts {
		if strings.EqualFold(h, host) || strings.EqualFold(h, name) {
			return true
		}
	}
	return len(hosts) == 0
}

// sameOrigin trusts requests without an Origin, which no browser sends for a
// write to another site, and those whose Origin is the host they are sent to.
func sameOrigin(r *http.Request) bool {
	origin := r.Header.Get("Origin")
	if origin == "" {
		return r.Header.Get("Sec-Fetch-Site") == "" || r.Header.Get("Sec-Fetch-Site") == "same-origin"
	}
	u, err := url.Parse(origin)
	return err == nil && strings.EqualFold(u.Host, r.Host)
}

// askPassphrase demands the passphrase by HTTP basic authentication (RFC 7617),
// whatever the user name.
func askPassphrase(passphrase string) gin.HandlerFunc {
	want := sha256.Sum256([]byte(passphrase))
	return func(c *gin.Context) {
		_, given, _ := c.Request.BasicAuth()
		got := sha256.Sum256([]byte(given))
		if subtle.ConstantTimeCompare(got[:], want[:]) != 1 {
			c.Header("WWW-Authenticate", `Basic realm="Vest Pin", charset="UTF-8"`)
			problem(c, http.StatusUnauthorized, "The passphrase is needed.")
			return
		}
		c.Next()
	}
}

// problem answers with problem details (RFC 9457) and ends the request.
func problem(c *gin.Context, status int, detail string) {
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(status, gin.H{"status": status, "title": http.StatusText(status), "detail": detail})
}
