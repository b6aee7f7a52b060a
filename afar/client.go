package afar

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"time"

	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/wire"
)

// Client asks a helper. What the helper answers is data: it is bounded, checked, and never
// more than what was asked for.
type Client struct {
	pairing Pairing
	at      netip.AddrPort
	http    *http.Client
}

var _ wire.FarEnd = (*Client)(nil)

// Reach finds the helper of a pairing. The error says that its host is none.
func Reach(ctx context.Context, p Pairing) (*Client, error) {
	host, port, err := net.SplitHostPort(p.Addr)
	if err != nil {
		return nil, err
	}
	found, err := net.DefaultResolver.LookupNetIP(ctx, "ip4", host)
	if err != nil || len(found) == 0 {
		return nil, fmt.Errorf("the far end at %s is not found", span.Quote(host))
	}
	at, err := netip.ParseAddrPort(net.JoinHostPort(found[0].Unmap().String(), port))
	if err != nil {
		return nil, err
	}
	conf := &tls.Config{
		InsecureSkipVerify: true, MinVersion: tls.VersionTLS13, // its own key is pinned instead
		VerifyPeerCertificate: func(raw [][]byte, _ [][]*x509.Certificate) error {
			if len(raw) == 0 || sha256.Sum256(raw[0]) != p.Key {
				return errOther
			}
			return nil
		},
	}
	d := net.Dialer{Timeout: 4 * time.Second}
	t := &http.Transport{
		TLSClientConfig: conf, TLSHandshakeTimeout: 4 * time.Second, ResponseHeaderTimeout: 6 * time.Second, MaxResponseHeaderBytes: 8 << 10, Proxy: nil,
		DialContext: func(ctx context.Context, _, _ string) (net.Conn, error) {
			return d.DialContext(ctx, "tcp4", at.String())
		},
	}
	return &Client{p, at, &http.Client{Transport: t, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}, nil
}

var errOther = errors.New("it shows another key than the one it was paired with; pair it anew")

// Stands is the address of the helper.
func (c *Client) Stands() netip.Addr { return c.at.Addr() }

// Mirror is where it answers STUN.
func (c *Client) Mirror() netip.AddrPort { return c.at }

// RefusalError says that the helper would not.
type RefusalError struct{ Why string }

func (e *RefusalError) Error() string { return "the far end refuses: " + e.Why }

// ask sends one request. The body of what comes back is the caller's to close.
func (c *Client) ask(ctx context.Context, method, path string, body any) (*http.Response, error) {
	var send io.Reader
	if body != nil {
		data, err := json.Marshal(body)
		if err != nil {
			return nil, err
		}
		send = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(ctx, method, "https://"+c.at.String()+path, send)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Authorization", "Bearer "+hex.EncodeToString(c.pairing.Secret[:]))
	resp, err := c.http.Do(req)
	if err != nil {
		return nil, plainly(ctx, err)
	}
	if version := resp.Header.Get("Server"); version != Version {
		resp.Body.Close()
		return nil, fmt.Errorf("the far end speaks %s, and this program %s: use the same version at both ends", span.Quote(cut(version, 40)), Version)
	}
	if resp.StatusCode != http.StatusOK {
		defer resp.Body.Close()
		var why refusalText
		if err := json.NewDecoder(io.LimitReader(resp.Body, 4096)).Decode(&why); err != nil || why.Error == "" {
			why.Error = resp.Status
		}
		return nil, &RefusalError{cut(why.Error, 200)}
	}
	return resp, nil
}

// plainly says in a few words why the helper could not be asked.
func plainly(ctx context.Context, err error) error {
	var refused *net.OpError
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.Is(err, errOther):
		return errOther
	case errors.As(err, &refused) && refused.Op == "dial":
		return fmt.Errorf("the far end does not answer: %w", refused.Err)
	}
	return fmt.Errorf("the far end broke off: %w", errors.Unwrap(err))
}

func cut(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most]) + "…"
	}
	return s
}

// Sees is the address that the helper sees this computer at.
func (c *Client) Sees(ctx context.Context) (netip.Addr, error) {
	resp, err := c.ask(ctx, http.MethodGet, "/address", nil)
	if err != nil {
		return netip.Addr{}, err
	}
	defer resp.Body.Close()
	var body struct{ Address netip.Addr }
	if err := json.NewDecoder(io.LimitReader(resp.Body, 4096)).Decode(&body); err != nil || !body.Address.Is4() {
		return netip.Addr{}, errors.New("the far end does not say at which address it sees this computer")
	}
	return body.Address, nil
}

// Try has the helper try ports, and tells of each as it comes. What the helper says of ports
// that it was not asked for, or says twice, is left out.
func (c *Client) Try(ctx context.Context, questions []wire.Question, tell func(i int, h site.Heard)) error {
	resp, err := c.ask(ctx, http.MethodPost, "/try", map[string]any{"questions": questions})
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	told := map[int]bool{}
	lines := bufio.NewScanner(io.LimitReader(resp.Body, 1<<20))
	lines.Buffer(make([]byte, 8<<10), 8<<10)
	for lines.Scan() {
		var one heard
		var word *span.Malformed
		if err := json.Unmarshal(lines.Bytes(), &one); errors.As(err, &word) {
			continue // as if it had said nothing of this port
		} else if err != nil {
			return errors.New("what the far end says is not understood")
		}
		if one.Of < 0 || one.Of >= len(questions) || told[one.Of] || !believable(&one.Heard, questions[one.Of]) {
			continue
		}
		told[one.Of] = true
		tell(one.Of, one.Heard)
	}
	if err := lines.Err(); err != nil {
		return plainly(ctx, &net.OpError{Op: "read", Err: err})
	}
	if len(told) < len(questions) {
		return fmt.Errorf("it tried %d of %d ports", len(told), len(questions))
	}
	return nil
}

// believable takes of what a helper says what it can know, and cuts what is too long.
func believable(h *site.Heard, q wire.Question) bool {
	if h.Result == "" || h.At.IsValid() && h.At.Port() != q.Port || h.MS < 0 || h.MS > 120_000 {
		return false
	}
	clean := func(s string) string {
		return cut(strings.Map(func(r rune) rune {
			if r < ' ' || r == 0xfffd {
				return -1
			}
			return r
		}, s), 250)
	}
	h.Says, h.Key, h.By = clean(h.Says), clean(h.Key), ""
	return true
}
