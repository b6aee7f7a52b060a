package diagnosis

// The causes of a failure.
const (
	DeviceOff       = "device-off"
	DeviceMoved     = "device-moved"
	WrongDevice     = "wrong-device"
	DeviceRefuses   = "device-refuses"  // the service is off, or on another port
	DeviceFirewall  = "device-firewall" // it drops what comes
	DeviceGateway   = "device-gateway"  // it answers neighbours only
	ForwardMissing  = "forward-missing"
	ForwardPort     = "forward-port"
	ForwardProtocol = "forward-protocol"
	ForwardAddress  = "forward-address"
	RouterAnswers   = "router-answers"
	HeldByUPnP      = "held-by-upnp"
	SecondRouter    = "second-router"
	CarrierNAT      = "carrier-nat"
	ProviderBlocks  = "provider-blocks"
	AddressChanged  = "address-changed"
	NameStale       = "name-stale"
	NoWayBackIn     = "no-way-back-in" // tried from inside on a router that does not loop back: no fault
)

// sign is something that is observed, or could be; each has a few values.
type sign string

const (
	there    sign = "there"    // who answers at the planned address
	inside   sign = "inside"   // what the service says to a neighbour
	outside  sign = "outside"  // what it says from elsewhere
	held     sign = "held"     // what the router's page does with its outside port
	upnp     sign = "upnp"     // whether a device had the router open the port for itself
	wan      sign = "wan"      // what kind of address the router has outside
	address  sign = "address"  // whether the site is seen at the planned address
	name     sign = "name"     // whether the name stands for the address
	siblings sign = "siblings" // how other open services of the device fare from elsewhere
	others   sign = "others"   // how those of other devices behind the router do
	stray    sign = "stray"    // whether the device answers at an outside port nearby
	asks     sign = "asks"     // whether the device asks for a gateway that is not there
	stand    sign = "stand"    // whether a laptop is reached that stands in for the device
	walk     sign = "walk"     // what is found at the device itself; never observed from here
)

// likely is how likely each value of a sign is where a cause is at work. What is not told
// shares what is left.
type likely map[string]float64

// row is what is believed of a cause: how often it happens, of a hundred failures, and what
// it makes likely. A sign that a row does not name is as where nothing is wrong.
type row struct {
	cause string
	often float64
	signs map[sign]likely
}

// values are those of each sign. The first is what is seen where nothing is wrong.
var values = map[sign][]string{
	there:    {"planned", "nobody", "moved", "other"},
	inside:   {"answers", "refused", "silent"},
	outside:  {"same", "other", "router", "stranger", "as-unplanned", "otherwise"},
	held:     {"as-planned", "missing", "port", "protocol", "address", "router"},
	upnp:     {"clear", "over"},
	wan:      {"public", "private", "carrier"},
	address:  {"planned", "changed"},
	name:     {"right", "stale"},
	siblings: {"work", "fail"},
	others:   {"work", "fail"},
	stray:    {"none", "found"},
	asks:     {"quiet", "strange"},
	stand:    {"reached", "lost"},
	walk:     {"fine", "off", "elsewhere", "service", "gateway", "guarded"},
}

// usual is how a sign is where the cause has nothing to do with it: a little less than sure,
// since two things may be wrong at once and what is heard is not always true. The outside of
// a service that fails is never "same" for no reason.
var usual = map[sign]likely{
	there:    {"planned": 0.97, "nobody": 0.015, "moved": 0.005, "other": 0.01},
	inside:   {"answers": 0.96, "refused": 0.02, "silent": 0.02},
	outside:  {"same": 0.01, "other": 0.02, "router": 0.01, "stranger": 0.02, "as-unplanned": 0.6, "otherwise": 0.34},
	held:     {"as-planned": 0.97, "missing": 0.01, "port": 0.006, "protocol": 0.004, "address": 0.006, "router": 0.004},
	upnp:     {"clear": 0.985, "over": 0.015},
	wan:      {"public": 0.97, "private": 0.015, "carrier": 0.015},
	address:  {"planned": 0.97, "changed": 0.03},
	name:     {"right": 0.97, "stale": 0.03},
	siblings: {"work": 0.9, "fail": 0.1},
	others:   {"work": 0.9, "fail": 0.1},
	stray:    {"none": 0.995, "found": 0.005},
	asks:     {"quiet": 0.98, "strange": 0.02},
	stand:    {"reached": 0.97},
	walk:     {"fine": 0.97},
}

// everywhere is how others fare where a cause takes all that is behind a router.
var everywhere = likely{"work": 0.01, "fail": 0.99}

// atAll is how others fare where the wrong address is tried, or the right one that is not the
// planned.
var atAll = likely{"work": 0.6, "fail": 0.4}

// either is whether the site is seen at the planned address where others stand in between.
var either = likely{"planned": 0.5, "changed": 0.5}

// astray is where the router's half of the way, or what is in front of it, is at fault: a
// laptop that stands in for the device is not reached either.
var astray = likely{"reached": 0.02, "lost": 0.98}

// table is what each cause makes likely. How often each happens is reckoned from what
// installers tell: a typed line is wrong more often than anything else, then the device is
// off or not where it should be; what is in front of the router is rare, and then takes all.
var table = []row{
	{DeviceOff, 14, map[sign]likely{
		there: {"nobody": 0.97, "planned": 0.01}, inside: {"silent": 0.98, "answers": 0.005}, siblings: {"fail": 0.98},
		outside: {"as-unplanned": 0.6, "otherwise": 0.38}, walk: {"off": 0.95},
	}},
	{DeviceMoved, 9, map[sign]likely{
		there: {"moved": 0.96, "nobody": 0.02, "planned": 0.01}, inside: {"silent": 0.97, "answers": 0.005}, siblings: {"fail": 0.98},
		outside: {"as-unplanned": 0.6, "otherwise": 0.38}, walk: {"elsewhere": 0.95},
	}},
	{WrongDevice, 5, map[sign]likely{
		there: {"other": 0.97, "planned": 0.01}, inside: {"answers": 0.4, "refused": 0.4, "silent": 0.2}, siblings: {"fail": 0.9},
		outside: {"same": 0.25, "other": 0.1, "stranger": 0.15, "as-unplanned": 0.25, "otherwise": 0.25}, walk: {"elsewhere": 0.8},
	}},
	{DeviceRefuses, 11, map[sign]likely{
		inside: {"refused": 0.97, "answers": 0.005}, outside: {"as-unplanned": 0.4, "otherwise": 0.58}, walk: {"service": 0.95},
	}},
	{DeviceFirewall, 8, map[sign]likely{
		inside: {"silent": 0.85, "answers": 0.13, "refused": 0.02}, outside: {"as-unplanned": 0.6, "otherwise": 0.38}, siblings: {"work": 0.6, "fail": 0.4}, walk: {"guarded": 0.95},
	}},
	{DeviceGateway, 6, map[sign]likely{
		outside: {"as-unplanned": 0.6, "otherwise": 0.38}, siblings: {"fail": 0.985, "work": 0.015}, asks: {"strange": 0.6, "quiet": 0.4}, walk: {"gateway": 0.95},
	}},
	{ForwardMissing, 13, map[sign]likely{
		stand: astray, held: {"missing": 0.95, "as-planned": 0.04}, outside: {"as-unplanned": 0.9, "otherwise": 0.08}, siblings: {"work": 0.75, "fail": 0.25},
	}},
	{ForwardPort, 9, map[sign]likely{
		stand: astray, held: {"port": 0.95, "as-planned": 0.02}, outside: {"as-unplanned": 0.5, "otherwise": 0.35, "other": 0.1, "stranger": 0.04}, stray: {"found": 0.4, "none": 0.6},
	}},
	{ForwardProtocol, 5, map[sign]likely{
		stand: astray, held: {"protocol": 0.95, "as-planned": 0.02}, outside: {"as-unplanned": 0.9, "otherwise": 0.08},
	}},
	{ForwardAddress, 9, map[sign]likely{
		stand: astray, held: {"address": 0.95, "as-planned": 0.02}, outside: {"other": 0.35, "stranger": 0.1, "otherwise": 0.3, "as-unplanned": 0.24},
	}},
	{RouterAnswers, 3, map[sign]likely{
		stand: astray, outside: {"router": 0.93, "stranger": 0.05}, held: {"as-planned": 0.6, "router": 0.3, "missing": 0.1},
	}},
	{HeldByUPnP, 3, map[sign]likely{
		stand: astray, upnp: {"over": 0.97, "clear": 0.03}, outside: {"other": 0.35, "stranger": 0.25, "otherwise": 0.2, "as-unplanned": 0.19},
	}},
	{SecondRouter, 4, map[sign]likely{
		stand: astray, wan: {"private": 0.96, "public": 0.03}, address: either, name: {"right": 0.5, "stale": 0.5}, siblings: everywhere, others: everywhere, outside: {"as-unplanned": 0.93, "otherwise": 0.04},
	}},
	{CarrierNAT, 3, map[sign]likely{
		stand: astray, wan: {"carrier": 0.96, "public": 0.03}, address: either, name: {"right": 0.5, "stale": 0.5}, siblings: everywhere, others: everywhere, outside: {"as-unplanned": 0.93, "otherwise": 0.04},
	}},
	{ProviderBlocks, 2, map[sign]likely{
		stand: astray, outside: {"otherwise": 0.55, "as-unplanned": 0.44}, siblings: {"work": 0.8, "fail": 0.2},
	}},
	{AddressChanged, 4, map[sign]likely{
		address: {"changed": 0.985}, name: {"right": 0.8, "stale": 0.2}, outside: {"same": 0.75, "as-unplanned": 0.15, "otherwise": 0.1}, siblings: atAll, others: atAll,
	}},
	{NameStale, 3, map[sign]likely{
		name: {"stale": 0.985}, address: {"planned": 0.5, "changed": 0.5}, outside: {"same": 0.75, "as-unplanned": 0.15, "otherwise": 0.1}, siblings: atAll, others: atAll,
	}},
}

// blocked are the outside ports that providers are known to shut, and how much likelier that
// makes it.
var blocked = map[uint32]float64{25: 12, 135: 8, 137: 8, 138: 8, 139: 8, 445: 10, 80: 5, 443: 3, 53: 3, 23: 5, 1900: 4}

// of is how likely a value is where a cause is at work.
func (r row) of(s sign, value string) float64 {
	l, named := r.signs[s]
	if !named {
		l = usual[s]
	}
	return l.of(s, value)
}

func (l likely) of(s sign, value string) float64 {
	if p, told := l[value]; told {
		return p
	}
	left, untold := 1.0, 0
	for _, v := range values[s] {
		if p, told := l[v]; told {
			left -= p
		} else {
			untold++
		}
	}
	if untold == 0 {
		return 0.001
	}
	return max(left/float64(untold), 0.001)
}
