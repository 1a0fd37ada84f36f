package transcode

import (
	"fmt"
	"sort"
	"time"

	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

// Costs is what transcoding a feed takes, over the last few seconds.
type Costs struct {
	Running   bool
	PID       int
	Memory    int64   // bytes
	Processor float64 // share of one core, of the whole worker
	Decoding  float64 // share of one core, of the decoder alone
	Dropped   uint64  // frames left out because the worker was not quick enough
	Undecoded uint64  // frames that could not be decoded
	Restarts  uint64
	LastError string // the last reason of a restart, or of a frame that could not be decoded
	Outputs   []OutputCosts
}

// OutputCosts is what one output takes.
type OutputCosts struct {
	Request   Request
	Encoding  rendition.Encoding // of video; without size as long as no frame has come
	Note      string
	Users     int
	Share     float64 // of one core
	FrameRate float64 // fps that are made
}

// over is how far back rates reach.
const over = 4 * time.Second

// meter turns growing counts into rates.
type meter struct {
	at     []time.Time
	busy   []time.Duration
	frames []uint64
}

func (m *meter) add(w workerproto.Work, now time.Time) {
	if n := len(m.busy); n > 0 && w.Busy < m.busy[n-1] {
		*m = meter{} // another worker counts from zero
	}
	m.at, m.busy, m.frames = append(m.at, now), append(m.busy, w.Busy), append(m.frames, w.Frames)
	for len(m.at) > 2 && now.Sub(m.at[1]) >= over {
		m.at, m.busy, m.frames = m.at[1:], m.busy[1:], m.frames[1:]
	}
}

// rates returns the share of a core, and fps.
func (m *meter) rates() (share, fps float64) {
	n := len(m.at)
	if n < 2 {
		return 0, 0
	}
	d := m.at[n-1].Sub(m.at[0])
	return float64(m.busy[n-1]-m.busy[0]) / float64(d), float64(m.frames[n-1]-m.frames[0]) / d.Seconds()
}

// gauge gathers what Costs shows of all outputs together.
type gauge struct {
	pid       int
	memory    int64
	processor meter
	decoding  meter
	dropped   uint64
	undecoded uint64
	restarts  uint64
	lastError string

	recentFrom      time.Time // since when recent counts
	recent          uint64    // frames dropped lately
	undecodedBefore uint64    // by workers before the present one
}

func (g *gauge) tally(t workerproto.Tally, now time.Time) {
	g.decoding.add(t.Decoded, now)
	g.undecoded = g.undecodedBefore + t.Undecoded
	if t.LastError != "" {
		g.lastError = t.LastError
	}
}

func (t *transcoder) started(pid int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.gauge.pid, t.gauge.processor, t.gauge.decoding = pid, meter{}, meter{}
	t.gauge.undecodedBefore = t.gauge.undecoded
}

func (t *transcoder) gone() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.gauge.pid, t.gauge.memory = 0, 0
}

func (t *transcoder) measure(u Usage, now time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.gauge.memory = u.Memory
	t.gauge.processor.add(workerproto.Work{Busy: u.Processor}, now)
}

const (
	complainAfter = 30 * time.Second
	complainOf    = 30 // frames left out in that time
)

// dropped counts frames that were left out, and says so when there are many.
func (t *transcoder) dropped(n uint64) {
	if n == 0 {
		return
	}
	now := time.Now()
	t.mu.Lock()
	g := &t.gauge
	g.dropped += n
	if now.Sub(g.recentFrom) > complainAfter {
		g.recentFrom, g.recent = now, 0
	}
	before := g.recent
	g.recent += n
	complain := before < complainOf && g.recent >= complainOf
	t.mu.Unlock()
	if complain {
		t.cfg.Note(fmt.Sprintf("Transcoding does not keep up: %d frames and more were left out within %v. Ask for a smaller size, a lower frame rate or fewer renditions.", complainOf, complainAfter))
	}
}

// Costs returns what transcoding takes now.
func (t *transcoder) Costs() Costs {
	t.mu.Lock()
	defer t.mu.Unlock()
	g := &t.gauge
	costs := Costs{
		Running: g.pid != 0, PID: g.pid, Memory: g.memory, Dropped: g.dropped, Undecoded: g.undecoded, Restarts: g.restarts, LastError: g.lastError,
	}
	if costs.Running {
		costs.Processor, _ = g.processor.rates()
		costs.Decoding, _ = g.decoding.rates()
	}
	keys := make([]string, 0, len(t.outputs))
	for key := range t.outputs {
		keys = append(keys, key)
	}
	sort.Strings(keys)
	for _, key := range keys {
		o := t.outputs[key]
		oc := OutputCosts{Request: o.request, Encoding: o.encoding, Note: o.note, Users: o.users}
		if costs.Running {
			oc.Share, oc.FrameRate = o.work.rates()
		}
		costs.Outputs = append(costs.Outputs, oc)
	}
	return costs
}
