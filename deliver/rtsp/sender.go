package rtsp

import (
	"context"
	"errors"
	"math/rand/v2"
	"net"
	"time"

	"github.com/pion/rtcp"
	"golang.org/x/net/ipv4"

	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/core/rtspmsg"
	"webostrum/core/timeline"
	"webostrum/netif"
)

const (
	mtu          = 1400
	reportsEvery = 5 * time.Second
)

// sender is a way to a viewer.
type sender interface {
	use(ssrc uint32)
	ssrc() uint32
	rtp(packets [][]byte) bool
	frames(b []byte) bool // packets as a wire has them
	rtcp(packet []byte) bool
	close()
}

type source struct{ id uint32 }

func (s *source) use(ssrc uint32) { s.id = ssrc }
func (s *source) ssrc() uint32    { return s.id }

// tcpSender interleaves (RFC 2326, 10.12); a picture is one write.
type tcpSender struct {
	source
	c        *connection
	channels [2]int
	buf      []byte
}

func (t *tcpSender) frame(channel int, data []byte) {
	t.buf = append(t.buf, rtspmsg.Magic, byte(channel), byte(len(data)>>8), byte(len(data)))
	t.buf = append(t.buf, data...)
}

func (t *tcpSender) rtp(packets [][]byte) bool {
	t.buf = t.buf[:0]
	for _, p := range packets {
		t.frame(t.channels[0], p)
	}
	return len(t.buf) == 0 || t.c.write(t.buf)
}

// frames sends them as they are where the viewer wants them on that channel.
func (t *tcpSender) frames(b []byte) bool {
	if len(b) < frameHead {
		return true
	}
	if int(b[1]) != t.channels[0] {
		t.buf = t.buf[:0]
		packets(b, func(p []byte) bool { t.frame(t.channels[0], p); return true })
		b = t.buf
	}
	return t.c.write(b)
}

func (t *tcpSender) rtcp(packet []byte) bool {
	t.buf = t.buf[:0]
	t.frame(t.channels[1], packet)
	return t.c.write(t.buf)
}

func (t *tcpSender) close() {}

type udpSender struct {
	source
	data, control     *net.UDPConn
	toData, toControl *net.UDPAddr
}

func newUDPSender(conn net.Conn, ports [2]int) (*udpSender, error) {
	local, remote := conn.LocalAddr().(*net.TCPAddr).IP, conn.RemoteAddr().(*net.TCPAddr).IP
	data, err := net.ListenUDP("udp", &net.UDPAddr{IP: local})
	if err != nil {
		return nil, err
	}
	control, err := net.ListenUDP("udp", &net.UDPAddr{IP: local})
	if err != nil {
		_ = data.Close()
		return nil, err
	}
	return &udpSender{
		data: data, control: control,
		toData:    &net.UDPAddr{IP: remote, Port: ports[0]},
		toControl: &net.UDPAddr{IP: remote, Port: ports[1]},
	}, nil
}

// newGroupSender sends to a group on the interface that the connection came by, and no
// further than its network.
func newGroupSender(conn net.Conn, group net.IP) (u *udpSender, port [2]int, err error) {
	u, err = newUDPSender(conn, [2]int{1, 1})
	if err != nil {
		return nil, port, err
	}
	port[0] = u.ports()[0]&0x3ffe | 0x4000 // even, and none of those that systems give out by themselves
	port[1] = port[0] + 1
	on := netif.Of(conn.LocalAddr().(*net.TCPAddr).IP)
	for _, c := range []*net.UDPConn{u.data, u.control} {
		p := ipv4.NewPacketConn(c)
		if err := errors.Join(p.SetMulticastInterface(on), p.SetMulticastLoopback(true), p.SetMulticastTTL(1)); err != nil {
			u.close()
			return nil, port, err
		}
	}
	u.toData, u.toControl = &net.UDPAddr{IP: group, Port: port[0]}, &net.UDPAddr{IP: group, Port: port[1]}
	return u, port, nil
}

func (u *udpSender) ports() [2]int {
	return [2]int{u.data.LocalAddr().(*net.UDPAddr).Port, u.control.LocalAddr().(*net.UDPAddr).Port}
}

func (u *udpSender) rtp(packets [][]byte) bool {
	for _, p := range packets {
		if _, err := u.data.WriteToUDP(p, u.toData); err != nil {
			return false
		}
	}
	return true
}

func (u *udpSender) frames(b []byte) bool {
	return packets(b, func(p []byte) bool {
		_, err := u.data.WriteToUDP(p, u.toData)
		return err == nil
	})
}

func (u *udpSender) rtcp(packet []byte) bool {
	_, err := u.control.WriteToUDP(packet, u.toControl)
	return err == nil
}

func (u *udpSender) close() {
	_ = u.data.Close()
	_ = u.control.Close()
}

// play starts the goroutines that send; end waits for them.
func (c *connection) play() {
	ctx, cancel := context.WithCancel(c.server.ctx)
	c.playing = cancel
	for _, p := range c.parts {
		c.wg.Go(func() {
			defer func() { cancel(); _ = c.conn.Close() }()
			c.server.guarded(func() {
				if p.wire != nil {
					c.sendShared(ctx, p)
				} else {
					c.sendAll(ctx, p)
				}
			})
		})
	}
}

func (c *connection) sendAll(ctx context.Context, p *part) {
	reader := p.hub.NewReader()
	defer reader.Close()
	z := &rtp.Packetizer{
		SSRC: p.out.ssrc(), PayloadType: p.payloadType, MTU: mtu,
		Sequence: uint16(rand.Uint32()), Base: rand.Uint32(),
	}
	var reported time.Time
	for {
		s, _, err := reader.Next(ctx)
		if err != nil {
			return
		}
		if now := time.Now(); now.Sub(reported) >= reportsEvery && !c.server.cfg.NoReports {
			reported = now
			if !p.out.rtcp(p.sealReport(senderReport(z, s))) {
				return
			}
		}
		if !p.out.rtp(p.seal(c.filtered(s.Track, marshalled(z, s)))) {
			return
		}
	}
}

func (c *connection) filtered(track *media.Track, packets [][]byte) [][]byte {
	if filter := c.server.cfg.Filter; filter != nil {
		return filter(track, packets)
	}
	return packets
}

func marshalled(z *rtp.Packetizer, s *media.Sample) [][]byte {
	packets := z.Packets(s)
	out := make([][]byte, 0, len(packets))
	for _, p := range packets {
		if b, err := p.Marshal(); err == nil {
			out = append(out, b)
		}
	}
	return out
}

// senderReport says at what wall-clock time a sample was taken.
func senderReport(z *rtp.Packetizer, s *media.Sample) []byte {
	return report(z.SSRC, s.Captured, z.Base+uint32(s.PTS))
}

// report says at what wall-clock time an RTP timestamp was taken (RFC 3550, 6.4.1).
func report(ssrc uint32, captured time.Time, stamp uint32) []byte {
	b, err := (&rtcp.SenderReport{SSRC: ssrc, NTPTime: timeline.ToNTP(captured), RTPTime: stamp}).Marshal()
	if err != nil {
		return nil
	}
	return b
}
