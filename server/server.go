// Package server answers the browser: the JSON interface over the store and the
// core, events, and the built page. It knows no rule of the job.
package server

import (
	"compress/gzip"
	"context"
	"embed"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"net/netip"
	"path"
	"reflect"
	"runtime"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/core/strict"
	"vestpin/maker"
	"vestpin/store"
	"vestpin/wire"
)

//go:embed all:dist
var dist embed.FS

// Options are how a server is run.
type Options struct {
	Hosts      []string // the names it answers for, with or without a port; none for any
	Passphrase string   // demanded of everybody where it is not empty
	Secure     bool     // the connections are encrypted
	Reach      Reach    // where others reach the program, where they do
	// Network is what surveys of a site go over; absent, it is the network that
	// this computer is attached to.
	Network func(site string) wire.Network
	Makers  *maker.Registry // who makes which MAC addresses; absent, the registry shipped
	// Watch is how often the router is asked for its outside address; never if 0.
	Watch time.Duration
	// Far reaches the far end of a pairing text, for a site; absent, it is a real one.
	Far func(ctx context.Context, site, pairing string) (wire.FarEnd, error)
}

// Server is the handler of all requests.
type Server struct {
	http.Handler
	API   huma.API
	Close func() // ends surveys, which keep what they found, and the streams of events
}

// Reach is how the program is reached from other computers.
type Reach struct {
	Addresses   []string `json:"addresses" doc:"Empty where it listens for this computer only"`
	Fingerprint string   `json:"fingerprint" doc:"SHA-256 of the certificate that the program made for itself; empty for another"`
}

type server struct {
	reach   Reach
	gate    *gate // nil where everybody may come
	store   *store.Store
	hub     hub
	closing chan struct{}
	working chan struct{} // holds what works at length
	uploads chan struct{} // holds those who send evidence
	large   chan struct{} // holds those whose bodies are large
	backups chan struct{} // holds those who fetch a backup, or send one
	answers answers
	mu      sync.Mutex
	runs    map[string]*run      // the last survey of each site
	checks  map[string]*checking // the last check of each site
	atWork  map[string]time.Time // when this computer began the last check inside of each site
	far     func(ctx context.Context, site, pairing string) (wire.FarEnd, error)
	network func(string) wire.Network
	makers  func() *maker.Registry
}

// New makes the handler over an open store.
func New(st *store.Store, o Options) Server {
	gin.SetMode(gin.ReleaseMode)
	huma.DefaultArrayNullable = false
	huma.NewError = plainProblem
	s := &server{store: st, reach: Reach{append([]string{}, o.Reach.Addresses...), o.Reach.Fingerprint}, closing: make(chan struct{}), working: make(chan struct{}, max(1, runtime.GOMAXPROCS(0)-1)), uploads: make(chan struct{}, mostUploads), large: make(chan struct{}, mostLarge), backups: make(chan struct{}, mostBackups), runs: map[string]*run{}, checks: map[string]*checking{}, atWork: map[string]time.Time{}, far: o.Far, network: o.Network, makers: maker.Shipped}
	if o.Makers != nil {
		s.makers = func() *maker.Registry { return o.Makers }
	}
	if o.Far == nil {
		s.far = realFar
	}
	go s.makers() // unpacked while the first request is on its way
	clearSpool(st.Dir())
	s.giveBack()
	s.store.Removed(context.Background()) // whose time is over goes
	go s.follow()
	if o.Watch > 0 {
		go s.watchOutside(o.Watch)
	}
	r := gin.New()
	r.Use(gin.CustomRecoveryWithWriter(io.Discard, func(c *gin.Context, err any) {
		slog.Error("a request failed", "path", c.Request.URL.Path, "error", err)
		problem(c, http.StatusInternalServerError, "The program made a mistake. Nothing was changed.")
	}), guard(o.Hosts))
	if o.Passphrase != "" {
		g := newGate(o.Passphrase, o.Secure)
		s.gate = g
		r.Use(g.check)
		r.POST(sessionPath, g.logIn)
		r.DELETE(sessionPath, g.logOut)
	}
	r.Use(s.largeInTurn)
	api := humagin.New(r, config())
	s.routes(api)
	r.GET(eventsPath, s.events)
	r.GET("/api/backup", s.sendBackup)
	r.POST(restorePath, s.takeBackup)
	r.NoRoute(page())
	return Server{compressed(r), api, sync.OnceFunc(func() {
		s.stopAll()
		close(s.closing)
	})}
}

// compressed sends answers of some length compressed to who takes that.
func compressed(h http.Handler) http.Handler {
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(2000), gzhttp.CompressionLevel(gzip.BestSpeed), gzhttp.EnableZstd(true), gzhttp.ZstdCompressionLevel(1),
		gzhttp.ContentTypes([]string{"application/json", "application/problem+json", "text/csv", "text/plain"}))
	if err != nil {
		panic(err) // the options are wrong
	}
	packed := wrap(h)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == eventsPath { // each is sent as it comes
			h.ServeHTTP(w, r)
			return
		}
		packed.ServeHTTP(w, r)
	})
}

const eventsPath = "/api/events"

// heavy waits until work of some length may begin. One processor is left for those
// who only look or edit.
func (s *server) heavy(ctx context.Context) (leave func(), err error) {
	select {
	case s.working <- struct{}{}:
		return func() { <-s.working }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// plainProblem makes problem details (RFC 9457) that do not send a whole body
// back, and that say in their detail what is wrong.
func plainProblem(status int, detail string, errs ...error) huma.StatusError {
	m := &huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail}
	for _, err := range errs {
		if err == nil {
			continue
		}
		d := &huma.ErrorDetail{Message: err.Error()}
		if detailer, ok := err.(huma.ErrorDetailer); ok {
			d = detailer.ErrorDetail()
		}
		if d.Location == "body" {
			d = &huma.ErrorDetail{Location: d.Location, Message: d.Message}
		}
		if m.Detail == "validation failed" {
			m.Detail = d.Message
		}
		m.Errors = append(m.Errors, d)
	}
	return m
}

func config() huma.Config {
	c := huma.DefaultConfig("Vest Pin", "1")
	c.OpenAPIPath, c.DocsPath, c.SchemasPath = "/api/openapi", "", ""
	c.CreateHooks = nil
	format := huma.Format{
		Marshal: func(w io.Writer, v any) error {
			enc := json.NewEncoder(w)
			enc.SetEscapeHTML(false)
			return enc.Encode(v)
		},
		// Bodies are read as strictly as site files, with the same messages.
		Unmarshal: func(data []byte, v any) error { return edit.Decode(data, "body", v) },
	}
	c.Formats = map[string]huma.Format{"application/json": format, "json": format}
	text := reflect.TypeFor[string]()
	for _, t := range []reflect.Type{reflect.TypeFor[netip.Addr](), reflect.TypeFor[netip.Prefix](), reflect.TypeFor[span.Ports](), reflect.TypeFor[site.Sender](), reflect.TypeFor[site.MAC]()} {
		c.Components.Schemas.RegisterTypeAlias(t, text)
	}
	c.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[edit.Edit](), reflect.TypeFor[anyEdit]())
	c.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[edit.Written](), reflect.TypeFor[anyEdit]())
	c.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[site.Protocol](), reflect.TypeFor[anyProtocol]())
	words(c.Components.Schemas)
	return c
}

// page serves the built page; an address that is none of its files is one of its
// views.
func page() gin.HandlerFunc {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is part of the program
	}
	serve := http.FileServerFS(files)
	return func(c *gin.Context) {
		name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
		switch {
		case strings.HasPrefix(name, "api/"), c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead:
			problem(c, http.StatusNotFound, "There is nothing at this address.")
		case strings.HasPrefix(name, "assets/"):
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
			if serveCompressed(c, files, name) {
				return
			}
			serve.ServeHTTP(c.Writer, c.Request)
		default:
			c.Header("Cache-Control", "no-cache")
			index, err := fs.ReadFile(files, "index.html")
			if err != nil {
				problem(c, http.StatusNotFound, "The page is not built into this program: run make build.")
				return
			}
			c.Data(http.StatusOK, "text/html; charset=utf-8", index)
		}
	}
}

// serveCompressed sends the gzip form made at build time to a browser that takes it.
func serveCompressed(c *gin.Context, files fs.FS, name string) bool {
	if !strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		return false
	}
	data, err := fs.ReadFile(files, name+".gz")
	if err != nil {
		return false
	}
	kind := "text/javascript; charset=utf-8"
	if strings.HasSuffix(name, ".css") {
		kind = "text/css; charset=utf-8"
	}
	c.Header("Content-Encoding", "gzip")
	c.Header("Vary", "Accept-Encoding")
	c.Data(http.StatusOK, kind, data)
	return true
}

// refusal turns what the core and the store refuse into an answer that a person
// can act upon; only mistakes of the program itself become a 500.
func refusal(err error) error {
	var bad *strict.Refusal
	var malformed *span.Malformed
	var stale *store.StaleError
	var refused *wire.RefusedError
	var damaged *store.DamagedError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &stale):
		return conflict(stale)
	case errors.As(err, &bad):
		return huma.Error422UnprocessableEntity(bad.Error(), &huma.ErrorDetail{Location: bad.Path, Message: "Want " + bad.Want + ".", Value: bad.Found})
	case errors.As(err, &malformed):
		return huma.Error422UnprocessableEntity(malformed.Error())
	case errors.As(err, &refused):
		return huma.Error422UnprocessableEntity(sentence(refused.Error()) + ".")
	case errors.Is(err, wire.ErrNotKnown):
		return huma.Error422UnprocessableEntity(sentence(err.Error()) + ".")
	case errors.As(err, &damaged):
		return huma.NewError(http.StatusConflict, sentence(damaged.Error())+". Save it as a file as it stands, or remove it.", &huma.ErrorDetail{Location: "damaged", Message: damaged.Why.Error()})
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return huma.NewError(statusClosed, "The request was ended before its answer was worked out.")
	case errors.Is(err, store.ErrNotGone):
		return huma.Error409Conflict("The database is where it was: nothing needs to be written anew.")
	case errors.Is(err, store.ErrGone):
		return huma.NewError(http.StatusInsufficientStorage, "Nothing was saved: the file of the database was removed, moved or replaced while the program runs. All that was saved before is still held.", &huma.ErrorDetail{Location: "database", Message: "gone"})
	case errors.Is(err, store.ErrNoSite):
		return huma.Error404NotFound("There is no such site; it may have been removed.")
	case errors.Is(err, store.ErrNothing):
		return huma.Error422UnprocessableEntity("There is nothing to undo or redo.")
	case errors.Is(err, store.ErrCannotSave):
		return huma.NewError(http.StatusInsufficientStorage, "Nothing was saved: "+err.Error()+".")
	}
	slog.Error("a request failed", "error", err)
	return huma.Error500InternalServerError("The program made a mistake. Nothing was changed.")
}

// sentence begins a text with a capital letter.
func sentence(text string) string { return strings.ToUpper(text[:1]) + text[1:] }

// statusClosed is what some servers answer nobody when the request was ended; it is
// only seen in tests and logs.
const statusClosed = 499

// conflict says which changes stand in the way, and what both overwrite.
func conflict(stale *store.StaleError) error {
	details := []error{}
	for _, e := range stale.Meanwhile {
		touches := []string{}
		for _, t := range e.Changed[:min(len(e.Changed), mostTouches)] {
			touches = append(touches, t.String())
		}
		details = append(details, &huma.ErrorDetail{Location: "meanwhile", Message: e.Title, Value: touches})
	}
	if len(details) == 0 {
		return huma.Error409Conflict("That cannot be done any more: " + stale.Over + ".")
	}
	return huma.Error409Conflict("The same was changed in another window.", details...)
}

// mostTouches is how much of what an entry overwrote is told.
const mostTouches = 20
