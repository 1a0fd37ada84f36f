package ts

import (
	"context"
	"errors"
	"net"
	"net/netip"
	"net/url"
	"strconv"
	"syscall"
	"time"

	prtp "github.com/pion/rtp"
	"golang.org/x/net/ipv4"
	"golang.org/x/net/ipv6"

	"webostrum/core/fault"
	"webostrum/core/mpegts"
	"webostrum/core/rtp"
	"webostrum/ingest/source"
)

const (
	wantedBuffer = 4 << 20 // bytes in the kernel
	maxDatagram  = 1 << 16
	reorderWait  = 100 * time.Millisecond
	payloadMP2T  = 33 // RFC 3551, table 5
	tick         = 250 * time.Millisecond
	otherSender  = time.Second // of silence, until another may take over
)

// Play receives a stream by its address until ctx ends or the stream does:
//
//	udp://192.0.2.7:5004    to that address of this machine; 0.0.0.0, or none, for all
//	udp://239.1.2.3:5004    to a group; ?source=192.0.2.9 takes one sender's, ?interface=eth0 joins there
//	rtp://…                 the same; packets say themselves whether they are RTP
//	tcp://192.0.2.7:5004    opened there
//
// ?program=2 takes that program of several. The error is a *fault.Error unless it is the
// context's.
func Play(ctx context.Context, cfg source.Config) (next uint64, err error) {
	u, err := cfg.Validate("udp", "rtp", "tcp")
	if err != nil {
		return cfg.FirstEpoch, err
	}
	if u.Scheme == "tcp" {
		return playTCP(ctx, cfg, u)
	}
	s, err := New(cfg, "udp", u.Query())
	if err != nil {
		return cfg.FirstEpoch, err
	}
	conn, err := listen(u)
	if err != nil {
		return cfg.FirstEpoch, err
	}
	defer func() { _ = conn.Close() }()
	stop := context.AfterFunc(ctx, func() { _ = conn.Close() })
	defer stop()
	cfg.Waiting()
	r := &datagrams{Session: s, conn: conn}
	r.mu.Lock()
	r.buffer = bufferOf(conn)
	r.mu.Unlock()
	r.reorder.Wait = reorderWait
	err = r.run()
	if ctx.Err() != nil {
		err = ctx.Err()
	}
	return s.Next(), err
}

// listen opens the port that an address names, and joins its group.
func listen(u *url.URL) (*net.UDPConn, error) {
	ip := netip.IPv4Unspecified()
	if host := u.Hostname(); host != "" {
		var err error
		if ip, err = netip.ParseAddr(host); err != nil {
			return nil, fault.New(fault.ListenRefused, err, "%s is no IP address", host)
		}
	}
	port, err := strconv.ParseUint(u.Port(), 10, 16)
	if err != nil || port == 0 {
		return nil, fault.New(fault.ListenRefused, err, "the address names no port")
	}
	conn, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(netip.AddrPortFrom(ip, uint16(port))))
	switch {
	case errors.Is(err, syscall.EADDRINUSE):
		return nil, fault.New(fault.ListenTaken, err, "%s", u.Host)
	case err != nil:
		return nil, fault.New(fault.ListenRefused, err, "%v", err)
	}
	if ip.IsMulticast() {
		if err := join(conn, ip, u.Query()); err != nil {
			return nil, errors.Join(err, conn.Close())
		}
	}
	_ = conn.SetReadBuffer(wantedBuffer) // as much as the system allows
	reportOverflow(conn)
	return conn, nil
}

// join joins a group, of one sender's where the query names one (RFC 4607).
func join(conn *net.UDPConn, group netip.Addr, query url.Values) error {
	var on *net.Interface
	if name := query.Get("interface"); name != "" {
		var err error
		if on, err = net.InterfaceByName(name); err != nil {
			return fault.New(fault.ListenRefused, err, "there is no network interface %q", name)
		}
	}
	g := &net.UDPAddr{IP: group.AsSlice()}
	var one *net.UDPAddr
	if text := query.Get("source"); text != "" {
		ip, err := netip.ParseAddr(text)
		if err != nil {
			return fault.New(fault.ListenRefused, err, "source=%.40q is no IP address", text)
		}
		one = &net.UDPAddr{IP: ip.AsSlice()}
	}
	var err error
	switch {
	case group.Is4() && one != nil:
		err = ipv4.NewPacketConn(conn).JoinSourceSpecificGroup(on, g, one)
	case group.Is4():
		err = ipv4.NewPacketConn(conn).JoinGroup(on, g)
	case one != nil:
		err = ipv6.NewPacketConn(conn).JoinSourceSpecificGroup(on, g, one)
	default:
		err = ipv6.NewPacketConn(conn).JoinGroup(on, g)
	}
	if err != nil {
		return fault.New(fault.GroupRefused, err, "%s: %v", group, err)
	}
	return nil
}

// datagrams receives a stream by datagrams.
type datagrams struct {
	*Session
	conn    *net.UDPConn
	sender  netip.AddrPort // whose stream it is
	heard   time.Time      // when it sent last
	reorder rtp.Reorderer
}

// run receives until the stream falls silent.
func (d *datagrams) run() error {
	buf, control := make([]byte, maxDatagram), make([]byte, controlSize)
	for {
		_ = d.conn.SetReadDeadline(time.Now().Add(tick))
		n, nc, _, from, err := d.conn.ReadMsgUDPAddrPort(buf, control)
		now := time.Now()
		var late net.Error
		switch {
		case err == nil:
			if err := d.datagram(buf[:n], control[:nc], from, now); err != nil {
				return err
			}
		case errors.As(err, &late) && late.Timeout():
			if !d.heard.IsZero() && now.Sub(d.heard) >= d.cfg.StallAfter {
				return d.silence()
			}
		default:
			return fault.New(fault.ListenRefused, err, "%v", err)
		}
	}
}

// datagram takes one; those of another sender than the first are counted and left out while
// that one sends.
func (d *datagrams) datagram(b, control []byte, from netip.AddrPort, now time.Time) error {
	if n, ok := overflowOf(control); ok {
		d.mu.Lock()
		d.overflow = uint64(n)
		d.mu.Unlock()
	}
	if from != d.sender {
		if !d.heard.IsZero() && now.Sub(d.heard) < otherSender {
			d.mu.Lock()
			d.others++
			d.mu.Unlock()
			return nil
		}
		d.sender = from
		d.reorder.Restart()
		d.mu.Lock()
		d.from = from.String()
		d.mu.Unlock()
	}
	d.heard = now
	if len(b) > 0 && b[0]>>6 == 2 && len(b)%mpegts.PacketSize != 0 { // RTP's version
		return d.packet(b, now)
	}
	return d.Feed(b, now)
}

// packet takes a datagram that is an RTP packet.
func (d *datagrams) packet(b []byte, now time.Time) (err error) {
	p := &prtp.Packet{}
	if p.Unmarshal(append([]byte(nil), b...)) != nil {
		return nil
	}
	if p.PayloadType != payloadMP2T && (len(p.Payload) == 0 || p.Payload[0] != 0x47) {
		d.mu.Lock()
		d.others++
		d.mu.Unlock()
		return nil
	}
	d.mu.Lock()
	d.transport = "rtp"
	d.mu.Unlock()
	d.reorder.Push(p, now, func(p *prtp.Packet, _ int, _ bool) {
		if err == nil {
			err = d.Feed(p.Payload, now)
		}
	})
	return err
}
