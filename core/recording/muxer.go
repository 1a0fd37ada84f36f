// Package recording is what recordings are made of, without disks and clocks: fragments of
// samples, names of files, playlists over files, exports, timetables, and what is removed
// when.
//
// Limits: a fragment is half a second long and no more than 1,000 samples; a playlist lists
// 4,000 segments, an export 2,000,000 samples.
package recording

import (
	"fmt"
	"time"

	"webostrum/core/cmaf"
	"webostrum/core/fmp4"
	"webostrum/core/media"
)

// FragmentLength is how long a fragment is at least, unless a keyframe begins the next: what
// a cut of power costs.
const FragmentLength = 500 * time.Millisecond

const (
	mostSamples = 1000 // of a fragment
	mostAhead   = 2 * time.Second
	videoID     = 1
	audioID     = 2
)

// Muxer makes fragments of the samples of one epoch, on one unbroken timeline. It is not safe
// for concurrent use.
type Muxer struct {
	video, audio *media.Track
	init         []byte
	timeline     cmaf.Timeline
	line         *cmaf.AudioLine
	frame        *media.Sample // the newest
	at           int64         // where the newest frame is shown, ticks of the video's clock
	run          fmp4.Run
}

// Fragment is some samples of video with the audio beside them.
type Fragment struct {
	Begin    int64     // DTS of its first frame, ticks of the video's clock
	Shown    int64     // when that frame is shown
	End      int64     // where the next fragment begins
	Captured time.Time // when the first frame was taken
	Key      bool      // it begins with a keyframe
	runs     []fmp4.Run
}

// NewMuxer makes a muxer of H.264 or H.265, and of AAC where audio is not nil. Errors are as
// in fmp4.Init.
func NewMuxer(video, audio *media.Track) (*Muxer, error) {
	v := *video
	v.ID = videoID
	m := &Muxer{video: &v}
	tracks := []*media.Track{m.video}
	if audio != nil {
		a := *audio
		a.ID = audioID
		m.audio = &a
		tracks = append(tracks, m.audio)
	}
	var err error
	m.init, err = fmp4.Init(tracks)
	return m, err
}

// Init is the initialisation section of the files.
func (m *Muxer) Init() []byte { return m.init }

// Track is the video's, as it is in the files.
func (m *Muxer) Track() *media.Track { return m.video }

// Video takes the next frame in decoding order. What it returns is complete; nil when
// nothing is.
func (m *Muxer) Video(s *media.Sample) *Fragment {
	var done *Fragment
	if n := len(m.run.Samples); n > 0 && (s.Key || m.length() >= FragmentLength || n >= mostSamples) {
		done = m.Flush()
	}
	begin, duration := m.timeline.Place(s)
	if len(m.run.Samples) == 0 {
		m.run = fmp4.Run{Track: m.video, Begin: begin}
	}
	m.run.Samples, m.run.Durations = append(m.run.Samples, s), append(m.run.Durations, duration)
	m.frame, m.at = s, begin+s.PTS-s.DTS
	if m.audio != nil {
		at := m.audio.Ticks(m.video.Duration(m.at))
		if m.line == nil {
			m.line = cmaf.NewAudioLine(m.audio, at)
		}
		m.line.Reach(at)
	}
	return done
}

// Audio takes the next unit of audio; its capture time tells where it belongs.
func (m *Muxer) Audio(s *media.Sample) {
	if m.line == nil || !media.SameAudio(s.Track, m.audio) {
		return
	}
	if off := s.Captured.Sub(m.frame.Captured); off < mostAhead {
		m.line.Write(s, m.audio.Ticks(m.video.Duration(m.at))+m.audio.Ticks(off))
	}
}

func (m *Muxer) length() time.Duration {
	return m.video.Duration(m.timeline.Next() - m.run.Begin)
}

// Pending is how much waits to become a fragment.
func (m *Muxer) Pending() time.Duration {
	if len(m.run.Samples) == 0 {
		return 0
	}
	return m.length()
}

// Flush makes a fragment of what there is; nil when there is nothing.
func (m *Muxer) Flush() *Fragment {
	if len(m.run.Samples) == 0 {
		return nil
	}
	first := m.run.Samples[0]
	f := &Fragment{
		Begin: m.run.Begin, Shown: m.run.Begin + first.PTS - first.DTS, End: m.timeline.Next(),
		Captured: first.Captured, Key: first.Key, runs: []fmp4.Run{m.run},
	}
	m.run = fmp4.Run{}
	if m.line != nil {
		if begin, samples, durations := m.line.Drain(); len(samples) > 0 {
			f.runs = append(f.runs, fmp4.Run{Track: m.audio, Begin: begin, Samples: samples, Durations: durations})
		}
	}
	return f
}

// Parts are the fragment's bytes, to be written one after the other: when its first frame was
// taken, and the fragment. sequence is its number in the file, from 1.
func (f *Fragment) Parts(sequence uint32) [][]byte {
	told := fmp4.ReferenceTime(f.runs[0].Track, f.Shown, f.Captured)
	return append([][]byte{told}, fmp4.Fragment(sequence, f.runs)...)
}

// String is for logs and test failures.
func (f *Fragment) String() string {
	return fmt.Sprintf("%d frames from %d to %d, key=%t", len(f.runs[0].Samples), f.Begin, f.End, f.Key)
}

// HasAudio says whether there is audio in the files.
func (m *Muxer) HasAudio() bool { return m.audio != nil }

// Step is the usual step from frame to frame, ticks of the video's clock.
func (m *Muxer) Step() int64 { return m.timeline.Nominal(m.video) }
