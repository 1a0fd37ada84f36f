package hls

import (
	"context"
	"strconv"
	"strings"
	"time"

	"webostrum/core/media"
)

// Piece is what a name of a track stands for: all of a body or a stretch of it, or a part
// that is being made.
type Piece struct {
	Body         Body
	Offset, Size int64
	Growing      *Growing // instead of a body
}

// Find returns what has a name: a segment, a part, or an initialisation section. A part
// that the list hints at is waited for until it begins. ok is false for a name of another
// run, and for what is no longer kept or not there yet.
func (t *Track) Find(ctx context.Context, name string) (piece Piece, ok bool) {
	if alias, ok := t.alias(name); ok {
		return t.findAlias(ctx, alias)
	}
	at, isPart := t.parsePart(name)
	if !isPart {
		return t.findWhole(name)
	}
	for {
		piece, ok, begins := t.findPart(at)
		if begins == nil {
			return piece, ok
		}
		select {
		case <-begins:
		case <-ctx.Done():
			return Piece{}, false
		}
	}
}

// parsePart reads the name of a part of this track.
func (t *Track) parsePart(name string) (at place, ok bool) {
	text, mine := strings.CutPrefix(name, t.id+"-")
	text, media := strings.CutSuffix(text, ".m4s")
	sequence, part, two := strings.Cut(text, ".")
	n, err := strconv.ParseUint(sequence, 10, 64)
	k, err2 := strconv.Atoi(part)
	return place{n, k}, mine && media && two && err == nil && err2 == nil && k >= 0 && partName(t.id, n, k) == name
}

func (t *Track) findWhole(name string) (piece Piece, ok bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for i := len(t.segments) - 1; i >= 0; i-- {
		seg := t.segments[i]
		if seg.name == name {
			return whole(seg.body), true
		}
		if seg.init.name == name {
			return whole(seg.init.body), true
		}
	}
	if t.open != nil && t.open.init.name == name {
		return whole(t.open.init.body), true
	}
	return Piece{}, false
}

func whole(b Body) Piece { return Piece{Body: b, Size: b.Size()} }

// findPart returns a part; begins is closed when the one that is asked for, and hinted
// at, may be there.
func (t *Track) findPart(at place) (piece Piece, ok bool, begins <-chan struct{}) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.open != nil && t.open.cut.Sequence == at.sequence && at.part < len(t.open.parts) {
		return Piece{Growing: t.open.parts[at.part].live}, true, nil
	}
	for i := len(t.segments) - 1; i >= 0; i-- {
		if seg := t.segments[i]; seg.cut.Sequence == at.sequence && at.part < len(seg.parts) {
			p := seg.parts[at.part]
			return Piece{Body: seg.body, Offset: p.offset, Size: p.size}, true, nil
		}
	}
	if hint, ok := t.hintLocked(); ok && (hint == at || at == place{t.open.cut.Sequence + 1, 0}) {
		if t.begun == nil {
			t.begun = make(chan struct{})
		}
		return Piece{}, false, t.begun
	}
	return Piece{}, false, nil
}

// hintLocked is the part that is made now, or next; ok is false when none is.
func (t *Track) hintLocked() (at place, ok bool) {
	if t.open == nil || t.ended || !t.lowLatency() {
		return place{}, false
	}
	n := t.open.finished()
	if n == len(t.open.parts) && t.endsLocked() {
		return place{t.open.cut.Sequence + 1, 0}, true
	}
	return place{t.open.cut.Sequence, n}, true
}

// endsLocked says whether the segment in the making is as long as the one before: then no
// more parts of it are to be expected, and players take one that never comes badly.
func (t *Track) endsLocked() bool {
	n := len(t.segments)
	if n == 0 || t.segments[n-1].init != t.open.init {
		return false
	}
	slack := t.step / 2
	if t.open.init.track.Kind == media.KindAudio {
		slack = t.step * 3 / 2 // a unit more or less
	}
	return t.open.ticks+slack >= t.segments[n-1].ticks
}

// beganLocked wakes those who wait for what is hinted at.
func (t *Track) beganLocked() {
	if t.begun != nil {
		close(t.begun)
		t.begun = nil
	}
}

// Names that hold whatever the track calls its segments: by their number, and
// initialisation sections by the stretch of the timeline (Cut.Breaks).
const (
	aliasMedia = "at-"
	aliasInit  = "at-init"
)

// alias is a segment, or an initialisation section, by number.
type alias struct {
	number uint64
	init   bool
}

func (t *Track) alias(name string) (a alias, ok bool) {
	text, isInit := strings.CutPrefix(name, aliasInit)
	if isInit {
		text, ok = strings.CutSuffix(text, ".mp4")
	} else {
		text, ok = strings.CutPrefix(name, aliasMedia)
		if ok {
			text, ok = strings.CutSuffix(text, ".m4s")
		}
	}
	n, err := strconv.ParseUint(text, 10, 64)
	return alias{n, isInit}, ok && err == nil
}

// findAlias waits for a segment that is being made.
func (t *Track) findAlias(ctx context.Context, a alias) (piece Piece, ok bool) {
	if !a.init {
		if err := t.Wait(ctx, a.number, WholeSegment); err != nil {
			return Piece{}, false
		}
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	for i := len(t.segments) - 1; i >= 0; i-- {
		seg := t.segments[i]
		switch {
		case a.init && seg.cut.Breaks == a.number:
			return whole(seg.init.body), true
		case !a.init && seg.cut.Sequence == a.number:
			return whole(seg.body), true
		}
	}
	return Piece{}, false
}

// IsAlias says whether a name is one that does not carry the track's own, such as
// at-1001.m4s.
func IsAlias(name string) bool { return strings.HasPrefix(name, aliasMedia) }

// Listed is a finished segment as it is listed.
type Listed struct {
	Sequence uint64
	Breaks   uint64 // discontinuities so far
	Origin   Origin
	Begins   time.Time
	Start    int64  // presentation time of its first sample, ticks
	Duration int64  // ticks
	Rate     uint32 // ticks a second
}

// Segments returns the segments that are listed.
func (t *Track) Segments() (list []Listed) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, s := range t.listedLocked() {
		list = append(list, Listed{s.cut.Sequence, s.cut.Breaks, s.cut.Origin, s.begins, s.start, s.ticks, s.init.track.ClockRate})
	}
	return list
}
