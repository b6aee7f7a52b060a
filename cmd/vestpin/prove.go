package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"os"
	"os/signal"
	"runtime/debug"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"vestpin/afar"
	"vestpin/core/diagnosis"
	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/wire"
)

func proveCommand() *cobra.Command {
	var from, pairing, router string
	var held, only []string
	c := &cobra.Command{
		Use: "prove FILE", Short: "Try whether what is planned answers, from here and from elsewhere, and if not, why", Args: cobra.ExactArgs(1),
		Long: "Look who answers at each planned address, ask each service from here and, by a helper at the far end (vestpin afar), from elsewhere, and print how each fares and the likeliest causes of what fails.",
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := loadSite(args[0])
			if err != nil {
				return err
			}
			if from != "" && from != wire.Inside && from != wire.Outside {
				return fmt.Errorf("--from: want inside or outside, not %q", from)
			}
			if s, err = withHeld(s, router, held); err != nil {
				return err
			}
			for _, id := range only {
				if _, ok := site.NewView(s).Service(id); !ok {
					return fmt.Errorf("--service: there is no service %q", id)
				}
			}
			ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			trial := wire.Trial{Site: site.NewView(s), From: site.TriedFrom(from), Only: only}
			if pairing != "" {
				p, err := afar.ParsePairing(pairing)
				if err != nil {
					return fmt.Errorf("--afar: %w", err)
				}
				far, err := afar.Reach(ctx, p)
				if err != nil {
					return fmt.Errorf("--afar: %w", err)
				}
				trial.Far = far
			}
			return proved(ctx, trial)
		},
	}
	c.Flags().StringVar(&from, "from", "", "inside or outside; found out if absent")
	c.Flags().StringVar(&pairing, "afar", "", "the pairing text of a helper at the far end, which looks from there as well")
	c.Flags().StringArrayVar(&held, "held", nil, "a file with what the router really holds, which makes causes sharper; more than once for several")
	c.Flags().StringVar(&router, "router", "", "the router that holds it; the one that faces the provider if absent")
	c.Flags().StringArrayVar(&only, "service", nil, "only this service; more than once for several")
	return c
}

// withHeld puts what a router holds into a site, for this look alone.
func withHeld(s site.Site, router string, files []string) (site.Site, error) {
	if len(files) == 0 {
		return s, nil
	}
	v := site.NewView(s)
	r, err := routerNamed(v, router)
	if err != nil {
		return s, err
	}
	got, err := readAll(files, "")
	if err != nil {
		return s, err
	}
	held, reservations := got.Held(v, r)
	if len(held.Forwards) == 0 && !held.ExposedHost.IsValid() && len(reservations) == 0 && !got.Forwarding {
		return s, errors.New("--held: neither port forwards nor reservations were found in what the router holds")
	}
	r.Held = &held
	after, _, err := edit.Apply(s, []edit.Edit{edit.PutRouter{Router: r}})
	return after, err
}

// proved tries, and prints what it comes to.
func proved(ctx context.Context, t wire.Trial) error {
	p, err := wire.Prove(ctx, wire.Here{}, t, func(e wire.Trying) {
		tell("%d of %d asked", e.Done, e.Of)
	})
	tell("\n")
	var refused *wire.RefusedError
	if errors.As(err, &refused) {
		return errors.New(refused.Why)
	}
	if err != nil && !errors.Is(err, context.Canceled) && !errors.Is(err, wire.ErrLeft) && !errors.Is(err, wire.ErrSlept) {
		return err
	}
	report := diagnosis.Of(t.Site, p)
	if errors.Is(err, context.Canceled) {
		report.Notes = append(report.Notes, "It was stopped before the end.")
	}
	if err := output(report); err != nil {
		return err
	}
	if !report.Works() {
		return errAnswerNo
	}
	return nil
}

// leanEvery is how often a program that runs for years on a small machine gives back what it
// does not use.
const leanEvery = 2 * time.Second

func stayLean(ctx context.Context) {
	debug.SetGCPercent(25)
	for t := time.NewTicker(leanEvery); ctx.Err() == nil; {
		debug.FreeOSMemory()
		shed()
		select {
		case <-ctx.Done():
		case <-t.C:
		}
	}
}

func afarCommand() *cobra.Command {
	var addr, known, keep string
	var lab bool
	c := &cobra.Command{
		Use: "afar", Short: "Help from the far end: try the ports of those who ask, as they are seen from here", Args: cobra.NoArgs,
		Long: "Print one line whose last word is the pairing text for vestpin prove --afar, and answer until it is ended. It only ever tries the address from which it is asked, by those who know its pairing text, at most 64 ports a request and 20 a second; it answers STUN at the same port.",
		RunE: func(*cobra.Command, []string) error {
			ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			l, err := net.Listen("tcp4", addr)
			if err != nil {
				return fmt.Errorf("--addr: %w", err)
			}
			at := l.Addr().(*net.TCPAddr)
			mirror, err := net.ListenPacket("udp4", at.String())
			if err != nil {
				return fmt.Errorf("--addr: %w", err)
			}
			if known == "" {
				if known, err = knownAs(addr, at); err != nil {
					return err
				}
			}
			h, err := afar.New(known)
			if err != nil {
				return fmt.Errorf("--known-as: %w", err)
			}
			if keep != "" {
				if h, err = afar.Kept(keep, known); err != nil {
					return fmt.Errorf("--keep: %w", err)
				}
			}
			h.Lab = lab
			if ip, err := netip.ParseAddrPort(known); err == nil && ip.Addr().IsPrivate() && !lab {
				fmt.Fprintf(os.Stderr, "vestpin: %s is a private address: from elsewhere it is only reached by a forward; say with --known-as at which address and port that is\n", ip.Addr())
			}
			fmt.Printf("Answering at %s; pair with %s\n", known, h.Pairing())
			go stayLean(ctx)
			return h.Serve(ctx, l, mirror)
		},
	}
	c.Flags().StringVar(&addr, "addr", ":8418", "the address and port to answer at")
	c.Flags().StringVar(&known, "known-as", "", "the host and port by which others reach it, if they are not those of --addr")
	c.Flags().StringVar(&keep, "keep", "", "a file for its secret and key, so that the pairing outlives a restart; made if it is not there")
	c.Flags().BoolVar(&lab, "lab", false, "try private addresses too, for a lab without an internet")
	return c
}

// knownAs is the address that others reach a listener at: the one that it was given, or the
// first of this computer where it listens at all.
func knownAs(given string, at *net.TCPAddr) (string, error) {
	if !at.IP.IsUnspecified() {
		host, _, err := net.SplitHostPort(given)
		if err != nil {
			return "", err
		}
		return net.JoinHostPort(host, fmt.Sprint(at.Port)), nil
	}
	links, err := wire.Here{}.Links()
	if err != nil {
		return "", err
	}
	if len(links) == 0 {
		return "", errors.New("--addr: this computer is attached to no network; say with --known-as how it is reached")
	}
	return netip.AddrPortFrom(links[0].Own.Addr(), uint16(at.Port)).String(), nil
}
