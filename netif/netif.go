// Package netif finds network interfaces, and writes hosts.
package netif

import (
	"net"
	"strings"
)

// Of is the interface that has an address; nil where there is none.
func Of(ip net.IP) *net.Interface {
	all, err := net.Interfaces()
	if err != nil {
		return nil
	}
	for _, i := range all {
		addresses, _ := i.Addrs() // one that is gone has none
		for _, a := range addresses {
			if n, ok := a.(*net.IPNet); ok && n.IP.Equal(ip) {
				return &i
			}
		}
	}
	return nil
}

// HostPort joins a host and a port, which may be empty, as they stand in an address.
func HostPort(host, port string) string {
	switch {
	case port != "":
		return net.JoinHostPort(host, port)
	case strings.Contains(host, ":"):
		return "[" + host + "]"
	}
	return host
}
