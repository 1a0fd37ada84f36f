package convert

import (
	"fmt"
	"sync"
	"time"

	"webostrum/core/hub"
	"webostrum/core/media"
)

// SoundConfig says what sound to convert.
type SoundConfig struct {
	Program string        // path of the worker; empty means that there is none
	Source  *hub.Hub      // the camera's sound; it must stay open until Close
	Grace   time.Duration // as in Config
	Note    func(text string)
}

// soundKept is how many units of converted sound are kept: some 20 s.
const soundKept = 1024

// Sound converts one feed's sound while somebody uses it, in a process of its own:
// it must not wait for pictures, nor can it hurt them. It is safe for concurrent
// use.
type Sound struct {
	cfg    SoundConfig
	engine engine

	mu      sync.Mutex
	closed  bool                         // guarded by mu
	outputs map[media.Codec]*SoundOutput // guarded by mu
	pid     int                          // of the worker, 0 when none runs; guarded by mu
	memory  int64                        // guarded by mu
	busy    meter                        // guarded by mu
}

// SoundCosts is what converting a feed's sound takes, over the last few seconds.
type SoundCosts struct {
	Running   bool
	PID       int
	Memory    int64   // bytes
	Processor float64 // share of one core
}

// Costs returns what converting takes now.
func (c *Sound) Costs() SoundCosts {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.pid == 0 {
		return SoundCosts{}
	}
	costs := SoundCosts{Running: true, PID: c.pid, Memory: c.memory}
	costs.Processor, _ = c.busy.rates()
	return costs
}

// runs notes which worker runs, 0 for none.
func (c *Sound) runs(pid int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.pid, c.memory, c.busy = pid, 0, meter{}
}

// NewSound makes a converter of sound; nothing runs until something is used. Close
// it.
func NewSound(cfg SoundConfig) *Sound {
	if cfg.Grace <= 0 {
		cfg.Grace = defaultGrace
	}
	if cfg.Note == nil {
		cfg.Note = func(string) {}
	}
	c := &Sound{cfg: cfg, outputs: make(map[media.Codec]*SoundOutput)}
	c.engine.start(func() bool { return len(c.used(time.Now())) > 0 }, c.session, c.failed)
	return c
}

// Close ends all conversions.
func (c *Sound) Close() {
	c.mu.Lock()
	c.closed = true
	c.mu.Unlock()
	c.engine.stop()
	for _, o := range c.outputs {
		o.hub.Close()
	}
}

// SoundOutput is the sound in one coding, for those who use it.
type SoundOutput struct {
	converter *Sound
	codec     media.Codec
	hub       *hub.Hub

	// All guarded by the converter's mu.
	users int
	idle  time.Time
	epoch *media.Epoch
	next  uint64 // number of the next epoch
}

// Hub is where the coded sound is published.
func (o *SoundOutput) Hub() *hub.Hub { return o.hub }

// Release ends one use. The sound is made for the grace time still.
func (o *SoundOutput) Release() {
	o.converter.mu.Lock()
	defer o.converter.mu.Unlock()
	if o.users--; o.users == 0 {
		o.idle = time.Now()
	}
}

// Use has the sound made into a codec, AAC or Opus. Release the output when it is no
// longer needed.
func (c *Sound) Use(codec media.Codec) (*SoundOutput, error) {
	if c.cfg.Program == "" {
		return nil, ErrNoWorker
	}
	if codec != media.AAC && codec != media.Opus {
		return nil, fmt.Errorf("sound cannot be made into %s", codec)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.closed {
		return nil, hub.ErrClosed
	}
	o := c.outputs[codec]
	if o == nil {
		o = &SoundOutput{converter: c, codec: codec, hub: hub.New(hub.Config{Keep: soundKept})}
		c.outputs[codec] = o
	}
	o.users++
	c.engine.kicked()
	return o, nil
}

// used returns the outputs that somebody uses, or did a short time ago.
func (c *Sound) used(now time.Time) (list []*SoundOutput) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, o := range c.outputs {
		if o.users > 0 || now.Sub(o.idle) < c.cfg.Grace {
			list = append(list, o)
		}
	}
	return list
}

func (c *Sound) failed(err error, pause time.Duration) {
	c.cfg.Note(fmt.Sprintf("Converting sound broke off and goes on in %v: %v.", pause, err))
}
