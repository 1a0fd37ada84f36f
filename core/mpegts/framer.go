package mpegts

// Framer finds packets in bytes that come in pieces of any size: of 188 bytes, of 192 with a
// time in front (as recorders write), or of 204 with error correction behind.
type Framer struct {
	// Packet is called with each packet; its bytes are valid during the call.
	Packet func([]byte)

	buf     []byte
	size    int    // from one packet to the next; 0 while that is not known
	misses  int    // packets in a row without their first byte
	owed    int    // bytes behind the newest packet that are still to come
	skipped uint64 // bytes that belong to no packet
	resyncs uint64 // times that the packets were lost and had to be found again
}

const (
	sizeTimed     = 192
	sizeCorrected = 204
	confirm       = 3                       // packets in a row that show their size
	keptBytes     = confirm * sizeCorrected // enough to tell
	maxMisses     = 2
)

// Write takes the next bytes.
func (f *Framer) Write(data []byte) {
	if len(f.buf) == 0 && f.size == PacketSize { // nothing is left over: the usual case
		data = f.packets(data)
		f.buf = append(f.buf, data...)
		return
	}
	f.buf = append(f.buf, data...)
	for {
		if f.size == 0 && !f.find() {
			return
		}
		rest := f.packets(f.buf)
		f.buf = f.buf[:copy(f.buf, rest)]
		if f.size != 0 {
			return
		}
	}
}

// packets gives all whole packets and returns what is left.
func (f *Framer) packets(b []byte) []byte {
	for f.size > 0 && len(b) > 0 {
		n := min(f.owed, len(b))
		b, f.owed = b[n:], f.owed-n
		if len(b) < PacketSize {
			return b
		}
		if b[0] != syncByte {
			if f.misses++; f.misses > maxMisses {
				f.size, f.misses = 0, 0
				f.resyncs++
				return b
			}
			f.skipped += uint64(f.size)
		} else {
			f.misses = 0
			f.Packet(b[:PacketSize])
		}
		b, f.owed = b[PacketSize:], f.size-PacketSize
	}
	return b
}

// find looks for the first packet, and cuts off what is before it.
func (f *Framer) find() bool {
	for at := 0; at < len(f.buf); at++ {
		if f.buf[at] != syncByte {
			continue
		}
		size, more := sizeAt(f.buf[at:])
		if size == 0 && !more {
			continue
		}
		f.skip(at)
		f.size = size
		return size > 0
	}
	f.skip(len(f.buf))
	return false
}

func (f *Framer) skip(n int) {
	f.skipped += uint64(n)
	f.buf = f.buf[:copy(f.buf, f.buf[n:])]
}

// sizeAt tells how far apart packets are that begin here; more says that more bytes are
// needed.
func sizeAt(b []byte) (size int, more bool) {
	for _, s := range []int{PacketSize, sizeTimed, sizeCorrected} {
		seen := 1
		for seen < confirm && seen*s < len(b) && b[seen*s] == syncByte {
			seen++
		}
		if seen == confirm {
			return s, false
		}
		more = more || seen*s >= len(b)
	}
	return 0, more
}
