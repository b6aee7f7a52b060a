package server

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

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
		looks := c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead
		if !looks && !sameOrigin(c.Request) {
			problem(c, http.StatusForbidden, "Changes are only taken from this program's own page.")
			return
		}
		// A page from elsewhere may send people to ours, and not look at the data.
		if from := c.Request.Header.Get("Sec-Fetch-Site"); looks && strings.HasPrefix(c.Request.URL.Path, "/api/") && from != "" && from != "same-origin" && from != "none" {
			problem(c, http.StatusForbidden, "The data is only given to this program's own page.")
			return
		}
		most := int64(mostBody)
		if strings.HasSuffix(c.Request.URL.Path, evidencePath) || c.Request.URL.Path == restorePath {
			most = mostEvidence
		}
		if c.Request.ContentLength > most {
			h.Set("Connection", "close") // what follows on it is no request
			problem(c, http.StatusRequestEntityTooLarge, fmt.Sprintf("The request is larger than %d MB.", most>>20))
			return
		}
		body := &patientBody{ReadCloser: c.Request.Body, control: http.NewResponseController(c.Writer)}
		if most == mostBody {
			body.end = time.Now().Add(wholeBody)
		}
		c.Request.Body = http.MaxBytesReader(c.Writer, body, most)
		c.Next()
	}
}

// How long a request may be silent in the middle of its body, and how long a body
// may take that is not evidence: captures come as slowly as a link is.
const (
	eachRead  = 30 * time.Second
	wholeBody = 2 * time.Minute
)

// patientBody gives each read of a body its own deadline.
type patientBody struct {
	io.ReadCloser
	control *http.ResponseController
	end     time.Time // of the whole, if any
}

func (b *patientBody) Read(p []byte) (int, error) {
	deadline := time.Now().Add(eachRead)
	if !b.end.IsZero() && b.end.Before(deadline) {
		deadline = b.end
	}
	b.control.SetReadDeadline(deadline)
	n, err := b.ReadCloser.Read(p)
	if err != nil {
		b.control.SetReadDeadline(time.Time{}) // the answer may take longer
	}
	return n, err
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

// problem answers with problem details (RFC 9457) and ends the request.
func problem(c *gin.Context, status int, detail string) {
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(status, gin.H{"status": status, "title": http.StatusText(status), "detail": detail})
}
