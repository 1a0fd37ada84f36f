package whep

import (
	"net"
	"net/netip"
	"sync"
)

const (
	largestPacket = 1500
	mostWaiting   = 16384 // packets; more are dropped
	mostOfOne     = 2048  // of them to one address
)

// datagram is one datagram that waits to be sent.
type datagram struct {
	to   netip.AddrPort
	data []byte // of buffers
}

var buffers = sync.Pool{New: func() any { b := make([]byte, largestPacket); return &b }}

// batcher is a UDP socket whose datagrams leave together: while some are being sent,
// others gather, and those for one viewer leave in one piece that the kernel cuts up.
// Each viewer's stay in order.
type batcher struct {
	*net.UDPConn
	send func(list []datagram) // sends all of it
	done chan struct{}

	mu      sync.Mutex
	changed *sync.Cond
	waiting []datagram             // guarded by mu
	to      map[netip.AddrPort]int // how many of them, by address; guarded by mu
	closed  bool                   // guarded by mu
}

// newBatcher takes a socket over. Close it.
func newBatcher(conn *net.UDPConn) *batcher {
	b := &batcher{UDPConn: conn, done: make(chan struct{}), to: make(map[netip.AddrPort]int)}
	b.changed = sync.NewCond(&b.mu)
	b.send = newSend(conn)
	go b.run() // ends with Close, which waits for it
	return b
}

// WriteTo implements net.PacketConn. What goes wrong with sending is not told, since
// datagrams may be lost anyway: nobody waits where the queue is full, or full of what goes to
// the same address; the datagram is dropped.
func (b *batcher) WriteTo(data []byte, to net.Addr) (int, error) {
	udp, ok := to.(*net.UDPAddr)
	if !ok || len(data) > largestPacket {
		return b.UDPConn.WriteTo(data, to)
	}
	at := udp.AddrPort()
	b.mu.Lock()
	if b.closed {
		b.mu.Unlock()
		return 0, net.ErrClosed
	}
	if len(b.waiting) >= mostWaiting || b.to[at] >= mostOfOne {
		b.mu.Unlock()
		return len(data), nil
	}
	buf := *buffers.Get().(*[]byte)
	b.waiting = append(b.waiting, datagram{at, buf[:copy(buf, data)]})
	b.to[at]++
	first := len(b.waiting) == 1
	b.mu.Unlock()
	if first {
		b.changed.Broadcast()
	}
	return len(data), nil
}

func (b *batcher) run() {
	defer close(b.done)
	var spare []datagram
	for {
		b.mu.Lock()
		for len(b.waiting) == 0 && !b.closed {
			b.changed.Wait()
		}
		list := b.waiting
		b.waiting = spare[:0]
		clear(b.to)
		b.mu.Unlock()
		if len(list) == 0 {
			return
		}
		b.send(list)
		for i := range list {
			whole := list[i].data[:largestPacket]
			buffers.Put(&whole)
			list[i] = datagram{}
		}
		spare = list
	}
}

// Close sends what waits and closes the socket.
func (b *batcher) Close() error {
	b.mu.Lock() // or run could miss it, between looking and waiting
	before := b.closed
	b.closed = true
	b.mu.Unlock()
	if before {
		return net.ErrClosed
	}
	b.changed.Broadcast()
	<-b.done
	return b.UDPConn.Close()
}

// sendSingly sends one datagram after the other.
func sendSingly(conn *net.UDPConn, list []datagram) {
	for _, p := range list {
		_, _ = conn.WriteToUDPAddrPort(p.data, p.to) // lost, as datagrams may be
	}
}
