package server

import (
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/read"
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
	Version  int                `json:"version" doc:"The version of the site that it was worked out from"`
	Edits    []site.Edit        `json:"edits"`
	Findings []sighting.Finding `json:"findings" doc:"At most 2,000 of them"`
	Counts   map[string]int     `json:"counts" doc:"How many findings there are of each kind"`
	Facts    sighting.Facts     `json:"facts"`
	Unread   []read.Unread      `json:"unread" doc:"At most 200 of them"`
	Missed   int                `json:"missed" doc:"How many lines were not understood"`
	Sources  []string           `json:"sources"`
}

// mostFindings is how many findings are sent; all are counted.
const mostFindings = 2000

func (s *server) readEvidence(ctx context.Context, in *struct {
	SiteID
	Files
	At string `query:"at" doc:"When, RFC 3339"`
}) (*struct{ Body Preview }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	result, sources, err := readAll(ctx, in.parts)
	if err != nil {
		return nil, err
	}
	leave, err := s.heavy(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	defer leave()
	p := sighting.Merge(st.Site, result.Sightings, result.Facts, in.At)
	out := Preview{Version: st.Version, Edits: p.Edits, Findings: p.Findings, Counts: map[string]int{}, Facts: result.Facts, Unread: result.Unread, Missed: result.Missed, Sources: sources}
	for _, f := range p.Findings {
		out.Counts[f.What]++
	}
	out.Findings = out.Findings[:min(len(out.Findings), mostFindings)]
	return &struct{ Body Preview }{out}, nil
}

// readAll reads each file; its errors are for the user, and name the file.
func readAll(ctx context.Context, parts *multipart.Reader) (all read.Result, sources []string, err error) {
	for {
		part, err := parts.NextRawPart()
		if err == io.EOF {
			break
		}
		if err != nil {
			return all, nil, broken(err)
		}
		source := strings.TrimSpace(part.FileName())
		if source == "" {
			source = "pasted text"
		}
		if len(sources) == mostFiles {
			return all, nil, huma.Error413RequestEntityTooLarge(fmt.Sprintf("At most %d files are read at once.", mostFiles))
		}
		one, err := read.Until(func() bool { return ctx.Err() != nil }, nil, source, "", part)
		var long *read.TooLongError
		var large *read.LargeWorkbookError
		switch {
		case errors.As(err, &long), errors.As(err, &large):
			return all, nil, huma.Error413RequestEntityTooLarge(fmt.Sprintf("%s: %v.", source, err))
		case errors.Is(err, context.Canceled):
			return all, nil, refusal(err)
		case errors.Is(err, io.ErrUnexpectedEOF):
			return all, nil, broken(err)
		case err != nil:
			return all, nil, huma.Error422UnprocessableEntity(fmt.Sprintf("%s: %v.", source, err))
		}
		if sources = append(sources, source); len(sources) == 1 {
			all = one
		} else {
			all = read.Join(all, one)
		}
	}
	if len(sources) == 0 {
		return all, nil, huma.Error422UnprocessableEntity("There is no file in the request.")
	}
	return all, sources, nil
}

func broken(err error) error {
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return huma.Error413RequestEntityTooLarge(fmt.Sprintf("The files are larger than %d GB.", mostEvidence>>30))
	}
	return huma.Error422UnprocessableEntity("The files did not come through whole.")
}
