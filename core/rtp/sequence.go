// Package rtp turns RTP packets into samples and back (RFC 3550): reordering,
// loss, depacketising and packetising of H.264 (RFC 6184), and the way from
// RTP time to capture time.
//
// Nothing here opens a socket or reads a clock: packets come with their time
// of arrival.
//
// Limits: a picture over 8 MiB is dropped; 512 packets at most wait for one
// that is missing.
package rtp

import (
	"time"

	"github.com/pion/rtp"
)

const (
	maxDropout  = 3000 // RFC 3550, A.1: a larger step forward is a restart
	maxMisorder = 512  // a larger step back is a restart
	maxWaiting  = 512
)

// Reorderer puts packets back into the order of their sequence numbers and
// counts those that never came. The zero value passes packets on at once and
// treats every gap as loss, as fits a stream over TCP.
type Reorderer struct {
	// Wait is how long a packet is held back for an earlier one that is missing.
	Wait time.Duration

	// Late counts packets that came when nobody waited for them any more: out of order by
	// more than Wait, or twice.
	Late uint64

	started  bool
	next     uint16 // the sequence number that is due
	waiting  map[uint16]held
	suspect  uint16 // the number that would confirm a restart
	doubtful bool
}

type held struct {
	packet  *rtp.Packet
	arrived time.Time
}

// Push takes a packet and calls emit for each packet that is now in turn. lost
// is how many were given up just before it; restart says that the sender began
// a new sequence.
func (r *Reorderer) Push(p *rtp.Packet, now time.Time, emit func(p *rtp.Packet, lost int, restart bool)) {
	if !r.started {
		r.started, r.next = true, p.SequenceNumber+1
		emit(p, 0, false)
		return
	}
	ahead := int16(p.SequenceNumber - r.next)
	switch {
	case ahead == 0:
		r.doubtful = false
		r.pass(p, 0, emit)
	case ahead > maxDropout || ahead < -maxMisorder:
		r.outlier(p, emit)
		return
	case ahead < 0:
		r.Late++ // a duplicate, or later than anybody waited for
		return
	default:
		r.hold(p, now)
	}
	r.giveUp(now, emit)
}

// Restart forgets the sequence: what comes next is another one, and nothing is missing.
func (r *Reorderer) Restart() {
	clear(r.waiting)
	r.started, r.doubtful = false, false
}

// outlier takes a packet far from the sequence: the second in a row means that
// the sender has restarted (RFC 3550, A.1).
func (r *Reorderer) outlier(p *rtp.Packet, emit func(*rtp.Packet, int, bool)) {
	if !r.doubtful || p.SequenceNumber != r.suspect {
		r.doubtful, r.suspect = true, p.SequenceNumber+1
		return
	}
	r.doubtful = false
	clear(r.waiting)
	r.next = p.SequenceNumber + 1
	emit(p, 1, true)
}

// hold keeps a packet for later, with bytes of its own: those that it came in may be used
// again for the next.
func (r *Reorderer) hold(p *rtp.Packet, now time.Time) {
	if r.waiting == nil {
		r.waiting = make(map[uint16]held)
	}
	r.waiting[p.SequenceNumber] = held{p.Clone(), now}
}

// pass emits p and all that waited just behind it.
func (r *Reorderer) pass(p *rtp.Packet, lost int, emit func(*rtp.Packet, int, bool)) {
	for {
		r.next = p.SequenceNumber + 1
		emit(p, lost, false)
		lost = 0
		h, ok := r.waiting[r.next]
		if !ok {
			return
		}
		delete(r.waiting, r.next)
		p = h.packet
	}
}

// giveUp skips the gap when something behind it has waited long enough.
func (r *Reorderer) giveUp(now time.Time, emit func(*rtp.Packet, int, bool)) {
	for len(r.waiting) > 0 && (len(r.waiting) > maxWaiting || r.overdue(now)) {
		seq := r.next
		for {
			if _, ok := r.waiting[seq]; ok {
				break
			}
			seq++
		}
		h := r.waiting[seq]
		delete(r.waiting, seq)
		r.pass(h.packet, int(seq-r.next), emit)
	}
}

func (r *Reorderer) overdue(now time.Time) bool {
	for _, h := range r.waiting {
		if now.Sub(h.arrived) >= r.Wait {
			return true
		}
	}
	return false
}
