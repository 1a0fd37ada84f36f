package convert

import (
	"fmt"
	"sort"
	"time"

	"webostrum/core/convert"
)

// Costs is what converting a feed takes, over the last few seconds.
type Costs struct {
	Running   bool
	PID       int
	Memory    int64   // bytes
	Processor float64 // share of one core, of the whole worker
	Decoding  float64 // share of one core, of the decoder alone
	Dropped   uint64  // pictures left out because the worker was not quick enough
	Undecoded uint64  // pictures that could not be decoded
	Restarts  uint64
	Trouble   string // the last reason of a restart, or of a picture that could not be decoded
	Outputs   []OutputCosts
}

// OutputCosts is what one output takes.
type OutputCosts struct {
	Wish      Wish
	Made      convert.Output // without size as long as no picture has come
	Note      string
	Users     int
	Share     float64 // of one core
	FrameRate float64 // pictures a second that are made
}

// over is how far back rates reach.
const over = 4 * time.Second

// meter turns growing counts into rates.
type meter struct {
	at       []time.Time
	busy     []time.Duration
	pictures []uint64
}

func (m *meter) add(w convert.Work, now time.Time) {
	if n := len(m.busy); n > 0 && w.Busy < m.busy[n-1] {
		*m = meter{} // another worker counts from zero
	}
	m.at, m.busy, m.pictures = append(m.at, now), append(m.busy, w.Busy), append(m.pictures, w.Pictures)
	for len(m.at) > 2 && now.Sub(m.at[1]) >= over {
		m.at, m.busy, m.pictures = m.at[1:], m.busy[1:], m.pictures[1:]
	}
}

// rates returns the share of a core, and pictures a second.
func (m *meter) rates() (share, frames float64) {
	n := len(m.at)
	if n < 2 {
		return 0, 0
	}
	d := m.at[n-1].Sub(m.at[0])
	return float64(m.busy[n-1]-m.busy[0]) / float64(d), float64(m.pictures[n-1]-m.pictures[0]) / d.Seconds()
}

// gauge gathers what Costs shows.
type gauge struct {
	pid       int
	memory    int64
	processor meter
	decoding  meter
	outputs   map[string]*meter // by Wish.Key
	numbers   map[string]uint32
	dropped   uint64
	undecoded uint64
	restarts  uint64
	trouble   string

	latelyAt   time.Time // since when lately counts
	lately     uint64
	undecBefor uint64
}

func (g *gauge) tally(t convert.Tally, now time.Time) {
	g.decoding.add(t.Decoded, now)
	g.undecoded = g.undecBefor + t.Undecoded
	if t.Trouble != "" {
		g.trouble = t.Trouble
	}
}

func (g *gauge) output(key string, w convert.Work, number uint32) {
	m := g.outputs[key]
	if m == nil || g.numbers[key] != number {
		m = &meter{}
		g.outputs[key], g.numbers[key] = m, number
	}
	m.add(w, time.Now())
}

func (c *Converter) started(pid int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.gauge.pid, c.gauge.processor, c.gauge.decoding = pid, meter{}, meter{}
	c.gauge.outputs, c.gauge.numbers = make(map[string]*meter), make(map[string]uint32)
	c.gauge.undecBefor = c.gauge.undecoded
}

func (c *Converter) gone() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.gauge.pid, c.gauge.memory = 0, 0
}

func (c *Converter) measure(u Usage, now time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.gauge.memory = u.Memory
	c.gauge.processor.add(convert.Work{Busy: u.Processor}, now)
}

const (
	complainAfter = 30 * time.Second
	complainOf    = 30 // pictures left out in that time
)

// dropped counts pictures that were left out, and says so when there are many.
func (c *Converter) dropped(n uint64) {
	if n == 0 {
		return
	}
	now := time.Now()
	c.mu.Lock()
	g := &c.gauge
	g.dropped += n
	if now.Sub(g.latelyAt) > complainAfter {
		g.latelyAt, g.lately = now, 0
	}
	before := g.lately
	g.lately += n
	complain := before < complainOf && g.lately >= complainOf
	c.mu.Unlock()
	if complain {
		c.cfg.Note(fmt.Sprintf("Converting does not keep up: %d pictures and more were left out within %v. Ask for a smaller size, a lower frame rate or fewer renditions.", complainOf, complainAfter))
	}
}

// Costs returns what converting takes now.
func (c *Converter) Costs() Costs {
	c.mu.Lock()
	defer c.mu.Unlock()
	g := &c.gauge
	costs := Costs{
		Running: g.pid != 0, PID: g.pid, Memory: g.memory, Dropped: g.dropped, Undecoded: g.undecoded, Restarts: g.restarts, Trouble: g.trouble,
	}
	if costs.Running {
		costs.Processor, _ = g.processor.rates()
		costs.Decoding, _ = g.decoding.rates()
	}
	keys := make([]string, 0, len(c.outputs))
	for key := range c.outputs {
		keys = append(keys, key)
	}
	sort.Strings(keys)
	for _, key := range keys {
		o := c.outputs[key]
		oc := OutputCosts{Wish: o.wish, Made: o.made, Note: o.note, Users: o.users}
		if m := g.outputs[key]; m != nil && costs.Running {
			oc.Share, oc.FrameRate = m.rates()
		}
		costs.Outputs = append(costs.Outputs, oc)
	}
	return costs
}
