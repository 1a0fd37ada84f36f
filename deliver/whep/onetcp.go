package whep

import (
	"net"

	"github.com/pion/ice/v4"
)

// Where viewers are told of other addresses than this machine has, all of its own stand for
// the same: the one that is left of them would take connections to one of them alone. So all
// connections of a family of addresses are taken for connections to the same address.

// at is that address for one of the machine's own.
func at(ip net.IP) net.IP {
	if ip.To4() != nil {
		return net.IPv4(127, 0, 0, 1)
	}
	return net.IPv6loopback
}

// anyAddress is a listener whose connections all came to the same address.
type anyAddress struct{ net.Listener }

func (l anyAddress) Accept() (net.Conn, error) {
	conn, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	return cameTo{conn}, nil
}

type cameTo struct{ net.Conn }

func (c cameTo) LocalAddr() net.Addr {
	tcp, ok := c.Conn.LocalAddr().(*net.TCPAddr)
	if !ok {
		return c.Conn.LocalAddr()
	}
	return &net.TCPAddr{IP: at(tcp.IP), Port: tcp.Port}
}

// oneTCP looks sessions up by that address.
type oneTCP struct{ *ice.TCPMuxDefault }

// GetConnByUfrag implements ice.TCPMux.
func (m oneTCP) GetConnByUfrag(ufrag string, six bool, local net.IP) (net.PacketConn, error) {
	return m.TCPMuxDefault.GetConnByUfrag(ufrag, six, at(local))
}
