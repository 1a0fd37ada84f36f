package socket

import (
	"net"

	"golang.org/x/sys/unix"
)

// keepShort bounds what waits in the kernel unsent, so that what a slow viewer
// gets is new.
func keepShort(conn net.Conn, most int) { set(conn, unix.TCP_NOTSENT_LOWAT, most) }

// hold keeps back what does not fill a segment.
func hold(conn net.Conn, on bool) {
	value := 0
	if on {
		value = 1
	}
	set(conn, unix.TCP_CORK, value)
}

// set changes an option; without it everything works, only later or slower.
func set(conn net.Conn, option, value int) {
	tcp, ok := conn.(*net.TCPConn)
	if !ok {
		return
	}
	raw, err := tcp.SyscallConn()
	if err != nil {
		return
	}
	_ = raw.Control(func(fd uintptr) { _ = unix.SetsockoptInt(int(fd), unix.IPPROTO_TCP, option, value) })
}
