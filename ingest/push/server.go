package push

import (
	"context"
	"errors"
	"log/slog"
	"net"
	"sync"
	"time"

	"webostrum/barrier"
)

// Server takes connections and hands them over, each in a goroutine of its own behind a
// barrier. Connections that have not been let in yet are few, in all and from each client, so
// that nobody takes the place of those who know a key.
type Server struct {
	// Handle serves a connection until its end, and need not close it. entered is to be
	// called when it was let in.
	Handle func(ctx context.Context, conn net.Conn, entered func())

	// Client is what connections are counted by, of an address with its port.
	Client func(address string) string

	Log *slog.Logger

	once   sync.Once
	ctx    context.Context
	cancel context.CancelFunc
	wg     sync.WaitGroup

	mu    sync.Mutex
	conns map[net.Conn]struct{} // guarded by mu
	outer int                   // not let in yet; guarded by mu
	from  map[string]int        // of these, of each client; guarded by mu
}

// The limits of connections.
const (
	mostConns     = 512
	mostOuter     = 64
	mostOuterEach = 16
	pauseAtErrors = 50 * time.Millisecond
)

func (s *Server) begin() {
	s.once.Do(func() {
		s.ctx, s.cancel = context.WithCancel(context.Background())
		s.conns, s.from = make(map[net.Conn]struct{}), make(map[string]int)
	})
}

// Serve takes connections until the listener closes, or Close is called.
func (s *Server) Serve(l net.Listener) error {
	s.begin()
	stop := context.AfterFunc(s.ctx, func() { _ = l.Close() })
	defer stop()
	for {
		conn, err := l.Accept()
		switch {
		case err == nil:
			s.add(conn)
		case s.ctx.Err() != nil || errors.Is(err, net.ErrClosed):
			return nil
		default: // out of file descriptors, and the like: it passes
			s.Log.Warn("a connection could not be taken", "error", err)
			select {
			case <-s.ctx.Done():
			case <-time.After(pauseAtErrors):
			}
		}
	}
}

func (s *Server) add(conn net.Conn) {
	client := s.Client(conn.RemoteAddr().String())
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.ctx.Err() != nil || len(s.conns) >= mostConns || s.outer >= mostOuter || s.from[client] >= mostOuterEach {
		_ = conn.Close()
		return
	}
	s.conns[conn] = struct{}{}
	s.outer++
	s.from[client]++
	entered := sync.OnceFunc(func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.outer--
		if s.from[client]--; s.from[client] <= 0 {
			delete(s.from, client)
		}
	})
	s.wg.Go(func() {
		defer func() {
			entered()
			_ = conn.Close()
			s.mu.Lock()
			delete(s.conns, conn)
			s.mu.Unlock()
		}()
		err := barrier.Do(func() error { s.Handle(s.ctx, conn, entered); return nil })
		var p *barrier.PanicError
		if errors.As(err, &p) {
			s.Log.Error("a publisher's connection panicked", "error", p, "stack", string(p.Stack))
		}
	})
}

// Close ends all connections and waits for it.
func (s *Server) Close() {
	s.begin()
	s.cancel()
	s.mu.Lock()
	for c := range s.conns {
		_ = c.Close()
	}
	s.mu.Unlock()
	s.wg.Wait()
}
