package testkit

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
)

// Ports that the system gives to nobody by itself, so that between looking and listening
// only another test can take one, by chance.
const (
	firstPort = 12_000
	lastPort  = 32_000
	portTries = 200
)

// FreePorts returns loopback addresses whose ports are free now.
func FreePorts(n int) ([]string, error) {
	addresses := make([]string, 0, n)
	for range portTries {
		l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", firstPort+rand.IntN(lastPort-firstPort)))
		if err != nil {
			continue
		}
		defer func() { _ = l.Close() }() // all at once at the end, so that they differ
		if addresses = append(addresses, l.Addr().String()); len(addresses) == n {
			return addresses, nil
		}
	}
	return nil, errors.New("testkit: no free port was found")
}
