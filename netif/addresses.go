package netif

import (
	"net"
	"net/netip"
)

// Addresses are those of this machine that others come to, those of IPv4 first: neither of the
// machine alone nor of one link.
func Addresses() []netip.Addr {
	var four, six []netip.Addr
	all, _ := net.InterfaceAddrs() // none are none
	for _, a := range all {
		n, ok := a.(*net.IPNet)
		if !ok || !n.IP.IsGlobalUnicast() {
			continue
		}
		switch ip, _ := netip.AddrFromSlice(n.IP); {
		case ip.Unmap().Is4():
			four = append(four, ip.Unmap())
		default:
			six = append(six, ip)
		}
	}
	return append(four, six...)
}
