package hls

import (
	"context"
	"io"
	"sync"
)

// Growing is the bytes of a part while it is being made, for any number of readers.
type Growing struct {
	mu     sync.Mutex
	chunks [][]byte      // guarded by mu
	done   bool          // guarded by mu
	broken bool          // it is done, and was never whole; guarded by mu
	grown  chan struct{} // closed at the next change; guarded by mu
}

func newGrowing() *Growing { return &Growing{grown: make(chan struct{})} }

func (g *Growing) add(chunks [][]byte, done bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.done {
		return
	}
	g.chunks = append(g.chunks, chunks...)
	g.done = done
	close(g.grown)
	if !done {
		g.grown = make(chan struct{})
	}
}

// giveUp ends a part that will never be whole.
func (g *Growing) giveUp() {
	g.mu.Lock()
	defer g.mu.Unlock()
	if !g.done {
		g.done, g.broken = true, true
		close(g.grown)
	}
}

// From returns what is there behind the first n pieces, and waits until there is
// something. It returns io.EOF at the end, io.ErrUnexpectedEOF where the part was given up
// before that, or the context's error.
func (g *Growing) From(ctx context.Context, n int) ([][]byte, error) {
	for {
		g.mu.Lock()
		chunks, done, broken, grown := g.chunks[min(n, len(g.chunks)):], g.done, g.broken, g.grown
		g.mu.Unlock()
		switch {
		case len(chunks) > 0:
			return chunks, nil
		case broken:
			return nil, io.ErrUnexpectedEOF
		case done:
			return nil, io.EOF
		}
		select {
		case <-grown:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}
