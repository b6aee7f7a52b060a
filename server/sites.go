package server

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/read"
	"vestpin/store"
	"vestpin/wire"
)

// Attached is a network that this computer is attached to.
type Attached struct {
	Name    string       `json:"name"`
	Kind    string       `json:"kind" enum:"wired,wireless,virtual,unknown"`
	Own     netip.Addr   `json:"own"`
	Subnet  netip.Prefix `json:"subnet"`
	Gateway netip.Addr   `json:"gateway,omitzero"`
	DNS     []netip.Addr `json:"dns"`
	DHCP    netip.Addr   `json:"dhcp,omitzero" doc:"Who leased the address, where the system tells"`
	Lease   int          `json:"lease,omitempty" doc:"For how long, in seconds"`
	Sites   []string     `json:"sites" doc:"The sites that have this network already"`
}

// here tells what this computer is attached to, the likeliest first. Nothing is sent for it.
func (s *server) here(ctx context.Context, _ *struct{}) (*struct{ Body []Attached }, error) {
	network := wire.Network(wire.Here{})
	if s.network != nil {
		network = s.network("")
	}
	links, err := network.Links()
	if err != nil {
		return nil, refusal(err)
	}
	all, err := s.store.List(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	out := []Attached{}
	for _, l := range links {
		a := Attached{Name: l.Name, Kind: l.Kind, Own: l.Own.Addr(), Subnet: l.Subnet(), Gateway: l.Gateway, DNS: append([]netip.Addr{}, l.DNS...), DHCP: l.DHCP, Lease: l.Lease, Sites: []string{}}
		if a.Kind == "" {
			a.Kind = "unknown"
		}
		for _, st := range all {
			if slices.ContainsFunc(st.Site.Networks, func(n site.Network) bool { return n.Subnet == a.Subnet }) {
				a.Sites = append(a.Sites, st.ID)
			}
		}
		out = append(out, a)
	}
	return &struct{ Body []Attached }{out}, nil
}

// parseSettings reads what a laptop prints of its own network.
func (s *server) parseSettings(ctx context.Context, in *struct{ Body Lines }) (*struct{ Body sighting.Facts }, error) {
	leave, err := s.heavy(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	defer leave()
	facts, err := read.Settings("pasted text", in.Body.Text)
	if err != nil {
		return nil, refusal(err)
	}
	if !facts.Subnet.IsValid() && !facts.Own.IsValid() && len(facts.Adapters) == 0 {
		return nil, huma.Error422UnprocessableEntity("No network is told there. Paste what ipconfig /all, ip addr, ip route or nmcli prints.")
	}
	return &struct{ Body sighting.Facts }{facts}, nil
}

// copySite makes a new site on the pattern of another.
func (s *server) copySite(ctx context.Context, in *struct {
	SiteID
	Body struct {
		Name string `json:"name"`
	}
}) (*rawAnswer, error) {
	var f faults
	name := f.siteName(in.Body.Name)
	if err := f.err(); err != nil {
		return nil, err
	}
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	st, err = s.store.Create(ctx, form.HostName(name), site.Template(st.Site, name))
	return s.reply(ctx, st, err, true)
}

// importSite takes a site file in: as a new site, or as what a site here has become
// elsewhere. Where nobody said which and there is a site of that name, it asks.
func (s *server) importSite(ctx context.Context, in *struct {
	As      string `query:"as" enum:"new,update" doc:"Asked for where there is a site of that name"`
	Update  string `query:"site" maxLength:"200" doc:"The site that is updated"`
	RawBody []byte `contentType:"application/json"`
}) (*rawAnswer, error) {
	v, err := sitefile.Read(in.RawBody)
	if err != nil {
		return nil, refusal(err)
	}
	if in.As == "update" {
		return s.updateSite(ctx, in.Update, v)
	}
	if in.As == "" {
		all, err := s.store.List(ctx)
		if err != nil {
			return nil, refusal(err)
		}
		for _, l := range all {
			if l.Damaged == nil && l.Site.Name == v.Name {
				return nil, huma.Error409Conflict("There is a site of that name already.", &huma.ErrorDetail{Location: "exists", Message: l.ID})
			}
		}
	}
	st, err := s.store.Create(ctx, form.HostName(v.Name), v)
	return s.reply(ctx, st, err, true)
}

// updateSite makes of a site what its file says, as one change that can be taken back.
func (s *server) updateSite(ctx context.Context, id string, v site.Site) (*rawAnswer, error) {
	st, err := s.store.Get(ctx, id)
	if err != nil {
		return nil, refusal(err)
	}
	edits := edit.Lead(st.Site, v)
	if len(edits) == 0 {
		return s.reply(ctx, st, nil, false)
	}
	st, _, err = s.store.Edit(ctx, id, store.Change{Version: st.Version, Who: who, Title: "take in a newer site file", Edits: edits})
	return s.reply(ctx, st, err, true)
}

// backupName is what a backup is called when it is saved.
func backupName() string { return "vestpin-" + time.Now().Format("2006-01-02") + ".backup" }

// sendBackup sends all that is kept as one file.
func (s *server) sendBackup(c *gin.Context) {
	leave, ok := s.backingUp(c)
	if !ok {
		return
	}
	defer leave()
	f, err := s.backup(c.Request.Context())
	if err != nil {
		problem(c, http.StatusInsufficientStorage, "The backup could not be written: "+err.Error()+".")
		return
	}
	defer f.Close()
	c.Header("Content-Type", "application/vnd.sqlite3")
	c.Header("Content-Disposition", "attachment; filename="+backupName())
	c.Header("Content-Length", strconv.FormatInt(f.size, 10))
	sendAll(c.Writer, f)
}

// backingUp takes one of the places of those who fetch or send a backup.
func (s *server) backingUp(c *gin.Context) (leave func(), ok bool) {
	select {
	case s.backups <- struct{}{}:
		return func() { <-s.backups }, true
	default:
		problem(c, http.StatusServiceUnavailable, fmt.Sprintf("%d backups are on their way already: wait until one of them is through.", mostBackups))
		return nil, false
	}
}

// backup makes a backup in a file without a name.
func (s *server) backup(ctx context.Context) (spooled, error) {
	dir, err := os.MkdirTemp(s.store.Dir(), store.SpoolName)
	if err != nil {
		return spooled{}, err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "backup")
	if err := s.store.Backup(ctx, path); err != nil {
		return spooled{}, err
	}
	f, err := os.Open(path)
	if err != nil {
		return spooled{}, err
	}
	os.Remove(path) // not everywhere; then it goes with its folder, or when it is closed
	i, err := f.Stat()
	if err != nil {
		f.Close()
		return spooled{}, err
	}
	return spooled{f, i.Size()}, nil
}

// restorePath is the address that takes backups, which are large.
const restorePath = "/api/restore"

// takeBackup puts what a backup holds in the place of all that is kept.
func (s *server) takeBackup(c *gin.Context) {
	leave, ok := s.backingUp(c)
	if !ok {
		return
	}
	defer leave()
	dir, err := os.MkdirTemp(s.store.Dir(), store.SpoolName)
	if err != nil {
		problem(c, http.StatusInsufficientStorage, "The backup could not be taken: "+err.Error()+".")
		return
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "backup")
	if err := receive(path, c.Request.Body); err != nil {
		problem(c, http.StatusInsufficientStorage, "The backup could not be taken: "+err.Error()+".")
		return
	}
	prepared, err := s.store.Prepare(c.Request.Context(), path, c.Query("damaged") == "take")
	if err != nil {
		notRestored(c, err)
		return
	}
	defer prepared.Close()
	s.stopAll()
	before, err := prepared.Take(c.Request.Context())
	if err != nil {
		notRestored(c, err)
		return
	}
	s.answers.forgetAll()
	s.hub.tell(news{Version: -1})
	c.JSON(http.StatusOK, gin.H{"before": before, "lost": store.Named(prepared.Lost)})
}

// partly says that a damaged backup can be taken in part, where it can.
func partly(e *store.DamagedBackupError) []gin.H {
	if e.Whole == 0 {
		return []gin.H{}
	}
	return []gin.H{{"location": "damaged", "message": fmt.Sprintf("%d sites are whole.", e.Whole)}}
}

// notRestored says why a backup was not taken.
func notRestored(c *gin.Context, err error) {
	var none *store.NoBackupError
	var newer *store.NewerError
	var damaged *store.DamagedBackupError
	switch {
	case errors.As(err, &none):
		problem(c, http.StatusUnprocessableEntity, sentence(none.Error())+". Nothing was changed.")
	case errors.As(err, &damaged):
		c.Header("Content-Type", "application/problem+json")
		c.AbortWithStatusJSON(http.StatusUnprocessableEntity, gin.H{"status": http.StatusUnprocessableEntity, "title": "Damaged", "detail": sentence(damaged.Error()) + ". Nothing was changed.", "errors": partly(damaged)})
	case errors.As(err, &newer):
		problem(c, http.StatusUnprocessableEntity, "The backup was made by a newer Vest Pin: update this program first. Nothing was changed.")
	default:
		slog.Error("a backup was not restored", "error", err)
		problem(c, http.StatusInsufficientStorage, sentence(err.Error())+".")
	}
}

// receive writes a body to a file.
func receive(path string, body io.Reader) error {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(f, body)
	return errors.Join(err, f.Close())
}

// forgetAll drops what is kept of all sites.
func (a *answers) forgetAll() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.bodies, a.brief = nil, nil
}

// siteName reads the name of a site.
func (f *faults) siteName(typed string) string {
	name := strings.TrimSpace(typed)
	switch n := len([]rune(name)); {
	case n == 0:
		f.says("name", "Give the site a name.")
	case n > mostName:
		f.says("name", "At most 200 characters; this has more.")
	}
	return name
}

const mostName = 200
