package diagnosis

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/site"
)

type addr = netip.Addr

// titles name the causes as an installer would.
var titles = map[string]string{
	DeviceOff: "The device is off, or its cable is out", DeviceMoved: "The device sits at another address", WrongDevice: "Another device sits at its address",
	DeviceRefuses: "The service is off, or on another port", DeviceFirewall: "The device's own firewall drops it", DeviceGateway: "The device has the wrong gateway",
	ForwardMissing: "The forward is not in the router", ForwardPort: "A port of the forward is wrong", ForwardProtocol: "The forward carries the other protocol", ForwardAddress: "The forward goes to another address",
	RouterAnswers: "The router's own page answers there", HeldByUPnP: "A device took the port for itself", SecondRouter: "Another router stands in front",
	CarrierNAT: "The provider shares one address among customers", ProviderBlocks: "The provider blocks the port", AddressChanged: "The outside address has changed",
	NameStale: "The name does not lead here", NoWayBackIn: "The router does not loop back",
}

func lookFor(s sign) string {
	i := slices.IndexFunc(looks, func(l look) bool { return l.sign == s })
	return looks[i].says
}

// why says what speaks for a cause, in one sentence that names the evidence.
func (c *court) why(k *hearing, cause string) string {
	pin := "its address"
	if k.w.Interface.Pin != nil {
		pin = k.w.Interface.Pin.Address.String()
	}
	t := c.seen[k.w.Interface.ID]
	in := k.heard.Inside
	switch cause {
	case DeviceOff:
		if k.seen[there] == "nobody" {
			return fmt.Sprintf("Nobody answers at %s, not even by ARP, and its MAC address answers nowhere else.", pin)
		}
		return c.unlikely(k, "who answers at "+pin)
	case DeviceMoved:
		if t.Found.IsValid() {
			return fmt.Sprintf("Its MAC address answers at %s and not at %s.", t.Found, pin)
		}
		return c.unlikely(k, "where its MAC address answers")
	case WrongDevice:
		if k.seen[there] == "other" {
			return fmt.Sprintf("%s answers at %s, where %s is planned.", c.nameOf(t.MAC), pin, k.w.Interface.MAC)
		}
		return c.unlikely(k, "who answers at "+pin)
	case DeviceRefuses:
		if in.Result == site.HeardRefused {
			return fmt.Sprintf("The device is there and refuses %s from inside.", k.w.Service.Ports)
		}
		return c.unlikely(k, "what it says inside")
	case DeviceFirewall:
		if in.Result == site.HeardSilent && k.seen[there] == "planned" {
			return fmt.Sprintf("The device answers at %s, but drops what comes to %s.", pin, k.w.Service.Ports)
		}
		return c.unlikely(k, "what it says inside") + " Some let neighbours in alone."
	case DeviceGateway:
		if k.heard.AsksFor.IsValid() {
			return fmt.Sprintf("When somebody calls from elsewhere it asks for %s, an address that nobody has: that is the gateway it is set to.", k.heard.AsksFor)
		}
		if k.seen[inside] == site.HeardAnswers && k.seen[siblings] == "fail" {
			return "All of it answers inside and nothing of it outside" + c.othersWork(k) + "."
		}
		if k.seen[inside] == site.HeardAnswers {
			return "It answers neighbours, and nothing comes back to those elsewhere" + c.othersWork(k) + "."
		}
		return c.unlikely(k, "its own gateway")
	case ForwardMissing, ForwardPort, ForwardProtocol, ForwardAddress:
		return c.whyForward(k, cause)
	case RouterAnswers:
		if k.seen[outside] == "router" {
			return fmt.Sprintf("What answers at %d outside is the router's own page.", k.port)
		}
		return c.unlikely(k, "whose page answers")
	case HeldByUPnP:
		if k.seen[upnp] == "over" {
			return fmt.Sprintf("The router lists %d as opened by a device for itself.", k.port)
		}
		return c.unlikely(k, "what devices had opened")
	case SecondRouter, CarrierNAT:
		return c.whyNAT(k, cause)
	case ProviderBlocks:
		if blocked[k.port] > 0 {
			return fmt.Sprintf("Providers often shut %d, and everything on this side of the router speaks for the plan.", k.port)
		}
		return "Nothing on this side of the router speaks against the plan" + c.othersWork(k) + "."
	case AddressChanged:
		told, _ := c.p.Router.Outside()
		if c.placed == "changed" {
			return fmt.Sprintf("The site is seen at %s; the plan says %s.", told.Address, c.outermost.WAN.Address)
		}
		return c.unlikely(k, "at which address the site is seen")
	case NameStale:
		told, _ := c.p.Router.Outside()
		if c.points == "stale" && len(c.pointsTo()) == 0 {
			return fmt.Sprintf("%s stands for nothing: who calls it comes nowhere.", c.p.Name.Name)
		}
		if c.points == "stale" {
			since := ""
			if day, _, ok := strings.Cut(c.p.Name.Since, "T"); ok {
				since = " since " + day + " at least"
			}
			return fmt.Sprintf("%s stands for %s%s, and the site is at %s.", c.p.Name.Name, fewOf(c.pointsTo()), since, told.Address)
		}
		return c.unlikely(k, "what the name stands for")
	}
	return ""
}

// stoodIn says what came of it when a laptop stood in for the device.
func (c *court) stoodIn(k *hearing) string {
	switch k.heard.StoodIn {
	case site.StoodReached:
		return " A laptop that stood in for the device was reached."
	case site.StoodLost:
		return " A laptop that stood in for the device was not reached either."
	}
	return ""
}

// unlikely says of a cause that nothing points at it by itself.
func (c *court) unlikely(k *hearing, what string) string {
	return fmt.Sprintf("Possible by how often it happens; %s does not settle it.", what)
}

func (c *court) othersWork(k *hearing) string {
	switch k.seen[others] {
	case "work":
		return ", while other devices behind the router are reached"
	case "fail":
		return ", and no other device behind the router is reached either"
	}
	return ""
}

func (c *court) whyForward(k *hearing, cause string) string {
	is := map[string]string{ForwardMissing: "missing", ForwardPort: "port", ForwardProtocol: "protocol", ForwardAddress: "address"}[cause]
	if k.seen[held] == is {
		for _, e := range k.entries {
			for _, id := range e.Via {
				f, _ := c.forward(id)
				if d, wrong := c.differs[f.Router][id]; wrong {
					return d.Says
				}
			}
		}
	}
	switch {
	case k.seen[held] == "as-planned":
		return "The router's page shows the line as planned, but it may not be saved."
	case cause == ForwardPort && k.heard.Stray > 0:
		return fmt.Sprintf("It answers at %d outside; %d is planned.", k.heard.Stray, k.port)
	case cause == ForwardAddress && k.seen[outside] == "other":
		return fmt.Sprintf("%s answers in its place.", c.labelOf(k.whose))
	case k.seen[outside] == "as-unplanned":
		return fmt.Sprintf("It answers inside, and outside %d fares as a port at which nothing is planned: %s.", k.port, k.heard.Outside.Result)
	case k.seen[outside] == "otherwise":
		return fmt.Sprintf("It answers inside; outside %d does not fare as a port at which nothing is planned.", k.port)
	}
	return "A typed line is wrong more often than anything else."
}

func (c *court) whyNAT(k *hearing, cause string) string {
	for _, t := range c.p.Router.Told {
		if t.By != site.ToldByRouter {
			continue
		}
		if cause == CarrierNAT && site.Carrier.Contains(t.Address) {
			return fmt.Sprintf("The router has %s outside, an address that the provider shares among customers (RFC 6598): no forward can work.", t.Address)
		}
		if cause == SecondRouter && t.Address.IsPrivate() {
			return fmt.Sprintf("The router has %s outside, a private address: another router stands in front and must forward too.", t.Address)
		}
	}
	for _, hop := range c.p.Router.Hops {
		if cause == CarrierNAT && site.Carrier.Contains(hop) || cause == SecondRouter && hop.IsPrivate() && !c.own(hop) {
			return fmt.Sprintf("On the way out stands %s.", hop)
		}
	}
	return "No service behind the router is reached."
}

func (c *court) own(a addr) bool {
	return slices.ContainsFunc(c.v.Networks, func(n site.Network) bool { return n.Subnet.Contains(a) })
}

// nameOf names who has a MAC address.
func (c *court) nameOf(mac site.MAC) string {
	for _, d := range c.v.Devices {
		for _, i := range d.Interfaces {
			if i.MAC == mac {
				return d.Label()
			}
		}
	}
	return "A device with " + string(mac)
}

func (c *court) labelOf(service string) string {
	if w, ok := c.v.Service(service); ok {
		return w.Label()
	}
	return "Another service"
}

// mend is what ends a cause; nil where that is for the installer to find out.
func (c *court) mend(k *hearing, cause string) *CauseMend {
	t := c.seen[k.w.Interface.ID]
	switch cause {
	case DeviceOff:
		return words("Switch " + k.w.Device.Label() + " on, and see to its cable")
	case DeviceMoved:
		if k.w.Interface.Pin != nil && k.w.Interface.Pin.OnDevice() {
			return &CauseMend{Does: "Set its address on the device again", Edits: []edit.Edit{}, Step: "device:" + k.w.Interface.ID}
		}
		return &CauseMend{Does: "Type its reservation again, and restart the device", Edits: []edit.Edit{}, Step: "reserve:" + k.w.Interface.ID}
	case WrongDevice:
		if k.w.Interface.MAC != "" && t.MAC != "" && c.nameOf(t.MAC) == "A device with "+string(t.MAC) {
			put := *k.w.Interface
			put.MAC = t.MAC
			return &CauseMend{Does: fmt.Sprintf("Note %s as the MAC address of %s, if it was swapped", t.MAC, k.w.Device.Label()), Edits: []edit.Edit{edit.PutInterface{ID: k.w.Device.ID, Interface: put}}}
		}
		return words("Take that device off the address")
	case DeviceRefuses:
		return words(fmt.Sprintf("Switch the service on at %s, at port %s", k.w.Device.Label(), k.w.Service.Ports))
	case DeviceFirewall:
		return words(fmt.Sprintf("Let %s through the firewall of %s, for those elsewhere too", k.w.Service.Ports, k.w.Device.Label()))
	case DeviceGateway:
		if n, ok := c.v.Network(k.w.Interface.Network); ok && n.Gateway.IsValid() {
			return words(fmt.Sprintf("Set the gateway of %s to %s", k.w.Device.Label(), n.Gateway))
		}
		return words("Set the gateway of " + k.w.Device.Label())
	case ForwardMissing, ForwardPort, ForwardProtocol, ForwardAddress:
		return c.retype(k)
	case RouterAnswers:
		return words(fmt.Sprintf("Take %d away from the router's own page, or note it as the router's own and open the service elsewhere", k.port))
	case HeldByUPnP:
		return words(fmt.Sprintf("Delete the mapping of %d at the router, and switch UPnP off", k.port))
	case SecondRouter:
		return words("Forward the same ports at the router in front, or have it pass everything on (bridge mode)")
	case CarrierNAT:
		return words("Ask the provider for an address of one's own; until then only connections from inside work")
	case ProviderBlocks:
		return words(fmt.Sprintf("Open it at another outside port than %d, or ask the provider", k.port))
	case AddressChanged:
		if told, ok := c.p.Router.Outside(); ok && c.placed == "changed" {
			r := c.outermost
			r.WAN.Address = told.Address
			return &CauseMend{Does: fmt.Sprintf("Note %s as the outside address", told.Address), Edits: []edit.Edit{edit.PutRouter{Router: r}}}
		}
	case NameStale:
		return words("Have the name updated where it is kept, and see why the router did not")
	}
	return nil
}

func words(does string) *CauseMend { return &CauseMend{Does: does, Edits: []edit.Edit{}} }

// retype is the line that stands otherwise in the router, or the first of the service.
func (c *court) retype(k *hearing) *CauseMend {
	id := ""
	for _, e := range k.entries {
		for _, by := range e.Via {
			f, _ := c.forward(by)
			if _, wrong := c.differs[f.Router][by]; wrong && id == "" {
				id = by
			}
		}
	}
	if id == "" {
		id = k.entries[0].Via[0]
	}
	return &CauseMend{Does: "Type its line again, and save", Edits: []edit.Edit{}, Step: "line:" + id + ":1"}
}

// fares says how a service fares.
func (c *court) fares(k *hearing) string {
	in, out := k.heard.Inside, k.heard.Outside
	switch {
	case k.works == Yes && k.open:
		if out.By == site.TriedLooped {
			return "It answers by the outside address, tried from inside."
		}
		if k.identity == "same" {
			return "It answers outside, and it is the right device."
		}
		return "It answers outside."
	case k.works == Yes:
		return "It answers inside."
	case k.open && len(k.entries) == 0:
		return "It is to be opened, and the plan has no forward for it."
	case k.seen[there] == "nobody":
		return "Nobody is at its address."
	case k.seen[there] == "moved":
		return fmt.Sprintf("It sits at %s.", c.seen[k.w.Interface.ID].Found)
	case k.seen[there] == "other":
		return "Another device sits at its address."
	case k.identity == "router":
		return "The router's own page answers in its place."
	case k.identity == "other":
		return c.labelOf(k.whose) + " answers in its place."
	case k.reached() && !c.dialled():
		return "It answers, but not where the plan says."
	case k.looped():
		return "It answers " + c.insideWord(in) + "; from inside the outside address proves nothing."
	case k.works == Unknown && out.Says != "":
		return out.Says
	case k.works == Unknown:
		return "It was not tried."
	case out.Tried():
		return fmt.Sprintf("%s inside, %s outside.", capital(c.insideWord(in)), out.Result)
	}
	return capital(c.insideWord(in)) + " inside."
}

func (c *court) insideWord(h site.Heard) string {
	if h.Tried() {
		return string(h.Result)
	}
	return "not tried"
}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// router is what was seen of the router.
func (c *court) router() RouterSeen {
	out := RouterSeen{Answers: c.p.Router.Answers, Private: c.wan == "private" || c.wan == "carrier"}
	out.Outside, _ = c.p.Router.Outside()
	switch {
	case c.wan == "carrier":
		out.Says = c.whyNAT(nil, CarrierNAT)
	case c.wan == "private":
		out.Says = c.whyNAT(nil, SecondRouter)
	case c.placed == "changed":
		out.Says = fmt.Sprintf("It has changed; the plan says %s.", c.outermost.WAN.Address)
	}
	return out
}

func (c *court) name() NameSeen {
	n := c.p.Name
	out := NameSeen{Name: n.Name, Points: c.pointsTo(), Agrees: c.points == "right", Says: n.Why}
	if out.Points == nil {
		out.Points = []addr{}
	}
	told, _ := c.p.Router.Outside()
	switch others := len(slices.DeleteFunc(slices.Clone(out.Points), func(a addr) bool { return a == told.Address })); {
	case c.points == "stale" && others > 0 && others < len(out.Points):
		out.Says = fmt.Sprintf("It stands for the site's address and for %d more: who calls it may come to another place.", others)
	case slices.ContainsFunc(n.Points, c.isInside) && len(n.Own) == 0:
		out.Says = fmt.Sprintf("The site's resolver says %s, an inside address; what others are told is not known.", fewOf(n.Points))
	case slices.ContainsFunc(out.Points, addr.IsPrivate):
		out.Says = fmt.Sprintf("It stands for %s, a private address: from elsewhere it leads nowhere.", fewOf(out.Points))
	case len(n.Points) > 0 && len(n.Own) > 0 && !sameAddresses(n.Points, n.Own) && !slices.ContainsFunc(n.Points, c.isInside):
		out.Says = fmt.Sprintf("Its own servers say %s already; others may lag for %d s.", joined(n.Own), n.TTL)
	}
	return out
}

// fewOf names the first addresses of many, and counts the others.
func fewOf(list []addr) string {
	const most = 4
	if len(list) <= most {
		return joined(list)
	}
	return fmt.Sprintf("%s and %d more", joined(list[:most-1]), len(list)-most+1)
}

func sameAddresses(a, b []addr) bool {
	return len(a) == len(b) && !slices.ContainsFunc(a, func(x addr) bool { return !slices.Contains(b, x) })
}

// interfaceOf is who answers at a planned address; false for an interface that is gone.
func (c *court) interfaceOf(t site.ProofThere) (ThereSeen, bool) {
	p, ok := c.v.Interface(t.Interface)
	if !ok {
		return ThereSeen{}, false
	}
	out := ThereSeen{Interface: t.Interface, Planned: t.Planned, Answers: t.Answers, MAC: t.MAC, Found: t.Found, Says: t.Why}
	if t.Answers == site.Untried {
		return out, true
	}
	out.As = map[string]string{"planned": "planned", "other": "other-device", "moved": "moved", "nobody": "nobody"}[c.whoIsThere(t)]
	if out.As == "other-device" {
		out.Says = c.nameOf(t.MAC) + " answers there, and not " + p.Label() + "."
	}
	return out, true
}

func joined(list []addr) string {
	var out []string
	for _, a := range list {
		out = append(out, a.String())
	}
	return strings.Join(out, ", ")
}
