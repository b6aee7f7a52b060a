package server

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/json"
	"io"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"golang.org/x/time/rate"
)

// The cookie of those who gave the passphrase, and how long it is good for without
// being used.
const (
	cookieName = "vestpin"
	goodFor    = 12 * time.Hour
	mostGuests = 1000 // sessions that are remembered; the one used longest ago goes first
)

// How fast passphrases may be tried: by one address, by all that were wrong before,
// and by all that were not. Whoever is over it waits, and nobody is shut out: those
// who know the passphrase get in a little later, and are not asked again.
const (
	triesAtOnce = 5
	eachTry     = 3 * time.Second
	wrongBefore = 1 // a second, all together
	fresh       = 5
	longestWait = 20 * time.Second
	mostTriers  = 10000 // addresses that are told apart
)

// gate asks for the passphrase once, and knows those who gave it by their cookie.
type gate struct {
	want   [32]byte
	secure bool // the connection is encrypted, so that the cookie must be
	clock  func() time.Time

	mu     sync.Mutex
	guests map[string]time.Time // by the digest of the cookie: when it was used last
	triers map[string]*trier
	fresh  *rate.Limiter
	wrong  *rate.Limiter
}

// trier is an address from which passphrases were tried.
type trier struct {
	limit *rate.Limiter
	wrong int
	last  time.Time
}

func newGate(passphrase string, secure bool) *gate {
	return &gate{
		want: sha256.Sum256([]byte(passphrase)), secure: secure, clock: time.Now, guests: map[string]time.Time{}, triers: map[string]*trier{},
		fresh: rate.NewLimiter(fresh, 20), wrong: rate.NewLimiter(wrongBefore, 10),
	}
}

// sessionPath is where a session begins and ends.
const sessionPath = "/api/session"

// check lets requests of the interface pass that bring the cookie. The page itself
// holds nothing of anybody's, and shows where to log in.
func (g *gate) check(c *gin.Context) {
	path := c.Request.URL.Path
	if path == sessionPath || !strings.HasPrefix(path, "/api/") {
		c.Next()
		return
	}
	if cookie, err := c.Cookie(cookieName); err != nil || !g.knows(cookie) {
		problem(c, http.StatusUnauthorized, "The passphrase is needed.")
		return
	}
	c.Next()
}

func digest(cookie string) string {
	sum := sha256.Sum256([]byte(cookie))
	return string(sum[:])
}

func (g *gate) knows(cookie string) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	key, now := digest(cookie), g.clock()
	last, ok := g.guests[key]
	if !ok || now.Sub(last) > goodFor {
		delete(g.guests, key)
		return false
	}
	g.guests[key] = now
	return true
}

// logIn begins a session for who gives the passphrase.
func (g *gate) logIn(c *gin.Context) {
	var in struct {
		Passphrase string `json:"passphrase"`
	}
	data, err := io.ReadAll(io.LimitReader(c.Request.Body, 4<<10))
	if err == nil {
		err = json.Unmarshal(data, &in)
	}
	if err != nil {
		problem(c, http.StatusUnprocessableEntity, `Want {"passphrase": "…"}.`)
		return
	}
	from, _, _ := net.SplitHostPort(c.Request.RemoteAddr)
	if err := g.wait(c.Request.Context(), from); err != nil {
		c.Header("Retry-After", "30")
		problem(c, http.StatusTooManyRequests, "Too many passphrases were tried. Wait half a minute, then try again.")
		return
	}
	got := sha256.Sum256([]byte(in.Passphrase))
	if subtle.ConstantTimeCompare(got[:], g.want[:]) != 1 {
		slog.Warn("a wrong passphrase", "from", from, "so far", g.noteWrong(from))
		problem(c, http.StatusUnauthorized, "That is not the passphrase.")
		return
	}
	cookie := rand.Text()
	g.welcome(cookie, from)
	slog.Info("logged in", "from", from)
	http.SetCookie(c.Writer, &http.Cookie{Name: cookieName, Value: cookie, Path: "/", HttpOnly: true, Secure: g.secure, SameSite: http.SameSiteStrictMode})
	c.Status(http.StatusNoContent)
}

// logOut ends the session of the cookie.
func (g *gate) logOut(c *gin.Context) {
	if cookie, err := c.Cookie(cookieName); err == nil {
		g.mu.Lock()
		delete(g.guests, digest(cookie))
		g.mu.Unlock()
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: cookieName, Path: "/", HttpOnly: true, Secure: g.secure, SameSite: http.SameSiteStrictMode, MaxAge: -1})
	c.Status(http.StatusNoContent)
}

// wait holds a try back until its address, and all together, may try again.
func (g *gate) wait(ctx context.Context, from string) error {
	g.mu.Lock()
	t := g.triers[from]
	if t == nil {
		if len(g.triers) >= mostTriers {
			forgetOldest(g.triers, func(t *trier) time.Time { return t.last })
		}
		t = &trier{limit: rate.NewLimiter(rate.Every(eachTry), triesAtOnce)}
		g.triers[from] = t
	}
	t.last = g.clock()
	all := g.fresh
	if t.wrong >= triesAtOnce {
		all = g.wrong
	}
	g.mu.Unlock()
	ctx, cancel := context.WithTimeout(ctx, longestWait)
	defer cancel()
	if err := t.limit.Wait(ctx); err != nil {
		return err
	}
	return all.Wait(ctx)
}

// forgetOldest makes room for another.
func forgetOldest[T any](all map[string]T, last func(T) time.Time) {
	oldest := ""
	for key, v := range all {
		if oldest == "" || last(v).Before(last(all[oldest])) {
			oldest = key
		}
	}
	delete(all, oldest)
}

func (g *gate) noteWrong(from string) int {
	g.mu.Lock()
	defer g.mu.Unlock()
	t := g.triers[from]
	if t == nil {
		return 0
	}
	t.wrong++
	return t.wrong
}

func (g *gate) welcome(cookie, from string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	delete(g.triers, from)
	if len(g.guests) >= mostGuests {
		forgetOldest(g.guests, func(last time.Time) time.Time { return last })
	}
	g.guests[digest(cookie)] = g.clock()
}
