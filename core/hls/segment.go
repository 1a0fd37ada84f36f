package hls

import (
	"fmt"
	"time"

	"webostrum/core/fmp4"
	"webostrum/core/media"
)

// Segment is a media segment, in the making or finished. Its number and name are known
// from when it begins. A finished one is immutable.
type Segment struct {
	cut    Cut
	name   string
	begins time.Time // capture time of its first sample
	start  int64     // presentation time of it, ticks
	init   *initSection
	ticks  int64 // length so far
	frames int
	parts  []*Part
	body   Body // nil in the making
	track  *Track

	// What is not in a chunk yet.
	samples   []*media.Sample
	durations []uint32
	begin     int64 // decode time of the first of samples
	bytes     int   // of all
	pieces    [][]byte
}

// Part is a partial segment, in the making or finished.
type Part struct {
	segment     *Segment
	index       int
	ticks       int64
	independent bool
	offset      int64 // in the segment
	size        int64
	done        bool
	live        *Growing // nil once the segment is finished
}

type initSection struct {
	name  string
	body  Body
	codec string
	track *media.Track
}

func (s *Segment) duration() time.Duration { return s.init.track.Duration(s.ticks) }

func (p *Part) duration() time.Duration { return p.segment.init.track.Duration(p.ticks) }

func (p *Part) name() string { return partName(p.segment.track.id, p.segment.cut.Sequence, p.index) }

func partName(id string, sequence uint64, index int) string {
	return fmt.Sprintf("%s-%d.%d.m4s", id, sequence, index)
}

func segmentName(id string, sequence uint64) string { return fmt.Sprintf("%s-%d.m4s", id, sequence) }

// chunk makes a CMAF chunk of the samples that are not in one yet.
func (s *Segment) chunk(number uint32) [][]byte {
	if len(s.samples) == 0 {
		return nil
	}
	c := fmp4.Fragment(number, []fmp4.Run{{Track: s.init.track, Begin: s.begin, Samples: s.samples, Durations: s.durations}})
	s.samples, s.durations = nil, nil
	s.pieces = append(s.pieces, c...)
	return c
}
