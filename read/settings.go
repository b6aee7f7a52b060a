package read

import (
	"strings"

	"vestpin/core/sighting"
)

// Settings reads what a computer prints of its own network, also a part of it without the
// heading of its adapter. The facts are empty where no network is told.
func Settings(source, text string) (sighting.Facts, error) {
	r, err := Text(source, "own-settings", []byte(text))
	if err != nil || r.Facts.Own.IsValid() || r.Facts.Subnet.IsValid() || len(r.Facts.Adapters) > 0 {
		return r.Facts, err
	}
	part := "Ethernet adapter LAN:\n\n   " + strings.ReplaceAll(strings.TrimSpace(text), "\n", "\n   ") + "\n"
	r, err = Text(source, "own-settings", []byte(part))
	return r.Facts, err
}
