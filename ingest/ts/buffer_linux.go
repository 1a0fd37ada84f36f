package ts

import (
	"encoding/binary"
	"net"
	"syscall"

	"golang.org/x/sys/unix"
)

// controlSize has room for the count of datagrams that were lost.
var controlSize = unix.CmsgSpace(4)

// bufferOf is how many bytes of datagrams the kernel keeps: half of what it says, since it
// counts what it needs besides.
func bufferOf(conn *net.UDPConn) (n int) {
	withSocket(conn, func(fd int) {
		if v, err := unix.GetsockoptInt(fd, unix.SOL_SOCKET, unix.SO_RCVBUF); err == nil {
			n = v / 2
		}
	})
	return n
}

// reportOverflow has the kernel tell how many datagrams found no room.
func reportOverflow(conn *net.UDPConn) {
	withSocket(conn, func(fd int) { _ = unix.SetsockoptInt(fd, unix.SOL_SOCKET, unix.SO_RXQ_OVFL, 1) })
}

// overflowOf reads the count that came with a datagram.
func overflowOf(control []byte) (n uint32, ok bool) {
	list, err := unix.ParseSocketControlMessage(control)
	if err != nil {
		return 0, false
	}
	for _, m := range list {
		if m.Header.Level == unix.SOL_SOCKET && m.Header.Type == unix.SO_RXQ_OVFL && len(m.Data) >= 4 {
			return binary.NativeEndian.Uint32(m.Data), true
		}
	}
	return 0, false
}

func withSocket(conn syscall.Conn, what func(fd int)) {
	if raw, err := conn.SyscallConn(); err == nil {
		_ = raw.Control(func(fd uintptr) { what(int(fd)) })
	}
}
