package rtsp

import (
	"fmt"
	"net"

	"webostrum/core/rtspmsg"
	"webostrum/netif"
)

// udpPair is two neighbouring ports, the lower one even (RFC 3550, section 11).
type udpPair struct {
	rtp, rtcp         *net.UDPConn
	peerRTP, peerRTCP *net.UDPAddr
}

func listenPair(local net.Addr) (*udpPair, error) {
	const tries = 32
	ip := local.(*net.TCPAddr).IP
	var last error
	for range tries {
		a, err := net.ListenUDP("udp", &net.UDPAddr{IP: ip})
		if err != nil {
			return nil, err
		}
		port := a.LocalAddr().(*net.UDPAddr).Port
		if port%2 == 0 && port < 0xffff {
			b, err := net.ListenUDP("udp", &net.UDPAddr{IP: ip, Port: port + 1})
			if err == nil {
				const buffer = 2 << 20 // a large keyframe comes as one burst
				_ = a.SetReadBuffer(buffer)
				return &udpPair{rtp: a, rtcp: b}, nil
			}
			last = err
		}
		_ = a.Close()
	}
	return nil, last
}

// joinPair joins the group that a camera sends to, on the interface by which it is reached.
func joinPair(local, remote net.Addr, got rtspmsg.Transport) (*udpPair, error) {
	group := net.ParseIP(got.Destination)
	if group == nil || !group.IsMulticast() || got.Port[0] == 0 {
		return nil, fmt.Errorf("it names no group: destination %.40q, port %d", got.Destination, got.Port[0])
	}
	on := netif.Of(local.(*net.TCPAddr).IP)
	data, err := net.ListenMulticastUDP("udp", on, &net.UDPAddr{IP: group, Port: got.Port[0]})
	if err != nil {
		return nil, err
	}
	control, err := net.ListenMulticastUDP("udp", on, &net.UDPAddr{IP: group, Port: got.Port[1]})
	if err != nil {
		_ = data.Close()
		return nil, err
	}
	from := &net.UDPAddr{IP: remote.(*net.TCPAddr).IP}
	if source := net.ParseIP(got.Source); source != nil {
		from.IP = source
	}
	return &udpPair{rtp: data, rtcp: control, peerRTP: from, peerRTCP: from}, nil
}

func (p *udpPair) ports() [2]int {
	port := p.rtp.LocalAddr().(*net.UDPAddr).Port
	return [2]int{port, port + 1}
}

// aim notes where the camera sends from, and opens the way for it in firewalls
// between by sending it something first.
func (p *udpPair) aim(remote net.Addr, got rtspmsg.Transport) {
	ip := remote.(*net.TCPAddr).IP
	if source := net.ParseIP(got.Source); source != nil {
		ip = source
	}
	p.peerRTP = &net.UDPAddr{IP: ip, Port: got.ServerPort[0]}
	p.peerRTCP = &net.UDPAddr{IP: ip, Port: got.ServerPort[1]}
	if got.ServerPort[0] == 0 {
		return
	}
	hello := []byte{0x80, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0} // an RTP packet without payload
	_, _ = p.rtp.WriteToUDP(hello, p.peerRTP)
	emptyReport := []byte{0x80, 201, 0, 1, 0, 0, 0, 0} // a receiver report about nobody
	_, _ = p.rtcp.WriteToUDP(emptyReport, p.peerRTCP)
}

func (p *udpPair) close() {
	_ = p.rtp.Close()
	_ = p.rtcp.Close()
}
