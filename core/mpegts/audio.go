package mpegts

import (
	"bytes"
	"time"

	"webostrum/core/aac"
	"webostrum/core/program"
	"webostrum/core/timeline"
)

const maxAudio = 64 << 10

// audio makes units of one stream of AAC, in ADTS or LATM.
type audio struct {
	to      *program.Receiver
	latm    *aac.LATM // nil for ADTS
	pes     pes
	arrived time.Time
	buf     []byte // a frame whose end is still to come
	stamp   uint64 // of what begins next
	config  []byte
	ticks   int64
	rate    int64  // ticks a second
	dropped uint64 // bytes that belong to no frame
}

func (a *audio) push(p packet, now time.Time) {
	if p.start {
		a.end()
		a.arrived = now
		a.pes.begin(p.payload)
	} else if a.pes.open && !a.pes.more(p.payload) {
		a.buf = nil
	}
	if a.pes.whole() {
		a.end()
	}
}

func (a *audio) end() {
	if !a.pes.open {
		return
	}
	hasPTS, pts := a.pes.hasPTS, a.pes.pts
	body := a.pes.taken()
	rest := len(a.buf)
	a.buf = append(a.buf, body...)
	if rest == 0 && hasPTS {
		a.stamp = pts
	}
	a.frames(rest, hasPTS, pts)
	if len(a.buf) > maxAudio {
		a.buf = nil
	}
}

// frames takes all whole frames; one that begins rest bytes in or later begins at pts.
func (a *audio) frames(rest int, hasPTS bool, pts uint64) {
	at := 0
	for {
		if hasPTS && at >= rest {
			a.stamp, hasPTS = pts, false
		}
		n, unit := a.frame(a.buf[at:])
		if n == 0 {
			break
		}
		at += n
		if unit != nil {
			unit()
		}
	}
	a.buf = a.buf[:copy(a.buf, a.buf[at:])]
}

// frame reads what is in front: n is its bytes, 0 when more have to come.
func (a *audio) frame(b []byte) (n int, unit func()) {
	if a.latm != nil {
		return a.loas(b)
	}
	if len(b) < aac.ADTSHead {
		return 0, nil
	}
	h, err := aac.ParseADTS(b)
	if err != nil {
		return a.skip(b, 0xff), nil
	}
	if len(b) < h.Length {
		return 0, nil
	}
	if h.Blocks > 1 {
		return h.Length, nil // several access units in one frame: nobody sends that
	}
	data := bytes.Clone(b[h.Head:h.Length])
	return h.Length, func() {
		a.configure(h.Config())
		a.units([][]byte{data})
	}
}

// loas reads AudioSyncStream (14496-3, 1.7.2): | 2B7 11 | length 13 | AudioMuxElement.
func (a *audio) loas(b []byte) (n int, unit func()) {
	const head = 3
	if len(b) < head {
		return 0, nil
	}
	if b[0] != 0x56 || b[1]&0xe0 != 0xe0 {
		return a.skip(b, 0x56), nil
	}
	n = head + int(b[1]&0x1f)<<8 + int(b[2])
	if len(b) < n {
		return 0, nil
	}
	element := b[head:n]
	return n, func() {
		var units [][]byte
		_ = a.latm.Element(element, func(u []byte) { units = append(units, u) })
		if raw, _, ok := a.latm.Config(); ok && len(units) > 0 {
			a.configure(raw)
			a.units(units)
		}
	}
}

// skip is how many bytes there are up to the next that a frame could begin with.
func (a *audio) skip(b []byte, first byte) int {
	n := 1 + bytes.IndexByte(b[1:], first)
	if n == 0 {
		n = len(b)
	}
	a.dropped += uint64(n)
	return n
}

// configure says how the audio is coded from here on.
func (a *audio) configure(config []byte) {
	if bytes.Equal(config, a.config) {
		return
	}
	t, ticks, err := aac.Track(config)
	if err != nil {
		return
	}
	a.config, a.ticks, a.rate = bytes.Clone(config), ticks, int64(t.ClockRate)
	a.to.SetAudio(t)
}

// units takes access units that follow each other.
func (a *audio) units(list [][]byte) {
	if a.config == nil {
		return
	}
	units := make([]timeline.AudioUnit, len(list))
	for i, data := range list {
		units[i] = timeline.AudioUnit{Data: data, Ticks: a.ticks}
	}
	a.to.AudioUnits(units, a.stamp, a.arrived)
	a.stamp += uint64(int64(len(list)) * a.ticks * clock / a.rate)
}

// lost says that something is missing.
func (a *audio) lost() { a.buf, a.pes.open = nil, false }
