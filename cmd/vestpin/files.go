package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"vestpin/core/form"
	"vestpin/core/ipv4"
	"vestpin/core/plain"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/snag"
	"vestpin/core/span"
	"vestpin/core/suggest"
	"vestpin/read"
	"vestpin/write"
)

// mostInput is the largest file that is taken, in bytes.
const mostInput = 64 << 20

// input reads a file, or standard input for "-".
func input(name string) ([]byte, error) {
	var r io.Reader = os.Stdin
	if name != "-" {
		f, err := os.Open(name)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		r = f
	}
	data, err := io.ReadAll(io.LimitReader(r, mostInput+1))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	if len(data) > mostInput {
		return nil, fmt.Errorf("%s: larger than %d MB", name, mostInput>>20)
	}
	return data, nil
}

func loadSite(name string) (site.Site, error) {
	data, err := input(name)
	if err != nil {
		return site.Site{}, err
	}
	s, err := sitefile.Read(data)
	if err != nil {
		return s, fmt.Errorf("%s: %w", name, err)
	}
	return s, nil
}

// output prints JSON, indented.
func output(v any) error {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	if err := enc.Encode(v); err != nil {
		return err
	}
	_, err := os.Stdout.Write(plain.JSON(b.Bytes()))
	return err
}

// clock tells on standard error what took how long, if it is asked to.
type clock struct {
	tells bool
	last  time.Time
}

func (c *clock) lap(what string) {
	if now := time.Now(); c.tells {
		if !c.last.IsZero() {
			fmt.Fprintf(os.Stderr, "%-12s %v\n", what, now.Sub(c.last).Round(time.Microsecond))
		}
		c.last = now
	}
}

func checkCommand() *cobra.Command {
	var t clock
	var ways bool
	c := &cobra.Command{
		Use: "check FILE", Short: "Print the snags of a site", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			t.lap("start")
			s, err := loadSite(args[0])
			if err != nil {
				return err
			}
			t.lap("read")
			snags := snag.CheckWithProgress(site.NewView(s), t.lap)
			for i, sn := range snags {
				if !ways || !sn.Further {
					continue
				}
				more, err := snag.WaysOut(site.NewView(s), strings.TrimPrefix(string(sn.About[0]), "service:"))
				if err != nil {
					return err
				}
				snags[i].Mends, snags[i].Further = append(sn.Mends, more...), false
			}
			t.last = time.Now()
			if err := output(map[string]any{"snags": snags}); err != nil {
				return err
			}
			t.lap("write")
			for _, sn := range snags {
				if sn.Weight == snag.Stops {
					return errAnswerNo
				}
			}
			return nil
		},
	}
	c.Flags().BoolVar(&t.tells, "timings", false, "tell on standard error what took how long")
	c.Flags().BoolVar(&ways, "ways", false, "with services that cannot be opened, all that may be given up for them, which takes longer")
	return c
}

func suggestCommand() *cobra.Command {
	var addresses, ports, siteOnly bool
	var t clock
	c := &cobra.Command{
		Use: "suggest FILE", Short: "Print the site with every suggestion taken", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			t.lap("start")
			s, err := loadSite(args[0])
			if err != nil {
				return err
			}
			t.lap("read")
			result, err := suggest.WithProgress(site.NewView(s), suggest.Halves{Addresses: addresses || !ports, Ports: ports || !addresses}, t.lap)
			if err != nil {
				return err
			}
			whole := sitefile.Write(result.Site)
			if siteOnly {
				_, err = os.Stdout.Write(whole)
			} else {
				err = output(map[string]any{
					"site": json.RawMessage(whole), "changes": result.Changes, "unmet": result.Unmet, "proven": result.Proven,
				})
			}
			t.lap("write")
			if err == nil && len(result.Unmet) > 0 {
				err = errAnswerNo
			}
			return err
		},
	}
	c.Flags().BoolVar(&addresses, "addresses", false, "suggest pins only")
	c.Flags().BoolVar(&ports, "ports", false, "suggest forwards only")
	c.Flags().BoolVar(&t.tells, "timings", false, "tell on standard error what took how long")
	c.Flags().BoolVar(&siteOnly, "site", false, "print the site alone")
	return c
}

func walkCommand() *cobra.Command {
	var port int
	var protocol, sender, router string
	var all bool
	c := &cobra.Command{
		Use: "walk FILE --port N --protocol tcp|udp | --all", Short: "Print where a packet to the outside address ends up, or every port that leads somewhere", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := loadSite(args[0])
			if err != nil {
				return err
			}
			v := site.NewView(s)
			if all {
				port = 1
			}
			p, err := packet(v, port, protocol, sender, router)
			if err != nil {
				return err
			}
			m := reach.Of(v)
			for _, r := range v.Routers {
				if from := m.Cut(r.ID); from > 0 {
					fmt.Fprintf(os.Stderr, "vestpin: from port %d on the forwards of router %s overlap for too many senders to be followed\n", from, r.ID)
				}
			}
			if all {
				return output(map[string]any{"spans": m.AllFrom(p.Router, p.Sender)})
			}
			return output(m.WalkFrom(p))
		},
	}
	c.Flags().BoolVar(&all, "all", false, "every outside port that is not dropped")
	c.Flags().IntVar(&port, "port", 0, "the outside port, 1 to 65535")
	c.Flags().StringVar(&protocol, "protocol", "tcp", "tcp or udp")
	c.Flags().StringVar(&sender, "sender", "", "the sender's address; one on a network of the site is inside, and comes back only where the router loops back")
	c.Flags().StringVar(&router, "router", "", "the router it arrives at; the one that faces the provider if absent")
	return c
}

func packet(v site.View, port int, protocol, sender, router string) (reach.Packet, error) {
	p := reach.Packet{Port: port, Protocol: site.Protocol(protocol), Router: router}
	if port < 1 || port > 65535 {
		return p, fmt.Errorf("--port: %d is not accepted: want a port from 1 to 65535", port)
	}
	if p.Protocol != site.TCP && p.Protocol != site.UDP {
		return p, fmt.Errorf("--protocol: %s is not accepted: want tcp or udp", span.Quote(protocol))
	}
	if sender != "" {
		a, err := ipv4.ParseAddr(sender)
		if err != nil {
			return p, fmt.Errorf("--sender: %w", err)
		}
		p.Sender = a
	}
	r, err := routerNamed(v, router)
	p.Router = r.ID
	return p, err
}

// routerNamed finds a router by id; the one that faces the provider for "".
func routerNamed(v site.View, id string) (site.Router, error) {
	if id == "" {
		r, ok := reach.Outermost(v)
		if !ok {
			return r, fmt.Errorf("the site has no router")
		}
		return r, nil
	}
	r, ok := v.Router(id)
	if !ok {
		return r, fmt.Errorf("--router: %s is not accepted: want the id of a router of this site", span.Quote(id))
	}
	return r, nil
}

func linesCommand() *cobra.Command {
	var router string
	c := &cobra.Command{
		Use: "lines FILE", Short: "Print what is typed into a router's forms", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := loadSite(args[0])
			if err != nil {
				return err
			}
			v := site.NewView(s)
			r, err := routerNamed(v, router)
			if err != nil {
				return err
			}
			typed, page := form.Type(v, r), form.Of(r.Form)
			type line struct {
				form.Line
				Fields []form.Field `json:"fields"`
			}
			type reservation struct {
				form.Reservation
				Fields []form.Field `json:"fields"`
			}
			lines, reservations := []line{}, []reservation{}
			for i, fields := range page.LineFields(v, typed.Lines) {
				lines = append(lines, line{typed.Lines[i], inRule(fields)})
			}
			for i, fields := range page.ReservationFields(typed.Reservations) {
				reservations = append(reservations, reservation{typed.Reservations[i], inRule(fields)})
			}
			answer := map[string]any{"router": r.ID, "lines": lines, "reservations": reservations}
			if typed.More > 0 {
				answer["more"] = typed.More
				fmt.Fprintf(os.Stderr, "vestpin: %d lines are printed, and %d more are not\n", len(typed.Lines), typed.More)
			}
			if err := output(answer); err != nil {
				return err
			}
			for _, f := range typed.Faults {
				fmt.Fprintf(os.Stderr, "vestpin: forward %s cannot be entered at router %s: %s\n", f.Forward.ID, r.ID, f.Why)
			}
			if len(typed.Faults) > 0 {
				return errAnswerNo
			}
			return nil
		},
	}
	c.Flags().StringVar(&router, "router", "", "the router; the one that faces the provider if absent")
	return c
}

// inRule says of fields that are in no part that they are in the rule.
func inRule(fields []form.Field) []form.Field {
	for i := range fields {
		if fields[i].Part == "" {
			fields[i].Part = "rule"
		}
	}
	return fields
}

func readCommand() *cobra.Command {
	var as string
	c := &cobra.Command{
		Use: "read FILE…", Short: "Print what device lists, lease files, captures and system tools say", Args: cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if as == "port-list" {
				return readPortList(args)
			}
			var all []read.Result
			var bad []error
			for _, name := range args {
				one, err := readFile(name, as)
				if err != nil {
					bad = append(bad, err)
					continue
				}
				all = append(all, one)
			}
			if len(all) == 0 {
				return bad[0]
			}
			for _, one := range all[1:] {
				all[0] = read.Join(all[0], one)
			}
			for _, err := range bad { // the others are read
				fmt.Fprintln(os.Stderr, "vestpin:", err)
			}
			if err := output(all[0]); err != nil || len(bad) == 0 {
				return err
			}
			return errAnswerNo
		},
	}
	c.Flags().StringVar(&as, "as", "", "read as leases, neighbours, own-settings, table, capture or port-list; found out if absent")
	return c
}

func readFile(name, as string) (read.Result, error) {
	in := os.Stdin
	if name != "-" {
		f, err := os.Open(name)
		if err != nil {
			return read.Result{}, err
		}
		defer f.Close()
		in = f
	}
	one, err := read.File(name, as, in)
	if err != nil {
		return one, fmt.Errorf("%s: %w", name, err)
	}
	return one, nil
}

func writeCommand() *cobra.Command {
	var as, router string
	c := &cobra.Command{
		Use: "write --as NAME FILE", Short: "Print a file that another program takes", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			target, err := write.Find(as)
			if err != nil {
				return fmt.Errorf("--as: %w", err)
			}
			s, err := loadSite(args[0])
			if err != nil {
				return err
			}
			return target.Write(os.Stdout, s, router)
		},
	}
	c.Flags().StringVar(&as, "as", "", "dnsmasq, hosts, inventory.csv, reservations.csv, forwards.csv, nftables or iptables")
	c.Flags().StringVar(&router, "router", "", "for which router nftables and iptables are; the one that faces the provider if absent")
	return c
}
