// Package next says what comes next at a site, in one line, in the order of the work.
package next

import "fmt"

// Counts are what there is at a site and what of it is done.
type Counts struct {
	Networks, Devices, Unnamed int
	Services                   int // that are entered, opened or kept in
	Want, Pinned               int // interfaces that are pinned or are to be; those that are
	Open, Opened               int // services to be opened; those that something leads to
	Steps, Done                int // of the sheet
	Tried, Works               int // of the services to be opened
}

// Work is what comes next, and the station where it is done.
type Work struct {
	Says    string `json:"says"`
	Station string `json:"station" enum:"survey,addresses,ports,place,checks"`
}

// Of gives what comes next.
func Of(c Counts) Work {
	switch {
	case c.Networks == 0:
		return Work{"Add the network, with the + on the line above.", "survey"}
	case c.Devices == 0:
		return Work{"Sweep the network, or paste the router's list of devices.", "survey"}
	case c.Unnamed > 0:
		return Work{fmt.Sprintf("Name %s.", some(c.Unnamed, "device")), "survey"}
	case c.Services == 0:
		return Work{"Say what each device is wanted for.", "ports"}
	case c.Pinned < c.Want:
		return Work{fmt.Sprintf("Pin %s.", some(c.Want-c.Pinned, "device")), "addresses"}
	case c.Opened < c.Open:
		return Work{fmt.Sprintf("Find %s an outside port.", some(c.Open-c.Opened, "service")), "ports"}
	case c.Done < c.Steps:
		return Work{fmt.Sprintf("Put %s in place.", some(c.Steps-c.Done, "step")), "place"}
	case c.Tried < c.Open:
		return Work{"Check from inside and outside that all of it works.", "checks"}
	case c.Works < c.Open:
		return Work{fmt.Sprintf("Look why %s not work.", do(c.Open-c.Works, "service")), "checks"}
	default:
		return Work{"Everything is in place and works.", "checks"}
	}
}

func some(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

func do(n int, what string) string {
	if n == 1 {
		return "1 " + what + " does"
	}
	return some(n, what) + " do"
}
