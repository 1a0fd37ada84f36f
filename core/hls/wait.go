package hls

import (
	"context"
	"errors"
)

// A player asks for a list that has a place in it: a part of a segment, or the whole of
// it (draft-pantos-hls-rfc8216bis, 6.2.5.2).
const (
	// WholeSegment asks for all of a segment.
	WholeSegment = -1

	farSegments = 2   // ahead of the newest that is listed
	farParts    = 3   // ahead of the newest part
	mostParts   = 600 // of a segment that nothing is known of: two minutes of the shortest
)

// place is what a request waits for.
type place struct {
	sequence uint64
	part     int
}

// ErrFarAhead is returned for a place that is too far ahead to be waited for; ErrEnded
// when the track is made no longer.
var (
	ErrFarAhead = errors.New("hls: too far ahead")
	ErrEnded    = errors.New("hls: the track has ended")
)

// Wait waits until the list has a part of a segment in it, or WholeSegment. Errors are
// ErrFarAhead, ErrEnded or the context's.
func (t *Track) Wait(ctx context.Context, sequence uint64, part int) error {
	at := place{sequence, part}
	for {
		there, err := t.register(at)
		if err != nil || there == nil {
			return err
		}
		select {
		case <-there:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// register returns what is closed when a place is there; nil when it is.
func (t *Track) register(at place) (<-chan struct{}, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	switch {
	case t.ended:
		return nil, ErrEnded
	case t.thereLocked(at):
		return nil, nil
	case t.farLocked(at):
		return nil, ErrFarAhead
	}
	c := t.waiting[at]
	if c == nil {
		c = make(chan struct{})
		t.waiting[at] = c
	}
	return c, nil
}

// newestLocked is the newest segment and how many parts of it are listed; all of it is
// there when parts is WholeSegment. ok is false before the first.
func (t *Track) newestLocked() (at place, ok bool) {
	if t.open != nil {
		return place{t.open.cut.Sequence, t.open.finished()}, true
	}
	if n := len(t.segments); n > 0 {
		return place{t.segments[n-1].cut.Sequence, WholeSegment}, true
	}
	return place{}, false
}

// finished is how many parts are done.
func (s *Segment) finished() int {
	n := len(s.parts)
	if n > 0 && !s.parts[n-1].done {
		n--
	}
	return n
}

func (t *Track) thereLocked(at place) bool {
	newest, ok := t.newestLocked()
	switch {
	case !ok || at.sequence > newest.sequence:
		return false
	case newest.part == WholeSegment:
	case at.sequence == newest.sequence:
		return at.part != WholeSegment && at.part < newest.part
	}
	if at.part == WholeSegment || at.sequence < newest.sequence-1 {
		return true
	}
	// A part behind the last of its segment is taken for the first of the next.
	if n := len(t.segments); n > 0 && t.segments[n-1].cut.Sequence == at.sequence && at.part >= len(t.segments[n-1].parts) && len(t.segments[n-1].parts) > 0 {
		return newest.sequence > at.sequence && newest.part > 0
	}
	return true
}

func (t *Track) farLocked(at place) bool {
	newest, ok := t.newestLocked()
	if !ok {
		return at.part > mostParts
	}
	listed := newest.sequence
	if newest.part != WholeSegment {
		listed--
	}
	far := at.sequence > listed+farSegments || at.part > mostParts
	return far || at.sequence == newest.sequence && newest.part != WholeSegment && at.part >= newest.part+farParts+1
}

// reachedLocked returns what waits for places that are there now.
func (t *Track) reachedLocked() (wake []chan struct{}) {
	for at, c := range t.waiting {
		if t.thereLocked(at) {
			delete(t.waiting, at)
			wake = append(wake, c)
		}
	}
	return wake
}

func wakeAll(list []chan struct{}) {
	for _, c := range list {
		close(c)
	}
}
