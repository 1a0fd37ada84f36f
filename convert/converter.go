package convert

import (
	"encoding/json"
	"fmt"
	"sync"
	"time"

	"webostrum/core/convert"
	"webostrum/core/hub"
)

// Config says what to convert.
type Config struct {
	Program string        // path of the worker; empty means that there is none
	Source  *hub.Hub      // what the camera sends; it must stay open until Close
	Grace   time.Duration // how long something nobody uses is still made; 0 means 10 s
	// MaxMemory ends a worker that takes more bytes; 0 means 1 GiB.
	MaxMemory int64
	// Live says whether the camera sends at present, so that its last picture is
	// not repeated for ever; nil means always.
	Live func() bool
	// Note is told in a sentence what an engineer should know. It must not block.
	Note func(text string)
}

const (
	defaultGrace  = 10 * time.Second
	defaultMemory = 1 << 30
	mostOutputs   = 12 // of one feed; the worker's own limit is higher

	tick        = 100 * time.Millisecond
	mostSilence = 3 * time.Second        // of a worker that has something to do
	askAfter    = time.Second            // of silence
	repeatAfter = 500 * time.Millisecond // video goes on with the last picture when no new one comes
	mayWait     = 2                      // pictures that may wait before the ones in front are only decoded
)

// Wish is what somebody wants of a feed.
type Wish struct {
	convert.Rendition

	// KeyframesOnly is for stills: only pictures are looked at that can be
	// decoded by themselves.
	KeyframesOnly bool
}

// Key tells wishes apart: those with the same key are the same.
func (w Wish) Key() string {
	b, _ := json.Marshal(w) // of plain fields
	return string(b)
}

// Converter makes renditions of one feed, as long as somebody uses them. It is
// safe for concurrent use.
type Converter struct {
	cfg    Config
	engine engine

	mu      sync.Mutex
	closed  bool               // guarded by mu
	outputs map[string]*Output // by Wish.Key; guarded by mu
	gauge   gauge              // guarded by mu
}

// New makes a converter; nothing runs until something is used. Close it.
func New(cfg Config) *Converter {
	if cfg.Grace <= 0 {
		cfg.Grace = defaultGrace
	}
	if cfg.MaxMemory <= 0 {
		cfg.MaxMemory = defaultMemory
	}
	if cfg.Live == nil {
		cfg.Live = func() bool { return true }
	}
	if cfg.Note == nil {
		cfg.Note = func(string) {}
	}
	c := &Converter{cfg: cfg, outputs: make(map[string]*Output)}
	c.engine.start(func() bool { return len(c.present(time.Now())) > 0 }, c.session, c.failed)
	return c
}

// Close ends all conversions; readers of their hubs get what is left.
func (c *Converter) Close() {
	c.mu.Lock()
	c.closed = true
	c.mu.Unlock()
	c.engine.stop()
	c.mu.Lock()
	outputs := c.outputs
	c.outputs = nil
	c.mu.Unlock()
	for _, o := range outputs {
		o.closeLocked() // nobody else is left
	}
}

// TooManyError is returned when a feed is asked for too many things at once.
type TooManyError struct{ Limit int }

func (e TooManyError) Error() string {
	return fmt.Sprintf("this feed is being converted into %d things already, which is as many as it may; use one of those sizes and rates, or wait until one is no longer used", e.Limit)
}

// Use has something made, or joins those who use it already. Release the output
// when it is no longer needed.
func (c *Converter) Use(w Wish) (*Output, error) {
	if c.cfg.Program == "" {
		return nil, ErrNoWorker
	}
	if err := w.Validate(); err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.closed {
		return nil, hub.ErrClosed
	}
	key := w.Key()
	o := c.outputs[key]
	if o == nil {
		if len(c.outputs) >= mostOutputs {
			return nil, TooManyError{mostOutputs}
		}
		o = &Output{converter: c, wish: w, hub: hub.New(hub.Config{})}
		c.outputs[key] = o
		c.engine.kicked()
	}
	o.users++
	return o, nil
}

func (c *Converter) failed(err error, pause time.Duration) {
	c.mu.Lock()
	c.gauge.restarts++
	c.gauge.trouble = err.Error()
	c.mu.Unlock()
	c.cfg.Note(fmt.Sprintf("Converting broke off and goes on in %v: %v.", pause, err))
}
