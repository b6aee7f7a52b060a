//go:build !linux

package wire

import "net/netip"

// What follows has no portable way; the survey goes on with what there is.

func gateways() map[string]netip.Addr { return nil }

func kindOf(string) string { return "" }

func leaseOf(int, string, netip.Addr) (netip.Addr, int) { return netip.Addr{}, 0 }

// Frames are permitted on Linux only.
func (Here) Frames(Link) (Frames, error) { return nil, ErrNotPermitted }

// Neighbours are known on Linux only; elsewhere the output of arp can be pasted.
func (Here) Neighbours(Link) ([]Neighbour, error) { return nil, ErrNotKnown }

func shape(uintptr, Link, uint16) error { return nil }

func direct(uintptr) error { return nil }
