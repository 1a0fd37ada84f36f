package rtsp

import (
	"errors"
	"net"
	"os"
	"time"

	"github.com/pion/rtcp"
	"github.com/pion/rtp"

	"webostrum/core/fault"
	"webostrum/core/sdp"
)

// stream is one medium on its way here.
type stream struct {
	format   sdp.Format
	channels [2]int   // of RTP and RTCP when interleaved
	udp      *udpPair // nil when interleaved
	secure   *secure  // nil for what comes in the clear

	// Both are called under the session's lock.
	packet func(*rtp.Packet, time.Time)
	report func(ntp uint64, ts uint32, now time.Time)

	count reception // guarded by the session's mu
}

// rtpPacket takes one RTP packet. data is only ours until we return, unless it came
// over UDP.
func (s *Session) rtpPacket(m *stream, data []byte, now time.Time) {
	if m.secure != nil {
		var err error
		if data, err = m.secure.data.DecryptRTP(nil, data, nil); err != nil {
			return // forged, or garbled
		}
	}
	var p rtp.Packet
	if err := p.Unmarshal(data); err != nil {
		return // garbled: the gap in the sequence will tell
	}
	if p.PayloadType != m.format.PayloadType {
		s.other.Add(1)
		s.otherPT.Store(int32(p.PayloadType))
		return
	}
	s.mu.Lock()
	m.count.packet(&p, m.format.ClockRate, now)
	m.packet(&p, now)
	first := s.recv.Stats().Pictures > 0 && !s.started.Load()
	s.mu.Unlock()
	if first && s.started.CompareAndSwap(false, true) {
		s.cfg.Started(s)
	}
}

// rtcpData takes a compound RTCP packet.
func (s *Session) rtcpData(m *stream, data []byte, now time.Time) error {
	if m.secure != nil {
		var err error
		if data, err = m.secure.control.DecryptRTCP(nil, data, nil); err != nil {
			return nil
		}
	}
	packets, err := rtcp.Unmarshal(data)
	if err != nil {
		return nil // reports help, but nothing depends on one of them
	}
	for _, p := range packets {
		switch p := p.(type) {
		case *rtcp.SenderReport:
			s.mu.Lock()
			m.report(p.NTPTime, p.RTPTime, now)
			m.count.senderReport(p, now)
			s.mu.Unlock()
		case *rtcp.Goodbye:
			if m == s.streams[0] {
				return fault.New(fault.HungUp, nil, "it said goodbye")
			}
		}
	}
	return nil
}

func (s *Session) sendReport(m *stream, now time.Time) {
	s.mu.Lock()
	began := m.count.started
	rr := m.count.report(s.receiver, now)
	s.mu.Unlock()
	data, err := rr.Marshal()
	if err != nil || !began || m.secure != nil { // no key of ours was agreed upon
		return
	}
	if m.udp == nil {
		_ = s.control.frame(m.channels[1], data) // a broken connection shows in the reading
		return
	}
	if m.udp.peerRTCP != nil && m.udp.peerRTCP.Port > 0 {
		_, _ = m.udp.rtcp.WriteToUDP(data, m.udp.peerRTCP)
	}
}

// interleaved gives data of a channel to the stream that it belongs to.
func (s *Session) interleaved(channel int, data []byte) error {
	for _, m := range s.streams {
		switch channel {
		case m.channels[0]:
			s.rtpPacket(m, data, time.Now())
			return nil
		case m.channels[1]:
			return s.rtcpData(m, data, time.Now())
		}
	}
	return nil
}

func readUDP(conn *net.UDPConn, peer *net.UDPAddr, take func([]byte, time.Time)) error {
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
