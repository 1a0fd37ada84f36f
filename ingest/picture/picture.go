// Package picture turns the JPEG pictures of HTTP cameras into samples: it reads
// their headers, puts in what they leave out, begins an epoch when their size
// changes, and tells when they were taken.
package picture

import (
	"bytes"
	"errors"
	"strconv"
	"strings"
	"sync"
	"time"

	"webostrum/core/arrival"
	"webostrum/core/fault"
	"webostrum/core/jpeg"
	"webostrum/core/media"
	"webostrum/ingest/source"
)

const (
	clockRate = 90000
	mostOdd   = 16 // pictures in a row that make no sense
)

// Publisher publishes one camera's pictures. Take is for one goroutine; Facts for
// any.
type Publisher struct {
	cfg   source.Config
	epoch *media.Epoch
	next  uint64
	clock arrival.Clock
	first time.Time // capture time of the epoch's first picture
	last  int64     // PTS
	odd   int       // pictures in a row that made no sense

	mu    sync.Mutex
	facts source.Facts // guarded by mu
}

// New makes a publisher. way is what Facts tell.
func New(cfg source.Config, way string) *Publisher {
	return &Publisher{cfg: cfg, next: cfg.FirstEpoch, facts: source.Facts{
		Transport: way, Codec: media.JPEG,
		Tracks: []source.TrackFacts{{Kind: media.KindVideo.String(), Codec: string(media.JPEG), ClockRate: clockRate, Used: true}},
	}}
}

// Facts implements source.Session.
func (p *Publisher) Facts() source.Facts {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.facts
}

// Count changes the counts and what the camera calls itself.
func (p *Publisher) Count(change func(*source.Facts)) {
	p.mu.Lock()
	defer p.mu.Unlock()
	change(&p.facts)
}

// NextEpoch is the number for the first epoch of the session that comes after.
func (p *Publisher) NextEpoch() uint64 { return p.next }

// Began says whether a picture was published.
func (p *Publisher) Began() bool { return p.epoch != nil }

// Take publishes a picture, whose bytes it copies; stamp is the time that the
// camera wrote beside it, or zero. Pictures that make no sense are counted and
// left out until there are many in a row. resized says that the size is another
// than before. Errors are *fault.Error.
func (p *Publisher) Take(data []byte, arrived, stamp time.Time) (resized bool, err error) {
	h, err := jpeg.Parse(data)
	switch {
	case errors.Is(err, jpeg.ErrUnsupported):
		return false, fault.New(fault.PictureOdd, err, "%s", strings.TrimPrefix(err.Error(), jpeg.ErrUnsupported.Error()+": "))
	case err != nil:
		p.Count(func(f *source.Facts) { f.Stats.Dropped++ })
		if p.odd++; p.odd >= mostOdd {
			return false, fault.New(fault.NoPicture, err, "%d in a row made no sense: %v", p.odd, err)
		}
		return false, nil
	}
	p.odd = 0
	began := p.Began()
	captured := p.clock.Read(arrived, stamp)
	resized = p.arrange(h, captured)
	track := p.epoch.Tracks[0]
	pts := track.Ticks(captured.Sub(p.first))
	if pts <= p.last {
		pts = p.last + 1
	}
	p.last = pts
	whole := h.Complete(data)
	if h.HuffmanTables {
		whole = bytes.Clone(data)
	}
	p.Count(func(f *source.Facts) {
		f.Sampling, f.Width, f.Height = h.Sampling, h.Width, h.Height
		f.FromCamera, f.WallOffset = p.clock.FromCamera(), p.clock.WallOffset()
	})
	p.cfg.Publish(&media.Sample{Epoch: p.epoch, Track: track, DTS: pts, PTS: pts, Captured: captured, Key: true, Data: whole})
	if !began {
		p.cfg.Started(p)
	}
	return resized, nil
}

// arrange begins an epoch when there is none, or the size is another.
func (p *Publisher) arrange(h *jpeg.Header, captured time.Time) (resized bool) {
	if p.epoch != nil {
		t := p.epoch.Tracks[0]
		if t.Width == h.Width && t.Height == h.Height {
			return false
		}
		resized = true
	}
	p.epoch = &media.Epoch{Number: p.next, Tracks: []*media.Track{
		media.VideoTrack(1, clockRate, h.Config()),
	}}
	p.next++
	p.first, p.last = captured, -1
	return resized
}

// Stamp finds the time that a camera has written into the headers of a part or of
// an answer: a header whose name speaks of a time stamp, in seconds,
// milliseconds or microseconds since 1970, or by RFC 3339.
func Stamp(headers []byte) time.Time {
	for line := range bytes.Lines(headers) {
		name, value, ok := bytes.Cut(line, []byte(":"))
		if !ok || !strings.Contains(strings.ReplaceAll(strings.ToLower(string(name)), "-", ""), "timestamp") {
			continue
		}
		if at := parseStamp(string(bytes.TrimSpace(value))); !at.IsZero() {
			return at
		}
	}
	return time.Time{}
}

func parseStamp(text string) time.Time {
	if at, err := time.Parse(time.RFC3339Nano, text); err == nil {
		return at
	}
	v, err := strconv.ParseFloat(text, 64)
	const seconds, millis, micros = 1e8, 1e11, 1e14 // from 1973 on each of them is told by its size
	switch {
	case err != nil || !(v >= seconds && v < 1e17):
		return time.Time{}
	case v >= micros:
		return time.UnixMicro(int64(v))
	case v >= millis:
		return time.UnixMilli(int64(v))
	}
	return time.UnixMicro(int64(v * 1e6))
}
