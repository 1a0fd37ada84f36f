// Package hls makes a feed's presentation: CMAF segments and parts of every rendition
// and of the audio, begun at the same places, and the playlists that list them: RFC
// 8216 and its successor, draft-pantos-hls-rfc8216bis, with low latency.
//
// Everything is held in memory. A segment in the making shares the data of its samples;
// where a finished one is kept is up to Config.Keep. Every name carries the run, so that
// nothing made by an earlier run of the service can be asked for or served by mistake.
//
// Limits: a segment over 64 MiB or with more than 20,000 samples is given up; 3 to 64
// segments are listed as wished, and more, up to 256, where it takes more of them to cover
// three target durations.
package hls

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"
)

const (
	maxSegmentBytes   = 64 << 20
	maxSegmentSamples = 20000
	maxListed         = 64
	maxCovering       = 256 // segments listed, however short they are
	coveredTargets    = 3   // target durations that a list covers (RFC 8216, 6.3.3)
	longestWanted     = time.Minute
	shortestWanted    = 500 * time.Millisecond
	shortestPart      = 50 * time.Millisecond
)

// The names of tracks that are no renditions.
const (
	// Original is the camera's own video.
	Original = "original"
	// Audio is the audio, which all renditions share.
	Audio = "audio"
)

// Config says how to cut.
type Config struct {
	// Run names this run of the feed; it becomes part of every name. Letters and
	// digits.
	Run string

	// Start is the wall clock at the beginning of the run. Media sequence numbers
	// begin from it, so that they go on growing over restarts. Discontinuity
	// sequence numbers begin at zero all the same: hls.js 1.7 hangs the page for
	// minutes when they are that large.
	Start time.Time

	Wanted time.Duration // wanted length of a segment, 0.5 s to 60 s
	Part   time.Duration // wanted length of a part, at most half of Wanted; 0 for none: no low latency
	Listed int           // segments in the playlist, 3 to 64, at least

	// Keep takes the finished parts of a segment to where it is served from. Nil
	// keeps the parts themselves.
	Keep func(parts [][]byte) Body
}

// Validate says what is wrong with a configuration.
func (c Config) Validate() error {
	switch {
	case c.Run == "":
		return errors.New("hls: no run given")
	case c.Wanted < shortestWanted || c.Wanted > longestWanted:
		return fmt.Errorf("hls: segments of %v wanted, 0.5 s to 60 s are possible", c.Wanted)
	case c.Part != 0 && (c.Part < shortestPart || c.Part > c.Wanted/2):
		return fmt.Errorf("hls: parts of %v wanted, 0.05 s to half a segment's %v are possible", c.Part, c.Wanted)
	case c.Listed < 3 || c.Listed > maxListed:
		return fmt.Errorf("hls: a list of %d segments wanted, 3 to %d are possible", c.Listed, maxListed)
	}
	return nil
}

// Presentation is a feed's HLS. It is safe for concurrent use.
type Presentation struct {
	cfg  Config
	cuts *Cuts

	mu     sync.Mutex
	tracks map[string]*Track // that are being made; guarded by mu
	opened int               // so far; guarded by mu
}

// New makes a presentation.
func New(cfg Config) (*Presentation, error) {
	if err := cfg.Validate(); err != nil {
		return nil, err
	}
	if cfg.Keep == nil {
		cfg.Keep = NewBody
	}
	return &Presentation{cfg: cfg, cuts: newCuts(cfg.Wanted, cfg.Start), tracks: make(map[string]*Track)}, nil
}

// Cuts is where the presentation's segments begin. It has to observe the camera's frames.
func (p *Presentation) Cuts() *Cuts { return p.cuts }

// Config returns how the presentation is cut.
func (p *Presentation) Config() Config { return p.cfg }

// Open begins a track: a rendition's, or Audio. One of this name must not be open. End it.
func (p *Presentation) Open(name string) *Track {
	p.mu.Lock()
	defer p.mu.Unlock()
	id := p.cfg.Run
	if p.opened > 0 { // a track that is opened again must not give old names to other things
		id = fmt.Sprintf("%s%d", id, p.opened)
	}
	p.opened++
	t := newTrack(p, name, id)
	p.tracks[name] = t
	return t
}

func (p *Presentation) close(t *Track) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.tracks[t.name] == t {
		delete(p.tracks, t.name)
	}
}

// others returns the other tracks that are being made, in the order of their names.
func (p *Presentation) others(of *Track) []*Track {
	p.mu.Lock()
	defer p.mu.Unlock()
	list := make([]*Track, 0, len(p.tracks))
	for _, t := range p.tracks {
		if t != of {
			list = append(list, t)
		}
	}
	slices.SortFunc(list, func(a, b *Track) int { return strings.Compare(a.name, b.name) })
	return list
}
