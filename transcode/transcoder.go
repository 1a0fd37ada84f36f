package transcode

import (
	"encoding/json"
	"fmt"
	"sync"
	"time"

	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/rendition"
)

// Config says what to transcode.
type Config struct {
	Program string        // path of the worker; empty means that there is none
	Source  *hub.Hub      // what the camera sends; it must stay open until Close
	Grace   time.Duration // how long an output is still made when nobody uses it; 0 means 10 s
	// MaxMemory ends a worker that takes more bytes; 0 means 1 GiB.
	MaxMemory int64
	// Live says whether the camera sends at present, so that its last frame is not
	// repeated for ever; nil means always. Of video alone.
	Live func() bool
	// Cuts is where segments begin: frames of video that are H.264 get keyframes there.
	// Nil means nowhere.
	Cuts *hls.Cuts
	// Note is told in a sentence what an engineer should know. It must not block.
	Note func(text string)
}

const (
	defaultGrace  = 10 * time.Second
	defaultMemory = 1 << 30
	tick          = 100 * time.Millisecond
)

func (c *Config) complete() {
	if c.Grace <= 0 {
		c.Grace = defaultGrace
	}
	if c.MaxMemory <= 0 {
		c.MaxMemory = defaultMemory
	}
	if c.Live == nil {
		c.Live = func() bool { return true }
	}
	if c.Note == nil {
		c.Note = func(string) {}
	}
}

// Request is what somebody asks of a feed's video.
type Request struct {
	rendition.Rendition

	// KeyframesOnly is for stills: only frames are looked at that can be decoded by
	// themselves.
	KeyframesOnly bool

	// Whole is for segments: what is made begins some segments back, so that there are
	// whole ones at once. It makes no other output of it.
	Whole bool `json:"-"`
}

// Key tells requests apart: those with the same key are for the same output.
func (r Request) Key() string {
	b, _ := json.Marshal(r) // of plain fields
	return string(b)
}

// transcoder makes outputs of one stream, as long as somebody uses them: what video
// and audio have in common. It is safe for concurrent use.
type transcoder struct {
	cfg        Config
	supervisor supervisor
	medium     func(*session) medium

	mu      sync.Mutex
	closed  bool               // guarded by mu
	outputs map[string]*Output // by Request.Key; guarded by mu
	gauge   gauge              // guarded by mu
}

// start begins; nothing runs until something is used.
func (t *transcoder) start(cfg Config, medium func(*session) medium) {
	cfg.complete()
	t.cfg, t.medium, t.outputs = cfg, medium, make(map[string]*Output)
	t.supervisor.start(func() bool { return len(t.present(time.Now())) > 0 }, t.session, t.failed)
}

// Close ends all outputs; readers of their hubs get what is left.
func (t *transcoder) Close() {
	t.mu.Lock()
	t.closed = true
	t.mu.Unlock()
	t.supervisor.stop()
	t.mu.Lock()
	outputs := t.outputs
	t.outputs = nil
	t.mu.Unlock()
	for _, o := range outputs {
		o.closeLocked() // nobody else is left
	}
}

// TooManyError is returned when a feed is asked for too many things at once.
type TooManyError struct{ Limit int }

func (e TooManyError) Error() string {
	return fmt.Sprintf("this feed is being transcoded to %d renditions already, which is as many as it may; ask for one of those sizes and rates, or wait until one is no longer used", e.Limit)
}

// use has an output made, or joins those who use it already.
func (t *transcoder) use(r Request, most int, bounds hub.Config) (*Output, error) {
	if t.cfg.Program == "" {
		return nil, ErrNoWorker
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.closed {
		return nil, hub.ErrClosed
	}
	key := r.Key()
	o := t.outputs[key]
	if o == nil {
		if len(t.outputs) >= most {
			return nil, TooManyError{most}
		}
		o = &Output{transcoder: t, request: r, hub: hub.New(bounds)}
		t.outputs[key] = o
	}
	if r.Whole {
		o.request.Whole = true
	}
	o.users++
	t.supervisor.kicked()
	return o, nil
}

// present drops what nobody has used for the grace time, and returns the rest.
func (t *transcoder) present(now time.Time) (list []*Output) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for key, o := range t.outputs {
		if o.users == 0 && now.Sub(o.idle) >= t.cfg.Grace {
			delete(t.outputs, key)
			o.closeLocked()
			continue
		}
		list = append(list, o)
	}
	return list
}

func (t *transcoder) failed(err error, pause time.Duration) {
	t.mu.Lock()
	t.gauge.restarts++
	t.gauge.lastError = err.Error()
	t.mu.Unlock()
	t.cfg.Note(fmt.Sprintf("Transcoding broke off and goes on in %v: %v.", pause, err))
}
