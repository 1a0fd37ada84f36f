package testkit

import "net"

// FreePorts returns loopback addresses whose ports are free now.
func FreePorts(n int) ([]string, error) {
	addresses := make([]string, 0, n)
	for range n {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return nil, err
		}
		defer func() { _ = l.Close() }() // all at once at the end, so that they differ
		addresses = append(addresses, l.Addr().String())
	}
	return addresses, nil
}
