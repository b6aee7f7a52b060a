package afar

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log"
	"math/big"
	"net"
	"net/http"
	"net/netip"
	"sync"
	"time"

	"github.com/pion/stun/v3"
	"golang.org/x/net/netutil"
	"golang.org/x/time/rate"

	"vestpin/core/site"
	"vestpin/wire"
)

// Version is what the helper and those who ask it speak.
const Version = "vestpin-afar/1"

// The bounds of the helper.
const (
	mostOpen    = 128      // connections at once
	mostOfOne   = 16       // connections of one address
	mostRequest = 16 << 10 // bytes
	mostKnown   = 1000     // addresses whose pace is remembered
)

// Helper answers those who know its secret.
type Helper struct {
	// Lab lets it try private addresses, as a lab without an internet has.
	Lab bool

	pairing Pairing
	cert    tls.Certificate
	mu      sync.Mutex
	pace    map[netip.Addr]*rate.Limiter
	busy    map[netip.Addr]bool
}

// New makes a helper with a secret and a key of its own, which is asked at an address.
func New(addr string) (*Helper, error) {
	if err := checkAddr(addr); err != nil {
		return nil, err
	}
	h := &Helper{pace: map[netip.Addr]*rate.Limiter{}, busy: map[netip.Addr]bool{}, pairing: Pairing{Addr: addr}}
	if _, err := rand.Read(h.pairing.Secret[:]); err != nil {
		return nil, err
	}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	now := time.Now()
	t := &x509.Certificate{SerialNumber: big.NewInt(now.UnixNano()), Subject: pkix.Name{CommonName: "vestpin afar"}, NotBefore: now.Add(-24 * time.Hour), NotAfter: now.AddDate(10, 0, 0)}
	der, err := x509.CreateCertificate(rand.Reader, t, t, &key.PublicKey, key)
	if err != nil {
		return nil, err
	}
	h.cert = tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}
	h.pairing.Key = sha256.Sum256(der)
	return h, nil
}

// Pairing is what those who are to ask it have to know.
func (h *Helper) Pairing() Pairing { return h.pairing }

// Serve answers on a listener by TLS, and on a socket by STUN, until the context ends.
func (h *Helper) Serve(ctx context.Context, l net.Listener, mirror net.PacketConn) error {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /address", h.guarded(h.address))
	mux.HandleFunc("POST /try", h.guarded(h.try))
	s := &http.Server{
		Handler: mux, ReadHeaderTimeout: 5 * time.Second, ReadTimeout: 10 * time.Second, IdleTimeout: 30 * time.Second, MaxHeaderBytes: 8 << 10,
		TLSConfig:    &tls.Config{Certificates: []tls.Certificate{h.cert}, MinVersion: tls.VersionTLS13},
		ErrorLog:     log.New(io.Discard, "", 0), // whoever knocks without the secret is nobody's business
		TLSNextProto: map[string]func(*http.Server, *tls.Conn, http.Handler){},
	}
	var all sync.WaitGroup
	all.Go(func() { h.mirror(mirror) })
	stop := context.AfterFunc(ctx, func() {
		mirror.Close()
		ending, done := context.WithTimeout(context.Background(), 2*time.Second)
		defer done()
		s.Shutdown(ending)
		s.Close()
	})
	defer stop()
	err := s.ServeTLS(netutil.LimitListener(&fair{Listener: l, open: map[netip.Addr]int{}}, mostOpen), "", "")
	mirror.Close()
	all.Wait()
	if errors.Is(err, http.ErrServerClosed) {
		return nil
	}
	return err
}

// fair is a listener that leaves no address more than its share of the connections.
type fair struct {
	net.Listener
	mu   sync.Mutex
	open map[netip.Addr]int
}

// Accept closes at once what is too much.
func (f *fair) Accept() (net.Conn, error) {
	for {
		c, err := f.Listener.Accept()
		if err != nil {
			return nil, err
		}
		from, _ := netip.ParseAddrPort(c.RemoteAddr().String())
		a := from.Addr()
		f.mu.Lock()
		much := f.open[a] >= mostOfOne
		if !much {
			f.open[a]++
		}
		f.mu.Unlock()
		if !much {
			return &oneOf{Conn: c, gone: sync.OnceFunc(func() { f.gone(a) })}, nil
		}
		c.Close()
	}
}

func (f *fair) gone(a netip.Addr) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.open[a]--; f.open[a] == 0 {
		delete(f.open, a)
	}
}

type oneOf struct {
	net.Conn
	gone func()
}

func (c *oneOf) Close() error {
	c.gone()
	return c.Conn.Close()
}

// mirror answers STUN binding requests (RFC 8489), so many a second and no more.
func (h *Helper) mirror(c net.PacketConn) {
	limit := rate.NewLimiter(200, 200)
	buffer := make([]byte, 576)
	for {
		n, from, err := c.ReadFrom(buffer)
		if err != nil {
			return
		}
		udp, ok := from.(*net.UDPAddr)
		m := &stun.Message{Raw: buffer[:n]}
		if !ok || !limit.Allow() || !stun.IsMessage(buffer[:n]) || m.Decode() != nil || m.Type != stun.BindingRequest {
			continue
		}
		if answer, err := stun.Build(m, stun.BindingSuccess, &stun.XORMappedAddress{IP: udp.IP, Port: udp.Port}, stun.Fingerprint); err == nil {
			c.WriteTo(answer.Raw, from)
		}
	}
}

// guarded lets those in who know the secret, and tells the handler where they are.
func (h *Helper) guarded(next func(http.ResponseWriter, *http.Request, netip.Addr)) http.HandlerFunc {
	want := []byte("Bearer " + hex.EncodeToString(h.pairing.Secret[:]))
	return func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Server", Version)
		if subtle.ConstantTimeCompare([]byte(r.Header.Get("Authorization")), want) != 1 {
			refuse(w, http.StatusUnauthorized, "the secret is another one")
			return
		}
		from, err := netip.ParseAddrPort(r.RemoteAddr)
		a := from.Addr().Unmap()
		if err != nil || !a.Is4() {
			refuse(w, http.StatusForbidden, "it is asked by IPv6, and only tries IPv4")
			return
		}
		next(w, r, a)
	}
}

// refusalText is how the helper says no.
type refusalText struct {
	Error   string     `json:"error"`
	Address netip.Addr `json:"address,omitzero"`
}

func refuse(w http.ResponseWriter, status int, why string) { tell(w, status, refusalText{Error: why}) }

func tell(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(body)
}

func (h *Helper) address(w http.ResponseWriter, _ *http.Request, from netip.Addr) {
	tell(w, http.StatusOK, map[string]any{"address": from})
}

// shared are blocks that name nobody in particular: the carriers' own (RFC 6598), what is
// reserved, and this network.
var shared = []netip.Prefix{site.Carrier, netip.MustParsePrefix("240.0.0.0/4"), netip.MustParsePrefix("0.0.0.0/8")}

// public reports whether an address is one that others on the internet have no part in.
func public(a netip.Addr) bool {
	for _, p := range shared {
		if p.Contains(a) {
			return false
		}
	}
	return !a.IsPrivate() && !a.IsLoopback() && !a.IsLinkLocalUnicast() && !a.IsMulticast() && !a.IsUnspecified()
}

// heard is one line of the answer.
type heard struct {
	Of    int        `json:"of"` // which question, counted from 0
	Heard site.Heard `json:"heard"`
}

// try tries ports of the address that it is asked from, one address after the other, and
// writes a line for each as it comes.
func (h *Helper) try(w http.ResponseWriter, r *http.Request, from netip.Addr) {
	if !h.Lab && !public(from) {
		tell(w, http.StatusForbidden, refusalText{fmt.Sprintf("it sees you at %s, which is no address of the internet, and tries none such", from), from})
		return
	}
	var body struct{ Questions []wire.Question }
	dec := json.NewDecoder(http.MaxBytesReader(w, r.Body, mostRequest))
	if err := dec.Decode(&body); err != nil {
		refuse(w, http.StatusBadRequest, "the questions are not understood: "+err.Error())
		return
	}
	if len(body.Questions) > wire.MostAsked {
		refuse(w, http.StatusBadRequest, fmt.Sprintf("%d ports are asked for, and %d are the most at once", len(body.Questions), wire.MostAsked))
		return
	}
	for _, q := range body.Questions {
		if q.Port == 0 || q.Protocol != site.TCP && q.Protocol != site.UDP {
			refuse(w, http.StatusBadRequest, "a question is of no port, or neither of tcp nor udp")
			return
		}
	}
	pace, free := h.turn(from)
	if !free {
		refuse(w, http.StatusTooManyRequests, "it is trying for this address already")
		return
	}
	defer h.end(from)
	answers := make(chan heard)
	go h.all(r.Context(), pace, from, body.Questions, answers)
	http.NewResponseController(w).SetWriteDeadline(time.Now().Add(30 * time.Second))
	w.Header().Set("Content-Type", "application/x-ndjson")
	enc := json.NewEncoder(w)
	for a := range answers {
		enc.Encode(a)
		http.NewResponseController(w).Flush()
	}
}

// all tries ports at their pace, all of those begun at once.
func (h *Helper) all(ctx context.Context, pace *rate.Limiter, to netip.Addr, questions []wire.Question, answers chan<- heard) {
	defer close(answers)
	var begun sync.WaitGroup
	for i, q := range questions {
		if pace.Wait(ctx) != nil {
			break
		}
		begun.Go(func() {
			var d net.Dialer
			got := wire.Try(ctx, func(ctx context.Context, network string, to netip.AddrPort) (net.Conn, error) {
				return d.DialContext(ctx, network+"4", to.String())
			}, netip.AddrPortFrom(to, q.Port), q)
			answers <- heard{i, got}
		})
	}
	begun.Wait()
}

// turn gives the pace of an address, and whether it has the turn.
func (h *Helper) turn(a netip.Addr) (*rate.Limiter, bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.busy[a] {
		return nil, false
	}
	pace := h.pace[a]
	if pace == nil {
		if len(h.pace) >= mostKnown {
			clear(h.pace) // their paces begin anew
		}
		pace = rate.NewLimiter(wire.AskedASec, 1)
		h.pace[a] = pace
	}
	h.busy[a] = true
	return pace, true
}

func (h *Helper) end(a netip.Addr) {
	h.mu.Lock()
	defer h.mu.Unlock()
	delete(h.busy, a)
}
