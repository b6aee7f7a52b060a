package snag

import "sync"

// Kind is one kind of snag: its code, how heavy it is, and what is said of several of them.
type Kind struct {
	Code   string
	Weight string
	Plural string // with their number
}

// Rule finds snags of some kinds, and of no others.
type Rule struct {
	Find  func(View) []Snag
	Kinds []Kind
}

// family is rules by what they are about.
type family struct {
	about string
	rules []Rule
}

// ruleFor is a rule that finds snags of one kind.
func ruleFor(find func(View) []Snag, code, weight, plural string) Rule {
	return Rule{find, []Kind{{code, weight, plural}}}
}

// rules are all that is looked for. A code stands here alone.
var rules = []family{
	{"addresses", []Rule{
		{addressFaults, []Kind{
			{"address-twice", Stops, "%d addresses are pinned twice"},
			{"address-off-network", Stops, "%d pins are outside their network"},
			{"address-unusable", Stops, "%d pins are at addresses that no device can have"},
			{"address-answers-already", Stops, "%d pins are where another device was seen"},
			{"router-cannot-reserve-there", Stops, "%d reservations are where the router cannot make them"},
			{"mac-missing", Stops, "%d reservations have no MAC address"},
		}},
		ruleFor(deviceSetInRange, "device-set-in-range", Bites, "%d devices are set by hand inside the DHCP range"),
		ruleFor(macTwice, "mac-twice", Stops, "%d MAC addresses are entered twice"),
		ruleFor(macRandomised, "mac-randomised", Bites, "%d reservations are for randomised MAC addresses"),
		ruleFor(seenElsewhere, "seen-elsewhere", Note, "%d devices are not yet at their pins"),
		ruleFor(seenOnOtherNetwork, "seen-on-other-network", Note, "%d devices were seen on another network than entered"),
	}},
	{"networks", []Rule{
		ruleFor(subnetTwice, "subnet-twice", Bites, "%d pairs of networks share addresses"),
		ruleFor(rangeBad, "range-bad", Stops, "%d DHCP ranges are wrong"),
		ruleFor(rangeFull, "range-full", Bites, "%d DHCP ranges are too short"),
		ruleFor(bandFull, "band-full", Note, "%d bands are full"),
	}},
	{"forwards", []Rule{
		ruleFor(openButLoose, "open-but-loose", Bites, "%d devices are loose, and something of theirs is to be open outside"),
		ruleFor(outsideClash, "outside-clash", Stops, "%d outside ports are wanted twice"),
		ruleFor(outsideIsRoutersOwn, "outside-is-routers-own", Stops, "%d outside ports are the router's own"),
		{forwardTarget, []Kind{
			{"forward-off-network", Stops, "%d forwards lead off the router's networks"},
			{"forward-to-nobody", Stops, "%d forwards lead to addresses that nobody is pinned at"},
		}},
		ruleFor(forwardToLoose, "forward-to-loose", Bites, "%d forwards lead to loose devices"),
		ruleFor(forwardTwice, "forward-twice", Note, "%d forwards are entered twice"),
		ruleFor(forwardBesideService, "forward-beside-service", Note, "%d forwards lead to ports on which nothing is known to answer"),
		ruleFor(forwardWide, "forward-wide", Bites, "%d forwards open more than they need"),
		ruleFor(forwardRisky, "forward-risky", Bites, "%d services are open to everybody that should not be"),
		ruleFor(exposedHost, "exposed-host", Bites, "%d routers send all other ports to one device"),
	}},
	{"routers", []Rule{
		ruleFor(notFollowed, "not-followed", Bites, "%d routers have more forwards than are followed"),
		ruleFor(formCannot, "form-cannot", Stops, "%d forwards cannot be entered at the router"),
		ruleFor(linesRunOut, "lines-run-out", Stops, "%d routers have too few entries"),
		ruleFor(reservationsRunOut, "reservations-run-out", Stops, "%d routers take too few reservations"),
		ruleFor(wishUnmet, "wish-unmet", Bites, "%d services have no forward yet"),
		ruleFor(upstreamMissing, "upstream-missing", Stops, "%d forwards have no partner on the router in front"),
		ruleFor(routerDiffers, "router-differs", Bites, "%d things are different in the router than in the plan"),
		ruleFor(mappedOver, "mapped-over", Bites, "%d ports were opened by devices themselves, and are planned for others"),
		ruleFor(claimedNotThere, "claimed-not-there", Bites, "%d ports that devices say they opened are not there"),
		ruleFor(outsideTold, "outside-told-otherwise", Bites, "%d routers tell another outside address than entered"),
		ruleFor(addressChanged, "address-changed", Bites, "%d outside addresses have changed"),
		ruleFor(upnpOn, "upnp-on", Bites, "UPnP is on at %d routers"),
		ruleFor(wanOffNetwork, "wan-off-network", Stops, "%d routers are off the network in front of them"),
		{behind, []Kind{
			{"behind-router", Stops, "%d routers are behind another that is not entered"},
			{"behind-carrier", Stops, "%d routers have an outside address that the provider shares out"},
			{"outside-impossible", Stops, "%d routers have an outside address that no router can have"},
		}},
		ruleFor(outsideAddressMoves, "outside-address-moves", Bites, "%d outside addresses change and have no name"),
		ruleFor(innerOutsideMoves, "inner-outside-moves", Bites, "%d routers behind another can get another outside address"),
	}},
	{"visits", []Rule{
		ruleFor(twoServers, "two-dhcp-servers", Bites, "%d networks have several DHCP servers"),
		ruleFor(answersForMany, "answers-for-many", Bites, "On %d networks somebody answers for everything"),
		ruleFor(strangers, "stranger", Note, "%d devices were never seen here before"),
		ruleFor(swapped, "swapped?", Note, "%d devices may have been swapped"),
	}},
}

// kinds are all kinds by their code, made by whoever asks first: rules ask for them too.
var kinds = sync.OnceValue(func() map[string]Kind {
	out := map[string]Kind{}
	for _, f := range rules {
		for _, r := range f.rules {
			for _, k := range r.Kinds {
				out[k.Code] = k
			}
		}
	}
	return out
})
