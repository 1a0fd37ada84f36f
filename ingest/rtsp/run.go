package rtsp

import (
	"context"
	"errors"
	"net"
	"os"
	"sync"
	"time"

	"github.com/pion/rtcp"

	"webostrum/core/fault"
	"webostrum/core/rtspmsg"
	"webostrum/ingest/dial"
	"webostrum/ingest/source"
)

const (
	reportEvery    = 5 * time.Second
	mostKeepalive  = 25 * time.Second
	leastKeepalive = 2 * time.Second
	tick           = 250 * time.Millisecond
	maxDatagram    = 1 << 16

	// keyframePatience is how long packets may come without a picture that
	// decoding could start with.
	keyframePatience = 90 * time.Second
)

// run receives until something ends it, and says what.
func (s *Session) run(ctx context.Context) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var parts sync.WaitGroup
	part := func(f func() error) {
		parts.Go(func() { cancel(f()) })
	}
	_ = s.control.conn.SetReadDeadline(time.Time{})
	part(s.readControl)
	part(func() error { return s.watch(ctx) })
	if s.udp != nil {
		part(func() error { return s.readUDP(s.udp.rtp, s.udp.peerRTP, s.rtpPacket) })
		part(func() error { return s.readUDP(s.udp.rtcp, s.udp.peerRTCP, s.rtcpPacket) })
	}
	<-ctx.Done()
	err := context.Cause(ctx)
	// Ends the reads; close, which comes after, still says goodbye.
	past := time.Unix(1, 0)
	_ = s.control.conn.SetReadDeadline(past)
	if s.udp != nil {
		_ = s.udp.rtp.SetReadDeadline(past)
		_ = s.udp.rtcp.SetReadDeadline(past)
	}
	parts.Wait()
	return err
}

// readControl reads the RTSP connection: interleaved data and the answers to
// keepalives.
func (s *Session) readControl() error {
	for {
		m, channel, data, err := s.control.reader.Next()
		switch {
		case errors.Is(err, rtspmsg.ErrMalformed):
			return fault.New(fault.Garbled, err, "while playing: %v", err)
		case err != nil:
			return dial.BrokenOff(err, "playing")
		case m != nil && m.Method == "":
			if err := s.answered(m); err != nil {
				return err
			}
		case m == nil && int(channel) == s.channels[0] && s.way == source.TCP:
			s.rtpPacket(data, time.Now())
		case m == nil && int(channel) == s.channels[1] && s.way == source.TCP:
			if err := s.rtcpData(data, time.Now()); err != nil {
				return err
			}
		}
	}
}

// answered looks at the answer to a keepalive.
func (s *Session) answered(m *rtspmsg.Message) error {
	const sessionNotFound = 454
	switch m.Status {
	case 401:
		if err := s.control.challenged(m); err != nil {
			return err
		}
		return s.keepalive()
	case sessionNotFound:
		return fault.New(fault.HungUp, nil, "it has forgotten the session")
	}
	return nil // a camera that dislikes the method has still seen a sign of life
}

func (s *Session) keepalive() error {
	method := "OPTIONS"
	if s.methods["GET_PARAMETER"] {
		method = "GET_PARAMETER"
	}
	if _, err := s.control.send(method, s.aggregate, nil); err != nil {
		return dial.BrokenOff(err, method)
	}
	return nil
}

// watch sends keepalives and reports, and notices when nothing comes any more.
func (s *Session) watch(ctx context.Context) error {
	ticker := time.NewTicker(tick)
	defer ticker.Stop()
	interval := max(min(s.lifetime/2, mostKeepalive), leastKeepalive)
	now := time.Now()
	begun, alive, report, moved, seen := now, now, now, now, int64(0)
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case now = <-ticker.C:
		}
		if n := s.packets.Load(); n != seen {
			seen, moved = n, now
		}
		if quiet := now.Sub(moved); quiet >= s.cfg.StallAfter {
			if seen == 0 {
				return fault.New(fault.Silent, nil, "nothing in %v over %s", s.cfg.StallAfter, s.way)
			}
			return fault.New(fault.Stalled, nil, "nothing for %v", s.cfg.StallAfter)
		}
		if !s.started.Load() && now.Sub(begun) >= keyframePatience {
			return fault.New(fault.NoKeyframe, nil, "none in %v", keyframePatience)
		}
		if now.Sub(alive) >= interval {
			alive = now
			if err := s.keepalive(); err != nil {
				return err
			}
		}
		if now.Sub(report) >= reportEvery && seen > 0 {
			report = now
			s.sendReport(now)
		}
	}
}

func (s *Session) readUDP(conn *net.UDPConn, peer *net.UDPAddr, take func([]byte, time.Time)) error {
	buf := make([]byte, maxDatagram)
	for {
		n, from, err := conn.ReadFromUDP(buf)
		if errors.Is(err, os.ErrDeadlineExceeded) || errors.Is(err, net.ErrClosed) {
			return err
		}
		if err != nil {
			continue // an ICMP message about something we sent
		}
		if peer != nil && !from.IP.Equal(peer.IP) {
			continue // a stranger
		}
		// Packets may wait for others, so each has its own bytes.
		take(append([]byte(nil), buf[:n]...), time.Now())
	}
}

func (s *Session) rtcpPacket(data []byte, now time.Time) { _ = s.rtcpData(data, now) }

// rtcpData takes a compound RTCP packet.
func (s *Session) rtcpData(data []byte, now time.Time) error {
	packets, err := rtcp.Unmarshal(data)
	if err != nil {
		return nil // reports help, but nothing depends on one of them
	}
	for _, p := range packets {
		switch p := p.(type) {
		case *rtcp.SenderReport:
			s.mu.Lock()
			s.recv.Report(p.NTPTime, p.RTPTime, now)
			s.count.senderReport(p, now)
			s.mu.Unlock()
		case *rtcp.Goodbye:
			return fault.New(fault.HungUp, nil, "it said goodbye")
		}
	}
	return nil
}

func (s *Session) sendReport(now time.Time) {
	s.mu.Lock()
	rr := s.count.report(s.receiver, now)
	s.mu.Unlock()
	data, err := rr.Marshal()
	if err != nil {
		return
	}
	if s.udp == nil {
		_ = s.control.frame(s.channels[1], data) // a broken connection shows in the reading
		return
	}
	if s.udp.peerRTCP != nil && s.udp.peerRTCP.Port > 0 {
		_, _ = s.udp.rtcp.WriteToUDP(data, s.udp.peerRTCP)
	}
}
