//go:build !linux

package whep

import "net"

func newSend(conn *net.UDPConn) func([]datagram) {
	return func(list []datagram) { sendSingly(conn, list) }
}
