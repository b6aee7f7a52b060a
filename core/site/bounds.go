package site

// The bounds of what is taken. They keep one request from costing more than a
// laptop has, and lie well beyond what one person can look after: a site of the
// largest kind in docs is 400 devices and 1,000 forwards.
const (
	// Texts, in characters: a name fits on a label, a note on a page.
	longestName = 200
	longestID   = 100
	longestNote = 500
	longestStep = 300
	longestTime = 40

	longestSeparator = 10

	// Things of a site.
	mostNetworks = 96 // one behind each router, and some more
	mostRouters  = 64
	MostDevices  = 4000
	mostForwards = 10000
	mostVisits   = 500
	mostMakers   = 2000
	MostKinds    = 200   // of device
	mostLinks    = 200   // with other sites
	mostDone     = 20000 // a step or two for each device and forward
	mostProofs   = 200

	// Parts of a thing. A router's page has room for fewer senders, and no device
	// can be set to more ports.
	mostDNS        = 16
	mostRanges     = 64
	mostBands      = 64
	mostKinds      = 64
	mostOfKind     = 64
	mostKeepFree   = 256
	mostServers    = 32
	mostOwnPorts   = 256
	MostHeld       = 2000
	mostProtocols  = 3
	mostInterfaces = 32
	mostServices   = 64
	mostEvidence   = 100
	mostTraits     = 100
	mostSenders    = 64
	mostCanSetTo   = 64
	mostFields     = 40
	mostSays       = 20
	mostSeen       = 2 * MostDevices
	mostProved     = 20000
	mostNotes      = 64
	MostCrowds     = 16

	// MostEdits is how many edits are made at once: a suggestion for the largest
	// site takes fewer.
	MostEdits = 10000
	// mostUndo is how much a batch of edits may overwrite, in bytes of JSON: it is
	// kept in the journal.
	mostUndo = 32 << 20

	// JSON: how deep, and how many values. The largest site that was ever made has
	// some 300,000.
	deepest    = 40
	mostValues = 1_000_000
)
