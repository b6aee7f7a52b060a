package site

// The bounds of what is taken. They keep one request from costing more than a
// laptop has, and lie well beyond what one person can look after: a site of the
// largest kind in docs is 400 devices and 1,000 forwards.
const (
	// Texts, in characters: a name fits on a label, a note on a page.
	LongestName = 200
	LongestID   = 100
	LongestNote = 500
	LongestStep = 300
	LongestTime = 40

	LongestSeparator = 10

	// Regular expressions of kinds: characters, and the steps of one and of all, each
	// repetition written out.
	LongestExpression = 300
	MostSteps         = 1000
	MostAllSteps      = 30_000

	// Things of a site.
	MostNetworks = 96 // one behind each router, and some more
	MostRouters  = 64
	MostDevices  = 4000
	MostForwards = 10000
	MostVisits   = 500
	MostMakers   = 2000
	MostOwnKinds = 200   // of device
	MostLinks    = 200   // with other sites
	MostDone     = 20000 // a step or two for each device and forward
	MostProofs   = 200

	// Parts of a thing. A router's page has room for fewer senders, and no device
	// can be set to more ports.
	MostDNS        = 16
	MostRanges     = 64
	MostBands      = 64
	MostKinds      = 64
	MostOfKind     = 64
	MostKeepFree   = 256
	MostServers    = 32
	MostOwnPorts   = 256
	MostHeld       = 2000
	MostProtocols  = 3
	MostInterfaces = 32
	MostServices   = 64
	MostEvidence   = 100
	MostTraits     = 100
	MostSenders    = 64
	MostCanSetTo   = 64
	MostFields     = 40
	MostSays       = 20
	MostSeen       = 2 * MostDevices
	MostProved     = 20000
	MostNotes      = 64
	MostCrowds     = 16
)
