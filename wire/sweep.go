package wire

import (
	"context"
	"errors"
	"net/netip"
	"sync"
	"time"

	"vestpin/core/ipv4"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/frame"
)

// askings is how often an address that does not answer is asked: a network that
// loses one packet in twenty, there and back, still misses one device in a
// hundred thousand. Large subnets are asked twice.
const askings = 5

// last is how long answers are waited for after the last question.
const last = 400 * time.Millisecond

// sweep asks each address of the subnet by ARP (RFC 826) who has it; where raw
// frames are not permitted it sends a datagram to each, so that the system asks,
// and reads the system's table.
func (s *survey) sweep(ctx context.Context) error {
	f, err := s.net.Frames(s.link)
	if errors.Is(err, ErrNotPermitted) {
		return s.nudge(ctx)
	}
	if err != nil {
		return err
	}
	defer f.Close()
	var mu sync.Mutex // of found and macs, while both halves go on
	var heard sync.WaitGroup
	done := make(chan struct{})
	heard.Go(func() { s.hear(f, done, &mu) })
	err = s.ask(ctx, f, &mu)
	if err == nil {
		err = pause(ctx, last)
	}
	close(done)
	heard.Wait()
	s.proxies()
	return err
}

// targets are the addresses to ask: all but the ends of the subnet and our own.
func (s *survey) targets() []netip.Addr {
	if s.only != nil {
		return s.only
	}
	run := ipv4.Run(s.plan.Subnet)
	var out []netip.Addr
	for n := run.Lo; n <= run.Hi && n >= run.Lo; n++ {
		a := ipv4.Addr(n)
		lan := ipv4.Run(s.link.Subnet())
		if n != lan.Lo && n != lan.Hi && a != s.link.Own.Addr() {
			out = append(out, a)
		}
	}
	return out
}

func (s *survey) tries() int {
	if s.plan.Subnet.Bits() < 22 && s.only == nil {
		return 2
	}
	return askings
}

// ask sends the questions, round after round to those that have not answered.
func (s *survey) ask(ctx context.Context, f Frames, mu *sync.Mutex) error {
	left := s.targets()
	total, tries := len(left), s.tries()
	gap := time.Second / time.Duration(s.plan.Rate)
	next, told := time.Now(), time.Time{}
	broken := 0
	awake := waking{next}
	for round := 0; round < tries; round++ {
		var silent []netip.Addr
		for i, a := range left {
			mu.Lock()
			known := s.found[a] != ""
			found := len(s.found)
			mu.Unlock()
			if known {
				continue
			}
			silent = append(silent, a)
			q := frame.ARP{Sender: s.link.MAC, SenderAddr: s.link.Own.Addr(), TargetAddr: a}
			if err := f.Send(q.Frame()); err != nil {
				if broken++; broken > 20 {
					return &DownError{s.link.Name, err}
				}
			}
			if time.Since(told) > 80*time.Millisecond {
				told = time.Now()
				rest := len(left) - i + (tries-1-round)*len(left)
				s.report(Event{Progress: &Progress{"asking who is there", round*total + i*total/len(left), tries * total, found, int((time.Duration(rest)*gap + last).Milliseconds())}})
			}
			if now := time.Now(); awake.slept(now) { // nobody is asked all at once, and everybody once more
				s.note("this computer slept in the middle, or its clock was set: who had not answered was asked once more")
				next = now
				tries++
			}
			next = next.Add(gap)
			if err := pause(ctx, time.Until(next)); err != nil {
				return err
			}
		}
		if left = silent; len(left) == 0 {
			break
		}
		// Nobody is asked again before they had time to answer.
		if wait := 100*time.Millisecond - time.Duration(len(left))*gap; wait > 0 {
			if err := pause(ctx, wait); err != nil {
				return err
			}
		}
	}
	return nil
}

// DownError says that a link went down while it was used.
type DownError struct {
	Link string
	Err  error
}

func (e *DownError) Error() string {
	return "the link " + e.Link + " went down: " + e.Err.Error() + "; what was found is kept"
}

func (e *DownError) Unwrap() error { return e.Err }

// hear takes the answers, and whatever else tells who has an address.
func (s *survey) hear(f Frames, done <-chan struct{}, mu *sync.Mutex) {
	buffer := make([]byte, 2048)
	for {
		select {
		case <-done:
			return
		default:
		}
		n, err := f.Receive(buffer)
		if err != nil {
			return
		}
		a, ok := frame.ParseARPFrame(buffer[:n])
		if !ok || a.Sender == "" || a.Sender == s.link.MAC || !s.plan.Subnet.Contains(a.SenderAddr) {
			continue
		}
		mu.Lock()
		before, seen := s.found[a.SenderAddr]
		if seen && before != a.Sender && !s.another(a) {
			mu.Unlock()
			continue
		}
		if !seen {
			s.found[a.SenderAddr] = a.Sender
			s.macs[a.Sender]++
		}
		mu.Unlock()
		switch {
		case !seen:
			s.answered(a.Sender, a.SenderAddr)
		case before != a.Sender:
			s.answered(a.Sender, a.SenderAddr) // two devices at one address
		}
	}
}

// mostClaims is how many MAC addresses are told of one address: one more than anybody
// believes, so that it is known that there were more.
const mostClaims = 17

// another notes a further MAC address of an address, each once and not too many.
func (s *survey) another(a frame.ARP) bool {
	if s.claims == nil {
		s.claims = map[netip.Addr]map[site.MAC]bool{}
	}
	have := s.claims[a.SenderAddr]
	if have[a.Sender] || len(have) >= mostClaims {
		return false
	}
	if have == nil {
		have = map[site.MAC]bool{}
		s.claims[a.SenderAddr] = have
	}
	have[a.Sender] = true
	return true
}

func (s *survey) answered(mac site.MAC, a netip.Addr) {
	sg := sighting.Sighting{MAC: mac, Address: a, State: "answered ARP", Source: s.plan.Source, At: time.Now().UTC().Format(time.RFC3339)}
	s.report(Event{Sighting: &sg})
}

// proxies tells of MAC addresses that answer for many.
func (s *survey) proxies() {
	for mac, n := range s.macs {
		if n >= 3 {
			s.note("%s answers for %d addresses: an extender or a router in between answers for the devices behind it, whose own MAC addresses do not come through", mac, n)
		}
	}
}

// nudge sends a datagram to the discard port of each address, which makes the
// system ask for it, and reads who answered out of the system's table.
func (s *survey) nudge(ctx context.Context) error {
	p, err := s.net.Packets(s.link, 0)
	if err != nil {
		return err
	}
	defer p.Close()
	left := s.targets()
	total, tries := len(left), min(3, s.tries())
	gap := time.Second / time.Duration(s.plan.Rate)
	next, told := time.Now(), time.Time{}
	if _, err := s.net.Neighbours(s.link); err != nil {
		return err
	}
	for round := range tries {
		for i, a := range left {
			p.WriteToUDPAddrPort([]byte{0}, netip.AddrPortFrom(a, 9))
			if time.Since(told) > 200*time.Millisecond {
				told = time.Now()
				if err := s.table(); err != nil {
					return err
				}
				s.progress("asking who is there", round*total+i, tries*total, time.Duration((tries-round)*total-i)*gap+last)
			}
			next = next.Add(gap)
			if err := pause(ctx, time.Until(next)); err != nil {
				return err
			}
		}
		if err := pause(ctx, last); err != nil {
			return err
		}
		if err := s.table(); err != nil {
			return err
		}
		var silent []netip.Addr
		for _, a := range left {
			if s.found[a] == "" {
				silent = append(silent, a)
			}
		}
		left = silent
	}
	s.proxies()
	return nil
}

func (s *survey) table() error {
	list, err := s.net.Neighbours(s.link)
	if err != nil {
		return err
	}
	for _, n := range list {
		if s.plan.Subnet.Contains(n.Address) && s.found[n.Address] == "" {
			s.found[n.Address] = n.MAC
			s.macs[n.MAC]++
			s.answered(n.MAC, n.Address)
		}
	}
	return nil
}
