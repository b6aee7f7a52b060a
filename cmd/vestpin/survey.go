package main

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"vestpin/core/ipv4"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/wire"
)

// surveyed is what the command prints: as "read" does, and the DHCP servers.
type surveyed struct {
	Sightings []sighting.Sighting `json:"sightings"`
	Facts     sighting.Facts      `json:"facts"`
	Servers   []wire.Server       `json:"servers"`
	Notes     []string            `json:"notes"`
}

func surveyCommand() *cobra.Command {
	var subnet, free, ports, router string
	plan := wire.Plan{}
	c := &cobra.Command{
		Use: "survey [FILE]", Short: "Sweep the network that this computer is attached to", Args: cobra.MaximumNArgs(1),
		Long: "Sweep the subnets of the site in FILE, or without one the subnet of this computer, and print who is there and what they are.\nNothing is ever sent to other networks, or through a gateway.",
		RunE: func(_ *cobra.Command, args []string) error {
			ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			links, err := wire.Here{}.Links()
			if err != nil {
				return err
			}
			own, err := ownSubnets(args, links)
			if err != nil {
				return err
			}
			switch {
			case free != "":
				return surveyFree(ctx, free, own)
			case router != "":
				return surveyRouter(ctx, router, own)
			case ports != "":
				return surveyPorts(ctx, ports, own)
			}
			plan.Subnet = attached(own, links)
			if subnet != "" {
				if plan.Subnet, err = ipv4.ParseSubnet(subnet); err != nil {
					return fmt.Errorf("--subnet: %w", err)
				}
			}
			return surveyAll(ctx, plan, own, links)
		},
	}
	f := c.Flags()
	f.StringVar(&subnet, "subnet", "", "the subnet to sweep; that of the link with the gateway if absent")
	f.StringVar(&free, "free", "", "only find out whether this address is free")
	f.StringVar(&ports, "ports", "", "look at every TCP port of the device at this address")
	f.StringVar(&router, "router", "", "only ask the router at this address for its outside address and the ports that devices had it open")
	f.StringVar(&plan.Community, "community", "", "ask by SNMP with this community")
	f.IntVar(&plan.Rate, "rate", 700, "most packets a second")
	f.BoolVar(&plan.Large, "large", false, "sweep a subnet of more than 4,096 addresses")
	f.BoolVar(&plan.SweepOnly, "sweep-only", false, "who is there, and nothing else")
	return c
}

// surveyRouter asks a router what it tells of itself.
func surveyRouter(ctx context.Context, address string, own []netip.Prefix) error {
	a, err := ipv4.ParseAddr(address)
	if err != nil {
		return fmt.Errorf("--router: %w", err)
	}
	told, err := wire.AskRouter(ctx, wire.Here{}, a, own)
	if err != nil {
		return err
	}
	return output(told)
}

// ownSubnets are the site's, or without one those of this computer.
func ownSubnets(args []string, links []wire.Link) (own []netip.Prefix, err error) {
	if len(args) == 0 {
		for _, l := range links {
			own = append(own, l.Subnet())
		}
		return own, nil
	}
	s, err := loadSite(args[0])
	if err != nil {
		return nil, err
	}
	for _, n := range s.Networks {
		own = append(own, n.Subnet)
	}
	return own, nil
}

// attached is the first of the subnets that this computer is attached to.
func attached(own []netip.Prefix, links []wire.Link) netip.Prefix {
	for _, l := range links {
		for _, p := range own {
			if l.Subnet().Bits() <= p.Bits() && l.Subnet().Contains(p.Addr()) {
				return p
			}
		}
	}
	if len(own) > 0 {
		return own[0]
	}
	return netip.Prefix{}
}

func surveyAll(ctx context.Context, plan wire.Plan, own []netip.Prefix, links []wire.Link) error {
	out := surveyed{Sightings: []sighting.Sighting{}, Servers: []wire.Server{}, Notes: []string{}, Facts: sighting.Facts{DNS: []netip.Addr{}, Ranges: []site.Range{}, DHCP: []netip.Addr{}}}
	err := wire.Survey(ctx, wire.Here{}, plan, own, func(e wire.Event) {
		switch {
		case e.Sighting != nil:
			out.Sightings = append(out.Sightings, *e.Sighting)
		case e.Server != nil:
			out.Servers = append(out.Servers, *e.Server)
			out.Facts.DHCP = append(out.Facts.DHCP, e.Server.Address)
		case e.Note != "":
			out.Notes = append(out.Notes, e.Note)
		case e.Progress != nil:
			p := e.Progress
			tell("%s: %d of %d, %d found, %.1f s left", p.Doing, p.Done, p.Of, p.Found, float64(p.Left)/1000)
		}
	})
	tell("\n")
	var refused *wire.RefusedError
	if errors.As(err, &refused) || err != nil && len(out.Sightings) == 0 && !errors.Is(err, context.Canceled) {
		return err
	}
	for _, l := range links {
		if l.Subnet().Contains(plan.Subnet.Addr()) && !out.Facts.Subnet.IsValid() {
			out.Facts.Subnet, out.Facts.Own, out.Facts.Gateway, out.Facts.DNS = l.Subnet(), l.Own.Addr(), l.Gateway, l.DNS
		}
	}
	if err != nil {
		out.Notes = append(out.Notes, "stopped: "+err.Error())
	}
	return output(out)
}

func surveyFree(ctx context.Context, text string, own []netip.Prefix) error {
	a, err := ipv4.ParseAddr(text)
	if err != nil {
		return fmt.Errorf("--free: %w", err)
	}
	f, err := wire.Free(ctx, wire.Here{}, a, own)
	if err != nil {
		return err
	}
	if err := output(f); err != nil {
		return err
	}
	if !f.Free {
		return errAnswerNo
	}
	return nil
}

func surveyPorts(ctx context.Context, text string, own []netip.Prefix) error {
	a, err := ipv4.ParseAddr(text)
	if err != nil {
		return fmt.Errorf("--ports: %w", err)
	}
	out := []sighting.Sighting{}
	err = wire.AllPorts(ctx, wire.Here{}, a, own, func(e wire.Event) {
		if e.Sighting != nil {
			out = append(out, *e.Sighting)
		} else if p := e.Progress; p != nil {
			tell("%s: %d of %d", p.Doing, p.Done, p.Of)
		}
	})
	tell("\n")
	if err != nil && !errors.Is(err, context.Canceled) {
		return err
	}
	return output(map[string]any{"sightings": out})
}

// tell writes over the line of progress, where somebody is watching.
func tell(format string, args ...any) {
	if info, err := os.Stderr.Stat(); err == nil && info.Mode()&os.ModeCharDevice != 0 {
		fmt.Fprintf(os.Stderr, "\r"+format+"   ", args...)
	}
}
