package main

import (
	"io"
	"sync"
)

// relay hands what is read from one place on to whoever takes it at present; what is read
// while nobody does is left out, so that whoever writes it is not held up.
type relay struct {
	from io.Reader

	mu    sync.Mutex
	to    *io.PipeWriter // guarded by mu; nil while nobody takes
	ended bool           // guarded by mu; from has
	some  bool           // guarded by mu; something was taken
}

// newRelay reads from a stream once somebody takes it.
func newRelay(from io.Reader) (r *relay, first io.ReadCloser) {
	r = &relay{from: from}
	first = r.take()
	go r.pump() // ends with the stream
	return r, first
}

// take is what is read from now on.
func (r *relay) take() io.ReadCloser {
	out, in := io.Pipe()
	r.mu.Lock()
	defer r.mu.Unlock()
	r.to = in
	if r.ended {
		_ = in.Close()
	}
	return out
}

// over says whether the stream has ended.
func (r *relay) over() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.ended
}

// taken says whether anybody has taken anything.
func (r *relay) taken() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.some
}

func (r *relay) pump() {
	const size = 32 << 10
	buf := make([]byte, size)
	for {
		n, err := r.from.Read(buf)
		r.mu.Lock()
		to := r.to
		r.mu.Unlock()
		if to != nil && n > 0 {
			_, gone := to.Write(buf[:n])
			r.wrote(to, gone == nil)
		}
		if err != nil {
			r.end()
			return
		}
	}
}

// wrote notes whether somebody takes, and forgets one that does not any more.
func (r *relay) wrote(to *io.PipeWriter, taken bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.some = r.some || taken
	if !taken && r.to == to {
		r.to = nil
	}
}

func (r *relay) end() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.ended = true
	if r.to != nil {
		_ = r.to.Close()
	}
}
