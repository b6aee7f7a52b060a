package server

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/edit"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/read"
	"vestpin/read/capture"
	"vestpin/read/grid"
)

// mostEvidence is the largest body of evidence that is taken, in bytes: captures
// are large, and are streamed.
const mostEvidence = 8 << 30

// mostFiles is how many files are read at once.
const mostFiles = 200

// evidencePath is the end of the addresses that take evidence.
const evidencePath = "/evidence"

// Files are the parts of a form (multipart/form-data, RFC 7578), read as they
// come.
type Files struct {
	parts *multipart.Reader
	Type  string `header:"Content-Type"`
}

// Resolve takes hold of the body before anybody reads it.
func (f *Files) Resolve(ctx huma.Context) []error {
	kind, params, err := mime.ParseMediaType(f.Type)
	if err != nil || kind != "multipart/form-data" || params["boundary"] == "" {
		return []error{&huma.ErrorDetail{Location: "header.Content-Type", Message: "Want files as multipart/form-data."}}
	}
	f.parts = multipart.NewReader(ctx.BodyReader(), params["boundary"])
	return nil
}

// Preview is what taking some evidence would do.
type Preview struct {
	Version   int                 `json:"version" doc:"The version of the site that it was worked out from"`
	Edits     edit.List           `json:"edits"`
	Findings  []sighting.Finding  `json:"findings" doc:"At most 2,000 of them"`
	Counts    map[string]int      `json:"counts" doc:"How many findings there are of each kind"`
	Facts     sighting.Facts      `json:"facts"`
	Unread    []read.Unread       `json:"unread" doc:"At most 200 of them"`
	Missed    int                 `json:"missed" doc:"How many lines were not understood"`
	Questions []read.ListQuestion `json:"questions" doc:"What nobody can tell from the lists, and what each reading would mean"`
	Sources   []string            `json:"sources"`
	Lists     []read.FoundList    `json:"lists" doc:"The lists that were found, with what their columns were taken for; at most 50"`
	Lines     []read.ShownLine    `json:"lines" doc:"The first lines as they came, at most 300 of each source"`
	Forwards  []read.ForwardLine  `json:"forwards" doc:"Lines of a router's own port forwards, at most 2,000"`
	Holds     string              `json:"holds" doc:"What becomes of the port forwards"`
	Refused   []RefusedFile       `json:"refused" doc:"Files among several that could not be read"`
}

// RefusedFile is a file that could not be read, and why.
type RefusedFile struct {
	Source string `json:"source"`
	Says   string `json:"says"`
}

// mostFindings is how many findings are sent; all are counted.
const mostFindings = 2000

// ahead is how far a sender's clock may go before ours.
const ahead = 24 * time.Hour

func (s *server) readEvidence(ctx context.Context, in *struct {
	SiteID
	Files
	At string `query:"at" doc:"When, RFC 3339"`
}) (*struct{ Body Preview }, error) {
	at, err := time.Parse(time.RFC3339, in.At)
	if in.At != "" && err != nil {
		return nil, huma.Error422UnprocessableEntity("The time of the evidence is no time.", &huma.ErrorDetail{Location: "query.at", Message: "Want a time such as 2026-11-23T09:42:00Z (RFC 3339).", Value: in.At})
	}
	if at.After(time.Now().Add(ahead)) {
		return nil, huma.Error422UnprocessableEntity("The evidence is dated in the future: the clock of this computer or of its sender is wrong.", &huma.ErrorDetail{Location: "query.at", Message: "Want a time at most a day ahead.", Value: in.At})
	}
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	kept, err := s.store.ListRoles(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	result, sources, refused, err := s.readAll(ctx, rolesOf(kept), in.parts)
	if err != nil {
		return nil, err
	}
	leave, err := s.heavy(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	defer leave()
	p := sighting.Merge(st.Site, result.Sightings, result.Facts, in.At)
	edits, holds := sighting.Hold(st.Site, result.HeldLists(), in.At)
	out := Preview{
		Version: st.Version, Edits: append(p.Edits, edits...), Findings: p.Findings, Counts: map[string]int{}, Facts: result.Facts, Unread: result.Unread, Missed: result.Missed, Questions: result.Questions, Sources: sources,
		Lists: result.Lists, Lines: result.Lines, Forwards: result.Forwards[:min(len(result.Forwards), site.MostHeld)], Holds: holds, Refused: refused,
	}
	for _, f := range p.Findings {
		out.Counts[f.What]++
	}
	out.Findings = out.Findings[:min(len(out.Findings), mostFindings)]
	return &struct{ Body Preview }{out}, nil
}

// rolesOf gives the columns that people chose as the reader takes them.
func rolesOf(kept map[string][]string) read.Roles {
	out := read.Roles{}
	for shape, roles := range kept {
		for _, r := range roles {
			out[shape] = append(out[shape], grid.Role(r))
		}
	}
	return out
}

// The bounds of what is kept of a list: its headings, and its columns.
const (
	longestShape = 4000
	mostColumns  = 200
)

// setListRoles keeps what a person said the columns of a list hold, for this page and the
// next of its shape.
func (s *server) setListRoles(ctx context.Context, in *struct {
	Body struct {
		Shape string   `json:"shape"`
		Roles []string `json:"roles" doc:"None to forget them"`
	}
}) (*struct{}, error) {
	if n := len(in.Body.Shape); n == 0 || n > longestShape || len(in.Body.Roles) > mostColumns {
		return nil, huma.Error422UnprocessableEntity("That is no list.", &huma.ErrorDetail{Location: "body", Message: fmt.Sprintf("Want a shape of 1 to %d bytes and at most %d roles.", longestShape, mostColumns)})
	}
	for _, r := range in.Body.Roles {
		if !grid.IsChoice(grid.Role(r)) {
			return nil, huma.Error422UnprocessableEntity("A column cannot hold that.", &huma.ErrorDetail{Location: "body.roles", Message: fmt.Sprintf("Want one of %v.", grid.Choices), Value: r})
		}
	}
	return nil, refusal(s.store.SetListRoles(ctx, in.Body.Shape, in.Body.Roles))
}

// readAll reads each file; its errors are for the user, and name the file. One that cannot
// be read among several is told, and the others are read.
func (s *server) readAll(ctx context.Context, roles read.Roles, parts *multipart.Reader) (all read.Result, sources []string, refused []RefusedFile, err error) {
	refused = []RefusedFile{}
	select {
	case s.uploads <- struct{}{}:
		defer func() { <-s.uploads }()
	case <-ctx.Done():
		return all, nil, nil, refusal(ctx.Err())
	}
	var first error
	for {
		part, err := parts.NextRawPart()
		if err == io.EOF {
			break
		}
		if err != nil {
			return all, nil, nil, broken(err)
		}
		source := strings.TrimSpace(part.FileName())
		if source == "" {
			source = "pasted text"
		}
		if len(sources)+len(refused) == mostFiles {
			return all, nil, nil, huma.Error413RequestEntityTooLarge(fmt.Sprintf("At most %d files are read at once.", mostFiles))
		}
		one, err := s.readOne(ctx, roles, source, part)
		var long *read.TooLongError
		var large *read.LargeWorkbookError
		switch {
		case errors.As(err, &long), errors.As(err, &large):
			err = huma.Error413RequestEntityTooLarge(fmt.Sprintf("%s: %v.", source, err))
		case errors.Is(err, context.Canceled):
			return all, nil, nil, refusal(err)
		case errors.Is(err, io.ErrUnexpectedEOF):
			return all, nil, nil, broken(err)
		case len(source) > read.MostName:
			source = span.Quote(source)
			err = huma.Error422UnprocessableEntity(fmt.Sprintf("The name of a file is too long: want at most %d bytes.", read.MostName))
		case err != nil:
			err = huma.Error422UnprocessableEntity(fmt.Sprintf("%s: %v.", source, err))
		}
		if err != nil {
			refused = append(refused, RefusedFile{source, strings.TrimPrefix(err.Error(), source+": ")})
			first = cmp.Or(first, err)
			continue
		}
		if sources = append(sources, source); len(sources) == 1 {
			all = one
		} else {
			all = read.Join(all, one)
		}
	}
	if len(sources) == 0 && first != nil {
		return all, nil, nil, first
	}
	if len(sources) == 0 {
		return all, nil, nil, huma.Error422UnprocessableEntity("There is no file in the request.")
	}
	return all, sources, refused, nil
}

// readOne reads a file. A capture is read as it comes; any other waits its turn once it is here.
func (s *server) readOne(ctx context.Context, roles read.Roles, source string, part io.Reader) (read.Result, error) {
	over := func() bool { return ctx.Err() != nil }
	in := bufio.NewReader(part)
	if head, err := in.Peek(4); err == nil && capture.Is(head) {
		return read.Until(over, roles, source, "", in)
	}
	f, err := spool(s.store.Dir(), io.LimitReader(in, mostText))
	if err != nil {
		return read.Result{}, err
	}
	defer f.Close()
	leave, err := s.heavy(ctx)
	if err != nil {
		return read.Result{}, err
	}
	defer leave()
	return read.Until(over, roles, source, "", f)
}

func broken(err error) error {
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return huma.Error413RequestEntityTooLarge(fmt.Sprintf("The files are larger than %d GB.", mostEvidence>>30))
	}
	return huma.Error422UnprocessableEntity("The files did not come through whole.")
}
