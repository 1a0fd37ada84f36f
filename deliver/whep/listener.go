package whep

import (
	"net"
	"sync"
)

// listener keeps the kernel from holding much for a viewer that is slow, and closes its
// connections with itself: the mux behind it waits for each that has said nothing yet, and
// somebody who only looks whether the port is open says nothing.
type listener struct {
	net.Listener

	mu    sync.Mutex
	conns map[*accepted]struct{} // nil once it is closed; guarded by mu
}

func newListener(l net.Listener) *listener {
	return &listener{Listener: l, conns: make(map[*accepted]struct{})}
}

// accepted is a connection that its listener knows.
type accepted struct {
	net.Conn
	of *listener
}

// Accept implements net.Listener.
func (l *listener) Accept() (net.Conn, error) {
	conn, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	if tcp, ok := conn.(*net.TCPConn); ok {
		_ = tcp.SetWriteBuffer(tcpSocketBuffer)
	}
	a := &accepted{conn, l}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.conns == nil {
		_ = conn.Close()
		return nil, net.ErrClosed
	}
	l.conns[a] = struct{}{}
	return a, nil
}

// Close implements net.Conn.
func (a *accepted) Close() error {
	a.of.mu.Lock()
	delete(a.of.conns, a)
	a.of.mu.Unlock()
	return a.Conn.Close()
}

// Close implements net.Listener.
func (l *listener) Close() error {
	err := l.Listener.Close()
	l.mu.Lock()
	conns := l.conns
	l.conns = nil
	l.mu.Unlock()
	for a := range conns {
		_ = a.Conn.Close()
	}
	return err
}
