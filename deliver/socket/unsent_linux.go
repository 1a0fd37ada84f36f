package socket

import (
	"net"

	"golang.org/x/sys/unix"
)

// keepShort bounds what waits in the kernel unsent, so that what a slow viewer
// gets is new.
func keepShort(conn net.Conn, most int) {
	tcp, ok := conn.(*net.TCPConn)
	if !ok {
		return
	}
	raw, err := tcp.SyscallConn()
	if err != nil {
		return
	}
	_ = raw.Control(func(fd uintptr) { // without it everything works, only with older pictures
		_ = unix.SetsockoptInt(int(fd), unix.IPPROTO_TCP, unix.TCP_NOTSENT_LOWAT, most)
	})
}
