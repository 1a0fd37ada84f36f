package hls

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"math"
	"strings"
	"time"
)

// version 7 is what EXT-X-MAP outside I-frame playlists and fractional
// durations need, with room for what later drafts add compatibly.
const version = 7

// pdtLayout is RFC 3339 with milliseconds, as EXT-X-PROGRAM-DATE-TIME wants.
const pdtLayout = "2006-01-02T15:04:05.000Z07:00"

// Text is a playlist as it is sent.
type Text struct {
	Plain  []byte
	Packed []byte // the same, gzip
}

type playlists struct {
	media  Text
	multi  Text
	zipper *gzip.Writer // kept: making one costs most of a megabyte
}

// rates gathers what EXT-X-STREAM-INF promises.
type rates struct {
	peak    float64 // bits a second of the heaviest segment so far
	fastest float64 // fps of the segment with the most so far
	bits    float64
	seconds float64
	init    *initSection // of what is averaged over
}

// least is the length in seconds of a segment whose peak counts.
const least = 0.4

// headroom is what BANDWIDTH is more than the heaviest segment so far: a keyframe of a
// busier scene is yet to come, and it must be an upper bound (RFC 8216, 4.3.4.2).
const headroom = 1.25

// halfLife is how many seconds of segments the average looks back on.
const halfLife = 120

func (r *rates) add(seg *Segment, frames int) {
	secs := seg.Duration.Seconds()
	if secs <= 0 {
		return
	}
	if seg.init != r.init {
		*r = rates{init: seg.init}
	}
	bits := float64(seg.Body.Size()) * 8
	r.bits, r.seconds = r.bits+bits, r.seconds+secs
	if secs >= least { // of less it says nothing
		r.peak = max(r.peak, bits/secs)
		r.fastest = max(r.fastest, float64(frames)/secs)
	}
	if r.seconds > 2*halfLife {
		r.bits, r.seconds = r.bits/2, r.seconds/2
	}
}

func (p *playlists) write(g *Segmenter) {
	p.media = p.pack(g.mediaLocked())
	p.multi = p.pack(g.multiLocked())
}

func (p *playlists) pack(text string) Text {
	var b bytes.Buffer
	if p.zipper == nil {
		p.zipper = gzip.NewWriter(&b)
	}
	p.zipper.Reset(&b)
	_, _ = p.zipper.Write([]byte(text)) // a bytes.Buffer takes everything
	_ = p.zipper.Close()
	return Text{Plain: []byte(text), Packed: b.Bytes()}
}

// Media returns the media playlist; ok is false before the first segment.
func (g *Segmenter) Media() (t Text, ok bool) {
	g.mu.RLock()
	defer g.mu.RUnlock()
	return g.list.media, len(g.segments) > 0
}

// Multivariant returns the multivariant playlist; ok is false before the first
// segment.
func (g *Segmenter) Multivariant() (t Text, ok bool) {
	g.mu.RLock()
	defer g.mu.RUnlock()
	return g.list.multi, len(g.segments) > 0
}

// Target returns the target duration; zero before the first segment.
func (g *Segmenter) Target() time.Duration {
	g.mu.RLock()
	defer g.mu.RUnlock()
	return time.Duration(g.target) * time.Second
}

func (g *Segmenter) mediaLocked() string {
	listed := g.listedLocked()
	var b strings.Builder
	fmt.Fprintf(&b, "#EXTM3U\n#EXT-X-VERSION:%d\n#EXT-X-TARGETDURATION:%d\n", version, g.target)
	fmt.Fprintf(&b, "#EXT-X-MEDIA-SEQUENCE:%d\n#EXT-X-DISCONTINUITY-SEQUENCE:%d\n", listed[0].Sequence, g.breaks)
	b.WriteString("#EXT-X-INDEPENDENT-SEGMENTS\n")
	var init *initSection
	for i, seg := range listed {
		if seg.Discontinuity {
			b.WriteString("#EXT-X-DISCONTINUITY\n")
		}
		if i == 0 || seg.init != init {
			fmt.Fprintf(&b, "#EXT-X-MAP:URI=%q\n", seg.init.name)
			init = seg.init
		}
		fmt.Fprintf(&b, "#EXT-X-PROGRAM-DATE-TIME:%s\n", seg.Begins.UTC().Format(pdtLayout))
		fmt.Fprintf(&b, "#EXTINF:%.5f,\n%s\n", seg.Duration.Seconds(), seg.Name)
	}
	return b.String()
}

// multiLocked writes the multivariant playlist from what was measured. The
// media playlist stands beside it under the rendition's name.
func (g *Segmenter) multiLocked() string {
	init := g.segments[len(g.segments)-1].init
	r := &g.rates
	attrs := []string{
		fmt.Sprintf("BANDWIDTH=%d", int64(math.Ceil(headroom*max(r.peak, r.bits/max(r.seconds, 1e-3))))),
		fmt.Sprintf("AVERAGE-BANDWIDTH=%d", int64(math.Ceil(r.bits/max(r.seconds, 1e-3)))),
		fmt.Sprintf("CODECS=%q", init.codec),
		fmt.Sprintf("RESOLUTION=%dx%d", init.track.Width, init.track.Height),
		fmt.Sprintf("FRAME-RATE=%.3f", r.fastest),
	}
	return fmt.Sprintf("#EXTM3U\n#EXT-X-VERSION:%d\n#EXT-X-INDEPENDENT-SEGMENTS\n#EXT-X-STREAM-INF:%s\n%s/list.m3u8\n",
		version, strings.Join(attrs, ","), g.cfg.Name)
}

// Original is the name of the rendition that is the camera's own video.
const Original = "original"
