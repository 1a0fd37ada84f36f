// Package hub is one writer and many readers of one stream of samples. The
// writer waits for nobody: publishing costs the same whatever the number of
// readers, and a reader that falls behind is moved to the newest keyframe and
// told how much it missed.
package hub

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"time"

	"webostrum/core/media"
)

// ErrClosed is returned to readers once the hub was closed and they have read
// all that is left.
var ErrClosed = errors.New("hub: closed")

const (
	slots           = 8192 // a power of two; over two minutes at 60 frames a second
	defaultMaxBytes = 32 << 20
)

// Config bounds a hub.
type Config struct {
	// MaxBytes bounds the payload kept; 0 means 32 MiB. The newest sample is
	// kept even when it alone is larger.
	MaxBytes int

	// Keep is how many of the newest samples are kept when there is not enough
	// behind the newest keyframe, as with audio, where every sample is one. 0 keeps
	// no more than from the keyframe before the newest.
	Keep int
}

// Hub keeps the latest samples of one stream in a ring that holds at least
// the newest group of pictures, as long as that fits MaxBytes.
type Hub struct {
	maxBytes int
	keep     uint64

	ring [slots]atomic.Pointer[entry]
	head atomic.Uint64 // position that the next sample gets
	tail atomic.Uint64 // position of the oldest sample kept
	key  atomic.Uint64 // position of the newest keyframe, plus one; 0 when none

	// For the writer alone.
	bytes   int
	prevKey uint64 // position of the keyframe before the newest

	kick     chan struct{}                 // tells the notifier that something is new
	wake     atomic.Pointer[chan struct{}] // closed by the notifier to wake the readers that wait
	done     chan struct{}
	ended    atomic.Bool // nothing more comes; wake is closed for good
	closed   sync.Once
	notifier sync.WaitGroup
	live     atomic.Int64
}

type entry struct {
	pos    uint64
	sample *media.Sample
}

// New makes a hub. Close must be called to end it.
func New(cfg Config) *Hub {
	h := &Hub{maxBytes: cfg.MaxBytes, keep: uint64(min(max(cfg.Keep, 0), slots)), kick: make(chan struct{}, 1), done: make(chan struct{})}
	if h.maxBytes <= 0 {
		h.maxBytes = defaultMaxBytes
	}
	first := make(chan struct{})
	h.wake.Store(&first)
	h.notifier.Go(h.notify)
	return h
}

// SetKeep changes Config.Keep. It is for the goroutine that publishes.
func (h *Hub) SetKeep(n int) { h.keep = uint64(min(max(n, 0), slots)) }

// notify wakes the waiting readers, so that the writer need not.
func (h *Hub) notify() {
	for {
		select {
		case <-h.kick:
			next := make(chan struct{})
			close(*h.wake.Swap(&next))
		case <-h.done:
			h.ended.Store(true)
			close(*h.wake.Load())
			return
		}
	}
}

// Publish adds a sample. Only one goroutine may publish at a time.
func (h *Hub) Publish(s *media.Sample) {
	pos := h.head.Load()
	if s.Key {
		h.prevKey = h.key.Load()
		h.key.Store(pos + 1)
	}
	h.bytes += len(s.Data)
	h.trim(pos)
	h.ring[pos%slots].Store(&entry{pos, s})
	h.head.Store(pos + 1)
	if h.live.Load() == 0 {
		return // whoever comes now looks at head before waiting
	}
	select {
	case h.kick <- struct{}{}:
	default:
	}
}

// trim drops what is older than the keyframe before the newest, and more when
// the bounds ask for it.
func (h *Hub) trim(pos uint64) {
	tail := h.tail.Load()
	for tail < pos && (pos-tail >= slots || h.bytes > h.maxBytes || tail+1 < h.prevKey && pos-tail >= h.keep) {
		slot := &h.ring[tail%slots]
		h.bytes -= len(slot.Load().sample.Data)
		slot.Store(nil)
		tail++
		h.tail.Store(tail)
	}
}

// Readers returns how many readers are open.
func (h *Hub) Readers() int { return int(h.live.Load()) }

// Latest returns the newest sample, or nil; Key the newest keyframe that is still
// kept, or nil.
func (h *Hub) Latest() *media.Sample { return h.at(h.head.Load()) }

// Key is like Latest.
func (h *Hub) Key() *media.Sample { return h.at(h.key.Load()) }

// at returns the sample before a position.
func (h *Hub) at(end uint64) *media.Sample {
	if end == 0 {
		return nil
	}
	if e := h.ring[(end-1)%slots].Load(); e != nil && e.pos == end-1 {
		return e.sample
	}
	return nil
}

// Close ends the hub: readers get what is left, then ErrClosed. The writer
// must have ended.
func (h *Hub) Close() {
	h.closed.Do(func() {
		close(h.done)
		h.notifier.Wait()
	})
}

// Reader is one reader's place in a hub. It is not safe for concurrent use.
type Reader struct {
	hub    *Hub
	pos    uint64
	missed uint64
	synced bool
}

// NewReader returns a reader that begins at the newest keyframe, or at the
// next one when there is none yet. Close it.
func (h *Hub) NewReader() *Reader {
	h.live.Add(1)
	r := &Reader{hub: h}
	r.toKey()
	return r
}

// NewReaderFrom returns a reader that begins at the first sample kept that was
// taken at a time or later. It is for streams of keyframes alone, such as audio.
func (h *Hub) NewReaderFrom(from time.Time) *Reader {
	r := h.NewReader()
	for end := h.head.Load(); end > h.tail.Load(); end-- {
		s := h.at(end)
		if s == nil || s.Captured.Before(from) {
			break
		}
		r.pos, r.synced = end-1, true
	}
	return r
}

// NewReaderAt returns a reader that begins at the newest sample kept that matches; where
// none does it is as NewReader.
func (h *Hub) NewReaderAt(match func(*media.Sample) bool) *Reader {
	r := h.NewReader()
	for end := h.head.Load(); end > h.tail.Load(); end-- {
		s := h.at(end)
		if s == nil {
			break
		}
		if match(s) {
			r.pos, r.synced = end-1, true
			break
		}
	}
	return r
}

// toKey moves the reader to the newest keyframe that is still kept; without
// one it waits for the next.
func (r *Reader) toKey() {
	key := r.hub.key.Load()
	if key > 0 && key-1 >= r.hub.tail.Load() {
		r.pos, r.synced = max(r.pos, key-1), true
		return
	}
	r.pos, r.synced = max(r.pos, r.hub.head.Load()), false
}

// Next waits for the next sample. missed is how many were skipped since the
// call before because the reader was too slow. It returns ErrClosed or the
// context's error.
func (r *Reader) Next(ctx context.Context) (s *media.Sample, missed uint64, err error) {
	return r.next(ctx, false)
}

// Try returns the next sample, or nil when it is not there yet.
func (r *Reader) Try() *media.Sample { return r.take() }

// Newest waits for a keyframe and passes over those that a newer one stands
// behind. Of a stream of keyframes alone, such as Motion JPEG, it always gives
// the newest picture.
func (r *Reader) Newest(ctx context.Context) (s *media.Sample, missed uint64, err error) {
	return r.next(ctx, true)
}

// Behind returns how many samples wait to be read.
func (r *Reader) Behind() int { return int(r.hub.head.Load() - min(r.pos, r.hub.head.Load())) }

func (r *Reader) next(ctx context.Context, newest bool) (s *media.Sample, missed uint64, err error) {
	for {
		wake := *r.hub.wake.Load()
		if newest {
			r.pass()
		}
		if s := r.take(); s != nil {
			missed, r.missed = r.missed, 0
			return s, missed, nil
		}
		if r.hub.ended.Load() && r.pos >= r.hub.head.Load() {
			return nil, 0, ErrClosed
		}
		select {
		case <-wake:
		case <-ctx.Done():
			return nil, 0, ctx.Err()
		}
	}
}

// pass moves the reader to the newest keyframe, or to where the next one will be.
func (r *Reader) pass() {
	before := r.pos
	r.toKey()
	r.missed += r.pos - before
	r.synced = false
}

// take returns the sample at the reader's place if it is there.
func (r *Reader) take() *media.Sample {
	for r.pos < r.hub.head.Load() {
		e := r.hub.ring[r.pos%slots].Load()
		if e == nil || e.pos != r.pos {
			before := r.pos
			r.pos++
			r.toKey()
			r.missed += r.pos - before
			continue
		}
		r.pos++
		if !r.synced && !e.sample.Key {
			r.missed++
			continue
		}
		r.synced = true
		return e.sample
	}
	return nil
}

// Close gives the reader up.
func (r *Reader) Close() {
	if r.hub != nil {
		r.hub.live.Add(-1)
		r.hub = nil
	}
}
