package rtsp

import (
	"context"
	"errors"
	"sync"
	"time"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/rtspmsg"
	"webostrum/ingest/dial"
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
		parts.Go(func() { cancel(barrier.Do(f)) })
	}
	_ = s.control.conn.SetReadDeadline(time.Time{})
	part(s.readControl)
	part(func() error { return s.watch(ctx) })
	for _, m := range s.streams {
		if m.udp == nil {
			continue
		}
		part(func() error {
			return readUDP(m.udp.rtp, m.udp.peerRTP, func(data []byte, now time.Time) { s.rtpPacket(m, data, now) })
		})
		part(func() error {
			return readUDP(m.udp.rtcp, m.udp.peerRTCP, func(data []byte, now time.Time) { _ = s.rtcpData(m, data, now) })
		})
	}
	<-ctx.Done()
	err := context.Cause(ctx)
	// Ends the reads; close, which comes after, still says goodbye.
	past := time.Unix(1, 0)
	_ = s.control.conn.SetReadDeadline(past)
	for _, m := range s.streams {
		if m.udp != nil {
			_ = m.udp.rtp.SetReadDeadline(past)
			_ = m.udp.rtcp.SetReadDeadline(past)
		}
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
			return fault.New(fault.Garbled, err, "while playing")
		case err != nil:
			s.hungUp(time.Now())
			return dial.BrokenOff(err, "playing")
		case m != nil && m.Method == "":
			if err := s.answered(m); err != nil {
				return err
			}
		case m != nil && m.Method != "" && s.requested != nil:
			if err := s.requested(m); err != nil {
				return err
			}
		case m == nil && s.way.Interleaved():
			if err := s.interleaved(int(channel), data); err != nil {
				return err
			}
		}
	}
}

// asked is a keepalive that has not been answered.
type asked struct {
	method string
	at     time.Time
}

// hangsUpWithin is how soon after a keepalive a connection ends that ends because of it.
const hangsUpWithin = 3 * time.Second

// hungUp notes an end that a keepalive has most likely brought about.
func (s *Session) hungUp(now time.Time) {
	if a := s.asked.Load(); a != nil && now.Sub(a.at) < hangsUpWithin {
		s.cfg.KeepAlive.HungUp(a.method)
	}
}

// answered looks at the answer to a keepalive.
func (s *Session) answered(m *rtspmsg.Message) error {
	s.asked.Store(nil)
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
	method := s.cfg.KeepAlive.Method(s.methods)
	if method == "" {
		return nil // receiver reports are signs of life, too
	}
	s.asked.Store(&asked{method, time.Now()})
	if err := s.control.send(method, s.aggregate, nil); err != nil {
		return dial.BrokenOff(err, method)
	}
	return nil
}

// silence says what is wrong when nothing has come for a while.
func (s *Session) silence(quiet time.Duration, seen int64) error {
	switch {
	case seen > 0 && quiet >= s.cfg.StallAfter:
		return fault.New(fault.Stalled, nil, "nothing for %v", s.cfg.StallAfter)
	case seen > 0 || quiet < s.cfg.FirstTimeout:
		return nil
	case s.other.Load() > 0:
		return fault.New(fault.PayloadType, nil, "%d packets of payload type %d came, and none of type %d, which it has announced", s.other.Load(), s.otherPT.Load(), s.streams[0].format.PayloadType)
	}
	return fault.New(fault.Silent, nil, "nothing in %v over %s", s.cfg.FirstTimeout, s.way)
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
		if err := s.silence(now.Sub(moved), seen); err != nil {
			return err
		}
		if !s.started.Load() && now.Sub(begun) >= keyframePatience {
			return fault.New(fault.NoKeyframe, nil, "none in %v", keyframePatience)
		}
		if s.requested == nil && now.Sub(alive) >= interval {
			alive = now
			if err := s.keepalive(); err != nil {
				return err
			}
		}
		if now.Sub(report) >= reportEvery && seen > 0 {
			report = now
			for _, m := range s.streams {
				s.sendReport(m, now)
			}
		}
	}
}
