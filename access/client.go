package access

import (
	"net"
	"net/netip"
)

// HostOf is the host of an address with a port.
func HostOf(address string) string {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return address
	}
	return host
}

// ClientOf is what limits count by: the address, or of IPv6 its first 64 bits, since
// whoever has one of those has all.
func ClientOf(address string) string {
	host := HostOf(address)
	at, err := netip.ParseAddr(host)
	if err != nil {
		return host
	}
	at = at.Unmap()
	const network = 64
	if at.Is6() {
		if p, err := at.WithZone("").Prefix(network); err == nil {
			return p.String()
		}
	}
	return at.String()
}
