package server

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/forwarding"
	"vestpin/core/sheet"
	"vestpin/core/site"
	"vestpin/core/span"
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
	whole := func(o huma.Operation) huma.Operation {
		schema := api.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[Answer](), true, "")
		o.Responses = map[string]*huma.Response{"200": {Description: "The site", Content: map[string]*huma.MediaType{"application/json": {Schema: schema}}}}
		return o
	}
	huma.Register(api, get("list-sites", "/api/sites"), s.listSites)
	huma.Register(api, whole(post("create-site", "/api/sites")), s.createSite)
	huma.Register(api, whole(post("import-site", "/api/sites/import")), s.importSite)
	huma.Register(api, whole(get("get-site", "/api/sites/{id}")), s.getSite)
	huma.Register(api, get("export-site", "/api/sites/{id}/file"), s.exportSite)
	huma.Register(api, get("write-file", "/api/sites/{id}/files/{name}"), s.writeFile)
	huma.Register(api, whole(post("edit-site", "/api/sites/{id}/edits")), s.editSite)
	huma.Register(api, whole(post("undo", "/api/sites/{id}/undo")), s.undo)
	huma.Register(api, whole(post("redo", "/api/sites/{id}/redo")), s.redo)
	huma.Register(api, huma.Operation{OperationID: "read-evidence", Method: http.MethodPost, Path: "/api/sites/{id}" + evidencePath, MaxBodyBytes: -1, BodyReadTimeout: -1}, s.readEvidence)
	huma.Register(api, post("start-survey", "/api/sites/{id}/survey"), s.startSurvey)
	huma.Register(api, get("get-survey", "/api/sites/{id}/survey"), s.getSurvey)
	huma.Register(api, post("stop-survey", "/api/sites/{id}/survey/stop"), s.stopSurvey)
	huma.Register(api, get("ask-free", "/api/sites/{id}/free"), s.askFree)
	huma.Register(api, get("compare-visits", "/api/sites/{id}/compare"), s.compareVisits)
	huma.Register(api, get("join-devices", "/api/sites/{id}/join"), s.joinDevices)
	huma.Register(api, get("split-device", "/api/sites/{id}/split"), s.splitDevice)
	huma.Register(api, get("suggest", "/api/sites/{id}/suggest"), s.suggest)
	huma.Register(api, get("walk", "/api/sites/{id}/walk"), s.walk)
	huma.Register(api, get("thread", "/api/sites/{id}/thread"), s.thread)
	huma.Register(api, get("room", "/api/sites/{id}/room"), s.room)
	huma.Register(api, post("parse-network", "/api/parse/network"), s.parseNetwork)
}

func (s *server) listSites(context.Context, *struct{}) (*struct{ Body []Summary }, error) {
	all, err := s.store.List()
	if err != nil {
		return nil, refusal(err)
	}
	out := []Summary{}
	for _, st := range all {
		out = append(out, summary(st))
	}
	return &struct{ Body []Summary }{out}, nil
}

// reply gives a site as it is now and tells the other windows of it.
func (s *server) reply(st store.Stored, err error, changed bool) (*rawAnswer, error) {
	if err != nil {
		return nil, refusal(err)
	}
	body, err := s.answerOf(st)
	if err != nil {
		return nil, refusal(err)
	}
	if changed {
		s.hub.tell(news{ID: st.ID, Version: st.Version})
	}
	return &rawAnswer{"application/json", body}, nil
}

func (s *server) createSite(_ context.Context, in *struct {
	Body struct {
		Name    string `json:"name"`
		Subnet  string `json:"subnet"`
		Gateway string `json:"gateway,omitempty"`
		Range   string `json:"range,omitempty"`
	}
}) (*rawAnswer, error) {
	var f faults
	name := strings.TrimSpace(in.Body.Name)
	switch n := len([]rune(name)); {
	case n == 0:
		f.add("name", "", &span.Malformed{Want: "a name for the site"})
	case n > 200:
		f.add("name", "", &span.Malformed{Want: fmt.Sprintf("at most 200 characters, not %d", n)})
	}
	n := TypedNetwork{Subnet: in.Body.Subnet, Gateway: in.Body.Gateway, Ranges: in.Body.Range}.understand(&f)
	if err := f.err(); err != nil {
		return nil, err
	}
	st, err := s.store.Create(sheet.HostName(name), site.New(name, n.Subnet, n.Gateway, n.Ranges))
	return s.reply(st, err, true)
}

func (s *server) importSite(_ context.Context, in *struct {
	RawBody []byte `contentType:"application/json"`
}) (*rawAnswer, error) {
	v, err := site.Read(in.RawBody)
	if err != nil {
		return nil, refusal(err)
	}
	st, err := s.store.Create(sheet.HostName(v.Name), v)
	return s.reply(st, err, true)
}

func (s *server) getSite(_ context.Context, in *SiteID) (*rawAnswer, error) {
	st, err := s.store.Get(in.ID)
	return s.reply(st, err, false)
}

func (s *server) exportSite(_ context.Context, in *SiteID) (*fileAnswer, error) {
	st, err := s.store.Get(in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	return attachment("application/json", sheet.HostName(st.Site.Name)+".json", site.Write(st.Site)), nil
}

func attachment(mediaType, name string, body []byte) *fileAnswer {
	return &fileAnswer{mediaType, fmt.Sprintf("attachment; filename=%q", name), body}
}

func (s *server) writeFile(_ context.Context, in *struct {
	SiteID
	Name string `path:"name"`
}) (*fileAnswer, error) {
	target, err := write.Find(in.Name)
	if err != nil {
		return nil, refusal(err)
	}
	st, err := s.store.Get(in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	var b bytes.Buffer
	if err := target.Write(&b, st.Site); err != nil {
		return nil, refusal(err)
	}
	return attachment(target.MediaType, target.FileName, b.Bytes()), nil
}

// who is written into the journal until there are people to tell apart.
const who = "this computer"

func (s *server) editSite(_ context.Context, in *struct {
	SiteID
	Body struct {
		Version int         `json:"version" doc:"The version that the editor saw"`
		Edits   []site.Edit `json:"edits"`
		Title   string      `json:"title,omitempty" doc:"What the edits do, in a few words"`
	}
}) (*rawAnswer, error) {
	if len(in.Body.Edits) == 0 {
		return nil, huma.Error422UnprocessableEntity("There is no edit in the request.")
	}
	if len(in.Body.Title) > 300 {
		in.Body.Title = ""
	}
	st, err := s.store.Edit(in.ID, in.Body.Version, who, in.Body.Title, in.Body.Edits)
	return s.reply(st, err, true)
}

type versioned struct {
	SiteID
	Body struct {
		Version int `json:"version"`
	}
}

func (s *server) undo(_ context.Context, in *versioned) (*rawAnswer, error) {
	st, err := s.store.Undo(in.ID, in.Body.Version, who)
	return s.reply(st, err, true)
}

func (s *server) redo(_ context.Context, in *versioned) (*rawAnswer, error) {
	st, err := s.store.Redo(in.ID, in.Body.Version, who)
	return s.reply(st, err, true)
}

func (s *server) suggest(_ context.Context, in *struct {
	SiteID
	Half string `query:"half" enum:"addresses,ports"`
}) (*struct {
	Body struct {
		Version int             `json:"version"`
		Changes []site.Change   `json:"changes"`
		Unmet   []suggest.Unmet `json:"unmet"`
		Proven  bool            `json:"proven"`
	}
}, error) {
	st, err := s.store.Get(in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	result, err := suggest.For(st.Site, suggest.Halves{Addresses: in.Half == "addresses", Ports: in.Half == "ports"})
	if err != nil {
		return nil, refusal(err)
	}
	out := &struct {
		Body struct {
			Version int             `json:"version"`
			Changes []site.Change   `json:"changes"`
			Unmet   []suggest.Unmet `json:"unmet"`
			Proven  bool            `json:"proven"`
		}
	}{}
	out.Body.Version, out.Body.Changes, out.Body.Unmet, out.Body.Proven = st.Version, result.Changes, result.Unmet, result.Proven
	return out, nil
}

func (s *server) walk(_ context.Context, in *struct {
	SiteID
	Port     int    `query:"port" minimum:"1" maximum:"65535" required:"true"`
	Protocol string `query:"protocol" enum:"tcp,udp" required:"true"`
	Sender   string `query:"sender"`
	Router   string `query:"router"`
}) (*struct{ Body forwarding.Fate }, error) {
	st, err := s.store.Get(in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	v := site.NewView(st.Site)
	p := forwarding.Packet{Port: in.Port, Protocol: site.Protocol(in.Protocol), Router: in.Router}
	if in.Sender != "" {
		if p.Sender, err = span.ParseAddr(in.Sender); err != nil {
			return nil, refusal(err)
		}
	}
	if p.Router == "" {
		outer, _ := forwarding.Outermost(v)
		p.Router = outer.ID
	}
	if _, ok := v.Router(p.Router); !ok {
		return nil, huma.Error422UnprocessableEntity("There is no such router.")
	}
	return &struct{ Body forwarding.Fate }{forwarding.Walk(v, p)}, nil
}

// thread gives the edits that open a service at exactly an outside port.
func (s *server) thread(_ context.Context, in *struct {
	SiteID
	Service string `query:"service" required:"true"`
	Outside string `query:"outside" required:"true"`
}) (*struct{ Body []site.Edit }, error) {
	st, err := s.store.Get(in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	outside, err := span.ParsePorts(in.Outside)
	if err != nil {
		return nil, refusal(err)
	}
	edits, err := forwarding.Thread(site.NewView(st.Site), in.Service, outside)
	if err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body []site.Edit }{edits}, nil
}

func (s *server) room(_ context.Context, in *struct {
	SiteID
	Interface string `query:"interface" required:"true"`
	By        string `query:"by" enum:"reservation,device,both" required:"true"`
}) (*struct{ Body []Taken }, error) {
	st, err := s.store.Get(in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	v := site.NewView(st.Site)
	p, ok := v.Interface(in.Interface)
	if !ok {
		return nil, huma.Error404NotFound("There is no such interface; it may have been removed.")
	}
	return &struct{ Body []Taken }{room(v, p, in.By)}, nil
}

func (s *server) parseNetwork(_ context.Context, in *struct{ Body TypedNetwork }) (*struct{ Body site.Network }, error) {
	var f faults
	n := in.Body.understand(&f)
	if err := f.err(); err != nil {
		return nil, err
	}
	return &struct{ Body site.Network }{n}, nil
}
