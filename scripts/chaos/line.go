package main

import (
	"math/rand/v2"
	"net"
	"sync"
	"sync/atomic"
	"time"
)

// line is the network between the service and a camera: it passes connections on, and can
// delay, hold back and cut them.
type line struct {
	listener net.Listener
	to       string
	delay    atomic.Int64 // before each piece, nanoseconds
	hole     atomic.Bool  // nothing comes through, and nothing is said
	refuse   atomic.Bool  // new connections are cut at once

	mu    sync.Mutex
	conns map[net.Conn]struct{} // guarded by mu
	going sync.WaitGroup
}

func newLine(to string) (*line, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	n := &line{listener: l, to: to, conns: make(map[net.Conn]struct{})}
	n.going.Go(n.serve)
	return n, nil
}

func (n *line) address() string { return n.listener.Addr().String() }

func (n *line) serve() {
	for {
		in, err := n.listener.Accept()
		if err != nil {
			return
		}
		if n.refuse.Load() {
			_ = in.Close()
			continue
		}
		out, err := net.DialTimeout("tcp", n.to, 2*time.Second)
		if err != nil {
			_ = in.Close()
			continue
		}
		n.keep(in, out)
		n.going.Go(func() { n.pass(in, out) })
		n.going.Go(func() { n.pass(out, in) })
	}
}

func (n *line) keep(conns ...net.Conn) {
	n.mu.Lock()
	defer n.mu.Unlock()
	for _, c := range conns {
		n.conns[c] = struct{}{}
	}
}

func (n *line) pass(from, to net.Conn) {
	defer func() {
		_, _ = from.Close(), to.Close()
		n.mu.Lock()
		defer n.mu.Unlock()
		delete(n.conns, from)
	}()
	b := make([]byte, 32<<10)
	for {
		size, err := from.Read(b)
		if d := n.delay.Load(); d > 0 {
			time.Sleep(time.Duration(rand.Int64N(d)))
		}
		for n.hole.Load() {
			time.Sleep(50 * time.Millisecond)
			if n.gone(from) {
				return
			}
		}
		if size > 0 {
			if _, err := to.Write(b[:size]); err != nil {
				return
			}
		}
		if err != nil {
			return
		}
	}
}

func (n *line) gone(c net.Conn) bool {
	n.mu.Lock()
	defer n.mu.Unlock()
	_, ok := n.conns[c]
	return !ok
}

// cut ends all connections.
func (n *line) cut() {
	n.mu.Lock()
	defer n.mu.Unlock()
	for c := range n.conns {
		_ = c.Close()
		delete(n.conns, c)
	}
}

// heal has everything come through again.
func (n *line) heal() {
	n.delay.Store(0)
	n.hole.Store(false)
	n.refuse.Store(false)
}

func (n *line) close() {
	n.heal()
	_ = n.listener.Close()
	n.cut()
	n.going.Wait()
}
