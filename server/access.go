package server

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/netip"
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

// How fast passphrases may be tried from one address, of IPv6 from one network of 64 bits, which one host
// has to itself. Whoever is over it waits. An address is held back for its own tries alone, so that nobody can
// keep out those who know the passphrase; while many are wrong from many addresses, each has
// one try and then waits longer.
const (
	triesAtOnce = 5
	eachTry     = 3 * time.Second
	longestWait = 20 * time.Second
	mostTriers  = 10000 // addresses that are told apart
	manyWrong   = 50    // in a minute
	eachOfMany  = 15 * time.Second
)

// gate asks for the passphrase once, and knows those who gave it by their cookie.
type gate struct {
	want   [32]byte
	secure bool // the connection is encrypted, so that the cookie must be
	clock  func() time.Time

	mu     sync.Mutex
	guests map[string]*guest // by the digest of the cookie
	triers map[string]*trier
	wrongs []time.Time // when the last were wrong
}

// guest is who has a session.
type guest struct {
	last  time.Time     // when it was used
	ended chan struct{} // closed when it ends
}

// trier is an address from which passphrases were tried.
type trier struct {
	limit *rate.Limiter
	wrong int
	last  time.Time
}

func newGate(passphrase string, secure bool) *gate {
	return &gate{
		want: sha256.Sum256([]byte(passphrase)), secure: secure, clock: time.Now, guests: map[string]*guest{}, triers: map[string]*trier{},
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
	cookie, err := c.Cookie(cookieName)
	var who *guest
	if err == nil {
		who = g.knows(cookie)
	}
	if who == nil {
		problem(c, http.StatusUnauthorized, "The passphrase is needed.")
		return
	}
	if welcome, ok := c.Request.Context().Value(knownKey{}).(func()); ok {
		welcome()
	}
	c.Set(guestKey, who)
	c.Next()
}

func digest(cookie string) string {
	sum := sha256.Sum256([]byte(cookie))
	return string(sum[:])
}

// guestKey is under what a request knows whose it is.
const guestKey = "guest"

type knownKey struct{}

// WithWelcome gives requests of a connection what is called when one of them brings a session.
func WithWelcome(ctx context.Context, welcome func()) context.Context {
	return context.WithValue(ctx, knownKey{}, welcome)
}

// knows gives the guest of a cookie, nil for none.
func (g *gate) knows(cookie string) *guest {
	g.mu.Lock()
	defer g.mu.Unlock()
	key, now := digest(cookie), g.clock()
	who := g.guests[key]
	if who == nil {
		return nil
	}
	if now.Sub(who.last) > goodFor {
		g.end(key)
		return nil
	}
	who.last = now
	return who
}

// over reports whether a session has ended, also by its age.
func (g *gate) over(who *guest) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	select {
	case <-who.ended:
		return true
	default:
		return g.clock().Sub(who.last) > goodFor
	}
}

// end ends a session; the lock is held.
func (g *gate) end(key string) {
	if who := g.guests[key]; who != nil {
		close(who.ended)
		delete(g.guests, key)
	}
}

// placeOf is what tries are counted by: an address, of IPv6 its network of 64 bits.
func placeOf(remote string) string {
	at, err := netip.ParseAddrPort(remote)
	if err != nil {
		return remote
	}
	if a := at.Addr().Unmap(); a.Is4() {
		return a.String()
	}
	p, _ := at.Addr().WithZone("").Prefix(64)
	return p.String()
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
	from := placeOf(c.Request.RemoteAddr)
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
		g.end(digest(cookie))
		g.mu.Unlock()
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: cookieName, Path: "/", HttpOnly: true, Secure: g.secure, SameSite: http.SameSiteStrictMode, MaxAge: -1})
	c.Status(http.StatusNoContent)
}

// wait holds a try back until its address may try again.
func (g *gate) wait(ctx context.Context, from string) error {
	g.mu.Lock()
	now := g.clock()
	for len(g.wrongs) > 0 && now.Sub(g.wrongs[0]) > time.Minute {
		g.wrongs = g.wrongs[1:]
	}
	t := g.triers[from]
	if t == nil {
		if len(g.triers) >= mostTriers {
			forgetOldest(g.triers, func(t *trier) time.Time { return t.last })
		}
		t = &trier{limit: rate.NewLimiter(rate.Every(eachTry), triesAtOnce)}
		g.triers[from] = t
	}
	burst, each := triesAtOnce, eachTry
	if len(g.wrongs) >= manyWrong {
		burst, each = 1, eachOfMany
	}
	t.limit.SetBurst(burst)
	t.limit.SetLimit(rate.Every(each))
	t.last = now
	g.mu.Unlock()
	ctx, cancel := context.WithTimeout(ctx, longestWait)
	defer cancel()
	return t.limit.Wait(ctx)
}

// forgetOldest makes room for another.
func forgetOldest[T any](all map[string]T, last func(T) time.Time) { delete(all, oldest(all, last)) }

// oldest is the key of what was used longest ago.
func oldest[T any](all map[string]T, last func(T) time.Time) (found string) {
	for key, v := range all {
		if found == "" || last(v).Before(last(all[found])) {
			found = key
		}
	}
	return found
}

func (g *gate) noteWrong(from string) int {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.wrongs = append(g.wrongs, g.clock()); len(g.wrongs) > 2*manyWrong {
		g.wrongs = g.wrongs[manyWrong:]
	}
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
		g.end(oldest(g.guests, func(who *guest) time.Time { return who.last }))
	}
	g.guests[digest(cookie)] = &guest{g.clock(), make(chan struct{})}
}
