package server

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"reflect"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/ipv4"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/suggest"
	"vestpin/store"
	"vestpin/write"
)

// SiteID is the id of the site that a request is about.
type SiteID struct {
	ID string `path:"id" maxLength:"200"`
}

type rawAnswer struct {
	ContentType string `header:"Content-Type"`
	Body        []byte
}

type fileAnswer struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func (s *server) routes(api huma.API) {
	get := func(id, path string) huma.Operation {
		return huma.Operation{OperationID: id, Method: http.MethodGet, Path: path}
	}
	post := func(id, path string) huma.Operation {
		return huma.Operation{OperationID: id, Method: http.MethodPost, Path: path, SkipValidateBody: true, MaxBodyBytes: mostBody}
	}
	// The answer for a site is kept as bytes, so its schema is named by hand.
	as := func(o huma.Operation, t reflect.Type) huma.Operation {
		schema := api.OpenAPI().Components.Schemas.Schema(t, true, "")
		o.Responses = map[string]*huma.Response{"200": {Description: "The site", Content: map[string]*huma.MediaType{"application/json": {Schema: schema}}}}
		return o
	}
	whole := func(o huma.Operation) huma.Operation { return as(o, reflect.TypeFor[Answer]()) }
	huma.Register(api, get("list-sites", "/api/sites"), s.listSites)
	huma.Register(api, whole(post("create-site", "/api/sites")), s.createSite)
	huma.Register(api, whole(post("import-site", "/api/sites/import")), s.importSite)
	huma.Register(api, whole(post("copy-site", "/api/sites/{id}/copy")), s.copySite)
	huma.Register(api, get("here", "/api/here"), s.here)
	huma.Register(api, post("parse-settings", "/api/parse/settings"), s.parseSettings)
	huma.Register(api, whole(get("get-site", "/api/sites/{id}")), s.getSite)
	huma.Register(api, huma.Operation{OperationID: "remove-site", Method: http.MethodDelete, Path: "/api/sites/{id}"}, s.removeSite)
	huma.Register(api, get("list-removed", "/api/removed"), s.listRemoved)
	huma.Register(api, post("bring-back", "/api/removed/{id}/back"), s.bringBack)
	huma.Register(api, huma.Operation{OperationID: "forget-site", Method: http.MethodDelete, Path: "/api/removed/{id}"}, s.forgetSite)
	huma.Register(api, huma.Operation{OperationID: "understood", Method: http.MethodDelete, Path: "/api/sites/{id}/notice"}, s.understood)
	huma.Register(api, get("reach", "/api/reach"), func(context.Context, *struct{}) (*struct{ Body Reach }, error) {
		return &struct{ Body Reach }{s.reach}, nil
	})
	huma.Register(api, post("rescue", "/api/rescue"), s.rescue)
	huma.Register(api, get("export-site", "/api/sites/{id}/file"), s.exportSite)
	huma.Register(api, get("write-file", "/api/sites/{id}/files/{name}"), s.writeFile)
	huma.Register(api, as(post("edit-site", "/api/sites/{id}/edits"), reflect.TypeFor[Edited]()), s.editSite)
	huma.Register(api, as(post("edit-both", "/api/sites/{id}/edits-with"), reflect.TypeFor[Edited]()), s.editBoth)
	huma.Register(api, whole(post("undo", "/api/sites/{id}/undo")), s.undo)
	huma.Register(api, whole(post("redo", "/api/sites/{id}/redo")), s.redo)
	huma.Register(api, huma.Operation{OperationID: "read-evidence", Method: http.MethodPost, Path: "/api/sites/{id}" + evidencePath, MaxBodyBytes: -1, BodyReadTimeout: -1}, s.readEvidence)
	huma.Register(api, huma.Operation{OperationID: "set-list-roles", Method: http.MethodPut, Path: "/api/list-roles", SkipValidateBody: true}, s.setListRoles)
	huma.Register(api, post("start-survey", "/api/sites/{id}/survey"), s.startSurvey)
	huma.Register(api, get("get-survey", "/api/sites/{id}/survey"), s.getSurvey)
	huma.Register(api, post("stop-survey", "/api/sites/{id}/survey/stop"), s.stopSurvey)
	huma.Register(api, post("start-check", "/api/sites/{id}/checks"), s.startCheck)
	huma.Register(api, get("get-checks", "/api/sites/{id}/checks"), s.getChecks)
	huma.Register(api, post("stop-check", "/api/sites/{id}/checks/stop"), s.stopCheck)
	huma.Register(api, post("saw", "/api/sites/{id}/checks/saw"), s.saw)
	huma.Register(api, post("stand-in", "/api/sites/{id}/checks/stand-in"), s.standIn)
	huma.Register(api, post("in-use", "/api/sites/{id}/checks/in-use"), s.inUse)
	huma.Register(api, get("get-far-end", "/api/far-end"), s.getFarEnd)
	huma.Register(api, huma.Operation{OperationID: "set-far-end", Method: http.MethodPut, Path: "/api/far-end", SkipValidateBody: true}, s.setFarEnd)
	huma.Register(api, get("links", "/api/sites/{id}/links"), s.links)
	huma.Register(api, get("ask-router", "/api/sites/{id}/ask-router"), s.askRouter)
	huma.Register(api, get("ask-free", "/api/sites/{id}/free"), s.askFree)
	huma.Register(api, get("compare-visits", "/api/sites/{id}/compare"), s.compareVisits)
	huma.Register(api, get("join-devices", "/api/sites/{id}/join"), s.joinDevices)
	huma.Register(api, get("split-device", "/api/sites/{id}/split"), s.splitDevice)
	huma.Register(api, get("suggest", "/api/sites/{id}/suggest"), s.suggest)
	huma.Register(api, get("walk", "/api/sites/{id}/walk"), s.walk)
	huma.Register(api, get("pull", "/api/sites/{id}/pull"), s.pull)
	huma.Register(api, get("put", "/api/sites/{id}/put"), s.put)
	huma.Register(api, get("keep-in", "/api/sites/{id}/keep-in"), s.keepIn)
	huma.Register(api, get("ways-out", "/api/sites/{id}/ways-out"), s.waysOut)
	huma.Register(api, get("mend-all", "/api/sites/{id}/mend-all"), s.mendAll)
	huma.Register(api, get("get-catalogue", "/api/catalogue"), s.getCatalogue)
	huma.Register(api, get("kinds-here", "/api/sites/{id}/kinds"), s.kindsHere)
	huma.Register(api, get("own-catalogue", "/api/catalogue/own"), s.ownCatalogue)
	huma.Register(api, huma.Operation{OperationID: "set-own-catalogue", Method: http.MethodPut, Path: "/api/catalogue/own"}, s.setOwnCatalogue)
	huma.Register(api, post("equip", "/api/sites/{id}/equip"), s.equip)
	huma.Register(api, post("parse-ports", "/api/sites/{id}/parse/ports"), s.parsePorts)
	huma.Register(api, get("room", "/api/sites/{id}/room"), s.room)
	huma.Register(api, post("parse-network", "/api/parse/network"), s.parseNetwork)
	huma.Register(api, post("parse-own-ports", "/api/parse/own-ports"), s.parseOwnPorts)
	huma.Register(api, post("parse-makers", "/api/parse/makers"), s.parseMakers)
}

func (s *server) listSites(ctx context.Context, _ *struct{}) (*struct{ Body []Summary }, error) {
	all, err := s.store.List(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	out := []Summary{}
	for _, l := range all {
		one, err := s.summaryOf(ctx, l)
		if err != nil && ctx.Err() != nil {
			return nil, refusal(err)
		}
		if err != nil { // of one site; the others are shown
			l.Damaged = err
			one, _ = s.summaryOf(ctx, l)
		}
		out = append(out, one)
	}
	return &struct{ Body []Summary }{out}, nil
}

// reply gives a site as it is now and tells the other windows of it.
func (s *server) reply(ctx context.Context, st store.Stored, err error, changed bool) (*rawAnswer, error) {
	if err != nil {
		return nil, refusal(err)
	}
	if changed {
		s.hub.tell(news{ID: st.ID, Version: st.Version})
		if st.Also != "" {
			s.tellOf(ctx, st.Also)
		}
	}
	body, err := s.answerOf(ctx, st)
	if err != nil {
		return nil, refusal(err)
	}
	return &rawAnswer{"application/json", body}, nil
}

// tellOf tells the windows of a site that it has changed.
func (s *server) tellOf(ctx context.Context, id string) {
	if st, err := s.store.Get(ctx, id); err == nil {
		s.hub.tell(news{ID: id, Version: st.Version})
	}
}

func (s *server) createSite(ctx context.Context, in *struct {
	Body struct {
		Name    string `json:"name"`
		Subnet  string `json:"subnet"`
		Gateway string `json:"gateway,omitempty"`
		Range   string `json:"range,omitempty"`
		DNS     string `json:"dns,omitempty"`
	}
}) (*rawAnswer, error) {
	var f faults
	name := f.siteName(in.Body.Name)
	n := TypedNetwork{Subnet: in.Body.Subnet, Gateway: in.Body.Gateway, Ranges: in.Body.Range, DNS: in.Body.DNS}.understand(&f)
	if err := f.err(); err != nil {
		return nil, err
	}
	fresh := site.New(name, n.Subnet, n.Gateway, n.Ranges)
	if len(n.DNS) > 0 {
		fresh.Networks[0].DNS = n.DNS
	}
	st, err := s.store.Create(ctx, form.HostName(name), fresh)
	return s.reply(ctx, st, err, true)
}

func (s *server) getSite(ctx context.Context, in *SiteID) (*rawAnswer, error) {
	st, err := s.store.Get(ctx, in.ID)
	return s.reply(ctx, st, err, false)
}

func (s *server) exportSite(ctx context.Context, in *SiteID) (*fileAnswer, error) {
	name, file, err := s.store.Export(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	return attachment("application/json", form.HostName(name)+".json", file), nil
}

// Removed is a site that was removed and can be had back.
type Removed struct {
	ID    string `json:"id"`
	Name  string `json:"name"`
	At    string `json:"at" format:"date-time"`
	Until string `json:"until" format:"date-time" doc:"When it is deleted for good"`
}

func (s *server) listRemoved(ctx context.Context, _ *struct{}) (*struct{ Body []Removed }, error) {
	all, err := s.store.Removed(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	out := []Removed{}
	for _, r := range all {
		out = append(out, Removed{r.ID, r.Name, r.At.Format(time.RFC3339), r.At.Add(store.KeepsRemoved).Format(time.RFC3339)})
	}
	return &struct{ Body []Removed }{out}, nil
}

func (s *server) bringBack(ctx context.Context, in *SiteID) (*struct{}, error) {
	if err := s.store.BringBack(ctx, in.ID); err != nil {
		return nil, refusal(err)
	}
	s.hub.tell(news{ID: in.ID, Version: -1})
	return nil, nil
}

func (s *server) forgetSite(ctx context.Context, in *SiteID) (*struct{}, error) {
	return nil, refusal(s.store.Forget(ctx, in.ID))
}

// removeSite takes a site out, in whatever state it is; it can be had back for a while.
func (s *server) removeSite(ctx context.Context, in *SiteID) (*struct{}, error) {
	s.endSurvey(in.ID)
	if err := s.store.Remove(ctx, in.ID); err != nil {
		return nil, refusal(err)
	}
	s.forget(in.ID)
	s.hub.tell(news{ID: in.ID, Version: -1})
	return nil, nil
}

// understood takes away what was told of a site's data.
func (s *server) understood(ctx context.Context, in *SiteID) (*struct{}, error) {
	return nil, refusal(s.store.Understood(ctx, in.ID))
}

// rescue writes what the program holds to a new file, where its database was
// removed or replaced.
func (s *server) rescue(ctx context.Context, _ *struct{}) (*struct{ Body store.Rescued }, error) {
	done, err := s.store.Rescue(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	slog.Warn("the database was gone; what was held is written anew", "path", done.Path, "missing", done.Missing)
	return &struct{ Body store.Rescued }{done}, nil
}

func attachment(mediaType, name string, body []byte) *fileAnswer {
	return &fileAnswer{mediaType, fmt.Sprintf("attachment; filename=%q", name), body}
}

func (s *server) writeFile(ctx context.Context, in *struct {
	SiteID
	Name   string `path:"name"`
	Router string `query:"router" doc:"Of which router, where the file is of one; the one that faces the provider if absent"`
}) (*fileAnswer, error) {
	target, err := write.Find(in.Name)
	if err != nil {
		return nil, refusal(err)
	}
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	var b bytes.Buffer
	if err := target.Write(&b, st.Site, in.Router); err != nil {
		return nil, refusal(err)
	}
	return attachment(target.MediaType, target.FileName, b.Bytes()), nil
}

// who is written into the journal until there are people to tell apart.
const who = "this computer"

// longestWindow is the longest name that a window may give itself.
const longestWindow = 40

// Edited is a site after edits, and what other windows had changed since the
// version that the editor saw.
type Edited struct {
	Merged []string   `json:"merged"`
	Made   []site.Ref `json:"made" doc:"What the edits added without an id, such as device:d4"`
	Answer
}

func (s *server) editSite(ctx context.Context, in *struct {
	SiteID
	Body Batch
}) (*rawAnswer, error) {
	b := in.Body
	if len(b.Edits) == 0 {
		return nil, huma.Error422UnprocessableEntity("There is no edit in the request.")
	}
	st, made, err := s.store.Edit(ctx, in.ID, b.change())
	return s.edited(ctx, st, made, err)
}

// Batch is a batch of edits as a window sends it.
type Batch struct {
	Version int       `json:"version" doc:"The version that the editor saw"`
	Window  string    `json:"window,omitempty" doc:"What the same window changed since is no reason to refuse"`
	Edits   edit.List `json:"edits"`
	Title   string    `json:"title,omitempty" doc:"What the edits do, in a few words"`
}

func (b Batch) change() store.Change {
	if len(b.Title) > 300 {
		b.Title = ""
	}
	return store.Change{Version: b.Version, Who: who, Window: b.Window[:min(len(b.Window), longestWindow)], Title: b.Title, Edits: b.Edits}
}

// editBoth makes edits at two sites, as a link between them needs it: at both or at none.
func (s *server) editBoth(ctx context.Context, in *struct {
	SiteID
	Body struct {
		Batch
		With struct {
			Site string `json:"site" doc:"The other site"`
			Batch
		} `json:"with"`
	}
}) (*rawAnswer, error) {
	b := in.Body
	if len(b.Edits) == 0 || len(b.With.Edits) == 0 {
		return nil, huma.Error422UnprocessableEntity("There are no edits for one of the two sites.")
	}
	both, made, err := s.store.EditBoth(ctx, [2]string{in.ID, b.With.Site}, [2]store.Change{b.change(), b.With.change()})
	if err == nil {
		s.hub.tell(news{ID: both[1].ID, Version: both[1].Version})
	}
	return s.edited(ctx, both[0], made, err)
}

// edited is the answer to edits.
func (s *server) edited(ctx context.Context, st store.Stored, made store.Made, err error) (*rawAnswer, error) {
	out, err := s.reply(ctx, st, err, true)
	if err != nil {
		return nil, err
	}
	merged := []string{}
	for _, e := range made.Over {
		merged = append(merged, e.Title)
	}
	head, err := json.Marshal(struct {
		Merged []string   `json:"merged"`
		Made   []site.Ref `json:"made"`
	}{merged, append([]site.Ref{}, made.Named...)})
	if err != nil {
		return nil, err
	}
	// The answer is kept as bytes: what is of this edit alone goes in front.
	out.Body = slices.Concat(head[:len(head)-1], []byte(","), out.Body[1:])
	return out, nil
}

type turned struct {
	SiteID
	Body struct {
		Version int    `json:"version" doc:"The version that was seen"`
		Entry   int    `json:"entry,omitempty" doc:"The entry of the journal that is meant; the nearest if absent"`
		Window  string `json:"window,omitempty"`
	}
}

func (in *turned) turn() store.Turn {
	return store.Turn{Version: in.Body.Version, Seq: in.Body.Entry, Who: who, Window: in.Body.Window[:min(len(in.Body.Window), longestWindow)]}
}

func (s *server) undo(ctx context.Context, in *turned) (*rawAnswer, error) {
	st, err := s.store.Undo(ctx, in.ID, in.turn())
	return s.reply(ctx, st, err, true)
}

func (s *server) redo(ctx context.Context, in *turned) (*rawAnswer, error) {
	st, err := s.store.Redo(ctx, in.ID, in.turn())
	return s.reply(ctx, st, err, true)
}

func (s *server) suggest(ctx context.Context, in *struct {
	SiteID
	Half string `query:"half" enum:"addresses,ports" doc:"Both halves if absent"`
}) (*struct {
	Body struct {
		Version int             `json:"version"`
		Changes []edit.Change   `json:"changes"`
		Unmet   []suggest.Unmet `json:"unmet"`
		Proven  bool            `json:"proven"`
	}
}, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	leave, err := s.heavy(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	defer leave()
	result, err := suggest.For(ctx, st.Site, suggest.Halves{Addresses: in.Half != "ports", Ports: in.Half != "addresses"})
	if err != nil {
		return nil, refusal(err)
	}
	out := &struct {
		Body struct {
			Version int             `json:"version"`
			Changes []edit.Change   `json:"changes"`
			Unmet   []suggest.Unmet `json:"unmet"`
			Proven  bool            `json:"proven"`
		}
	}{}
	out.Body.Version, out.Body.Changes, out.Body.Unmet, out.Body.Proven = st.Version, result.Changes, result.Unmet, result.Proven
	return out, nil
}

func (s *server) walk(ctx context.Context, in *struct {
	SiteID
	Port     int    `query:"port" minimum:"1" maximum:"65535" required:"true"`
	Protocol string `query:"protocol" enum:"tcp,udp" required:"true"`
	Sender   string `query:"sender"`
	Router   string `query:"router"`
}) (*struct{ Body reach.Fate }, error) {
	v, err := s.viewOf(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	p := reach.Packet{Port: in.Port, Protocol: site.Protocol(in.Protocol), Router: in.Router}
	if in.Sender != "" {
		if p.Sender, err = ipv4.ParseAddr(in.Sender); err != nil {
			return nil, refusal(err)
		}
	}
	if p.Router == "" {
		outer, _ := reach.Outermost(v)
		p.Router = outer.ID
	}
	if _, ok := v.Router(p.Router); !ok {
		return nil, huma.Error422UnprocessableEntity("There is no such router.")
	}
	return &struct{ Body reach.Fate }{reach.Of(v).WalkFrom(p)}, nil
}

func (s *server) room(ctx context.Context, in *struct {
	SiteID
	Interface string `query:"interface" required:"true"`
	By        string `query:"by" enum:"reservation,device,both" required:"true"`
}) (*struct{ Body []Taken }, error) {
	v, err := s.viewOf(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	p, ok := v.Interface(in.Interface)
	if !ok {
		return nil, huma.Error404NotFound("There is no such interface; it may have been removed.")
	}
	return &struct{ Body []Taken }{room(v, p, site.PinBy(in.By))}, nil
}

func (s *server) parseNetwork(ctx context.Context, in *struct{ Body TypedNetwork }) (*struct{ Body site.Network }, error) {
	var f faults
	n := in.Body.understand(&f)
	if err := f.err(); err != nil {
		return nil, err
	}
	return &struct{ Body site.Network }{site.Site{Networks: []site.Network{n}}.Whole().Networks[0]}, nil
}
