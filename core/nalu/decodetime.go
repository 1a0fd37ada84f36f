package nalu

// DecodeTimes derives decode times from presentation times, which is all that
// RTP carries. With at most n pictures reordered, the decode time of a picture
// is the (n+1)-th latest presentation time seen so far: nothing that is still
// to come can be shown before it.
//
// When the stream does not say how far it reorders, DecodeTimes starts at zero
// and widens when a picture proves it wrong; decode times never run backwards.
type DecodeTimes struct {
	latest []int64 // ascending; its length less one is the reordering allowed for
	last   int64
	begun  bool
	frame  int64 // ticks between pictures, the last good guess
}

// maxReorder is the largest DPB (A.3.1, item h).
const maxReorder = 16

// Reset starts a new timeline. reorder is VideoConfig.Reorder; frame is a guess of the
// ticks between two pictures, used before the first ones have been seen.
func (d *DecodeTimes) Reset(reorder int, frame int64) {
	*d = DecodeTimes{frame: max(frame, 1)}
	d.latest = make([]int64, 1, maxReorder+1)
	for range min(max(reorder, 0), maxReorder) {
		d.latest = append(d.latest, 0)
	}
}

// Next returns the decode time of the next picture in decoding order.
func (d *DecodeTimes) Next(pts int64) int64 {
	if !d.begun {
		d.begin(pts)
		return d.last
	}
	if pts < d.latest[0] && len(d.latest) <= maxReorder {
		d.latest = append(d.latest, 0)
		copy(d.latest[1:], d.latest)
		d.latest[0] = pts
	} else {
		d.insert(pts)
	}
	d.last = max(d.last+1, d.latest[0])
	return d.last
}

func (d *DecodeTimes) begin(pts int64) {
	n := len(d.latest)
	for i := range d.latest {
		d.latest[i] = pts - int64(n-1-i)*d.frame
	}
	d.begun, d.last = true, d.latest[0]
}

// insert puts pts in its place and drops the earliest.
func (d *DecodeTimes) insert(pts int64) {
	i := 0
	for i+1 < len(d.latest) && d.latest[i+1] < pts {
		d.latest[i] = d.latest[i+1]
		i++
	}
	if d.latest[i] < pts {
		d.latest[i] = pts
	}
}

// Reorder returns how many pictures the stream has been seen to reorder.
func (d *DecodeTimes) Reorder() int { return len(d.latest) - 1 }
