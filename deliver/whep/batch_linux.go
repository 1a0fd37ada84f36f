package whep

import (
	"encoding/binary"
	"net"
	"net/netip"
	"unsafe"

	"golang.org/x/net/ipv4"
	"golang.org/x/sys/unix"
)

const (
	mostSegments = 60     // the kernel takes 64
	mostBytes    = 64_000 // of a datagram before it is cut up
	mostMessages = 128    // in one system call
)

// batchSender sends packets by sendmmsg(2), those for one viewer joined where the kernel cuts
// them up again (UDP_SEGMENT, udp(7)).
type batchSender struct {
	conn     *net.UDPConn
	batch    *ipv4.PacketConn
	segments bool // the kernel does
	groups   []group
	open     map[netip.AddrPort]int // the group of an address that more may be added to
	messages []ipv4.Message
}

// group is packets for one viewer that leave in one piece: all of one size but the last,
// which may be smaller.
type group struct {
	to    netip.AddrPort
	size  int // of each but the last
	bytes int
	data  [][]byte
}

func newSend(conn *net.UDPConn) func([]datagram) {
	s := &batchSender{conn: conn, batch: ipv4.NewPacketConn(conn), segments: cutsUp(conn), open: make(map[netip.AddrPort]int)}
	return s.send
}

// cutsUp says whether the kernel cuts datagrams up.
func cutsUp(conn *net.UDPConn) bool {
	raw, err := conn.SyscallConn()
	if err != nil {
		return false
	}
	var failed error
	err = raw.Control(func(fd uintptr) { _, failed = unix.GetsockoptInt(int(fd), unix.IPPROTO_UDP, unix.UDP_SEGMENT) })
	return err == nil && failed == nil
}

func (s *batchSender) send(list []datagram) {
	s.gather(list)
	for rest := s.groups; len(rest) > 0; {
		n := min(len(rest), mostMessages)
		s.sendGroups(rest[:n])
		rest = rest[n:]
	}
}

// gather joins packets to groups.
func (s *batchSender) gather(list []datagram) {
	s.groups = s.groups[:0]
	clear(s.open)
	for _, p := range list {
		if i, ok := s.open[p.to]; ok && s.segments {
			g := &s.groups[i]
			if len(p.data) <= g.size && len(g.data) < mostSegments && g.bytes+len(p.data) <= mostBytes {
				g.data = append(g.data, p.data)
				if g.bytes += len(p.data); len(p.data) < g.size {
					delete(s.open, p.to) // a smaller one is the last
				}
				continue
			}
		}
		s.open[p.to] = len(s.groups)
		s.add(p)
	}
}

// add begins a group; what an earlier one held its packets in is used again.
func (s *batchSender) add(p datagram) {
	n := len(s.groups)
	if n < cap(s.groups) {
		s.groups = s.groups[:n+1]
	} else {
		s.groups = append(s.groups, group{})
	}
	g := &s.groups[n]
	*g = group{to: p.to, size: len(p.data), bytes: len(p.data), data: append(g.data[:0], p.data)}
}

func (s *batchSender) sendGroups(groups []group) {
	s.messages = s.messages[:0]
	for i := range groups {
		g := &groups[i]
		m := ipv4.Message{Buffers: g.data, Addr: net.UDPAddrFromAddrPort(g.to)}
		if len(g.data) > 1 {
			m.OOB = segmentSize(g.size)
		}
		s.messages = append(s.messages, m)
	}
	for rest := s.messages; len(rest) > 0; {
		n, err := s.batch.WriteBatch(rest, 0)
		if err != nil {
			n = max(n, 0)
			s.failed(groups[len(groups)-len(rest)+n])
			n++
		}
		rest = rest[min(n, len(rest)):]
	}
}

// failed sends a group that was refused datagram by datagram.
func (s *batchSender) failed(g group) {
	list := make([]datagram, len(g.data))
	for i, d := range g.data {
		list[i] = datagram{g.to, d}
	}
	sendSingly(s.conn, list)
}

// segmentSize is a control message that says how large each piece is.
func segmentSize(n int) []byte {
	const size = 2
	b := make([]byte, unix.CmsgSpace(size))
	h := (*unix.Cmsghdr)(unsafe.Pointer(&b[0]))
	h.Level, h.Type = unix.SOL_UDP, unix.UDP_SEGMENT
	h.SetLen(unix.CmsgLen(size))
	binary.NativeEndian.PutUint16(b[unix.CmsgLen(0):], uint16(n))
	return b
}
