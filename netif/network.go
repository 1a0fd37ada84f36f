package netif

import (
	"net"
	"net/netip"
)

// Networks that are taken for one where this machine is in neither: what is usually given to
// a site.
const (
	usual4 = 24
	usual6 = 64
)

// SameNetwork says whether two addresses are in one network: in that of an interface of this
// machine, or else with the same first 24 bits, of IPv6 64. Names are in none.
func SameNetwork(a, b string) bool {
	x, errX := netip.ParseAddr(a)
	y, errY := netip.ParseAddr(b)
	if errX != nil || errY != nil {
		return false
	}
	x, y = x.Unmap().WithZone(""), y.Unmap().WithZone("")
	all, _ := net.InterfaceAddrs() // none are none
	for _, at := range all {
		if n, ok := at.(*net.IPNet); ok && n.Contains(x.AsSlice()) && n.Contains(y.AsSlice()) {
			return true
		}
	}
	bits := usual4
	if x.Is6() {
		bits = usual6
	}
	p, err := x.Prefix(bits)
	return err == nil && p.Contains(y)
}
