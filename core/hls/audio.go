package hls

import (
	"time"

	"webostrum/core/cmaf"
	"webostrum/core/media"
)

// Audio that was taken so much later than the newest picture comes from a clock that has
// jumped. It would push all after it away.
const audioAhead = 2 * time.Second

// AudioWriter lays audio beside the camera's frames and writes it to a track. It is for
// one goroutine.
type AudioWriter struct {
	track  *Track
	camera *media.Sample   // the newest frame: ties capture time to the timeline
	cut    Cut             // the stretch of the timeline that the line is on
	line   *cmaf.AudioLine // nil before the first frame
	audio  *media.Track
	begun  bool
	ended  int64 // where the newest frame of the stretch ends, ticks of audio
	epoch  *media.Epoch
	pace   cmaf.Timeline
}

// NewAudioWriter writes audio, coded as AAC in one way, to a track.
func NewAudioWriter(t *Track, audio *media.Track) (*AudioWriter, error) {
	if err := t.newInit(audio); err != nil {
		return nil, err
	}
	return &AudioWriter{track: t, audio: audio}, nil
}

// Frame takes the camera's newest frame, and writes the audio that goes before it.
func (w *AudioWriter) Frame(s *media.Sample) error {
	w.camera = s
	if s.Epoch != w.epoch {
		w.epoch = s.Epoch
		w.pace.Begin()
	}
	w.pace.Place(s)
	if err := w.settle(); err != nil {
		return err
	}
	if w.line == nil {
		return nil
	}
	w.ended = w.reached()
	w.line.Reach(w.ended)
	return w.pour(w.ended)
}

// Audio takes the next unit of audio. Where it belongs on the frames' timeline its
// capture time tells.
func (w *AudioWriter) Audio(s *media.Sample) error {
	if w.line == nil || !media.SameAudio(s.Track, w.audio) || s.Captured.Sub(w.camera.Captured) > audioAhead {
		return nil
	}
	target := w.at(w.camera.PTS) + w.audio.Ticks(s.Captured.Sub(w.camera.Captured))
	w.line.Write(s, target)
	return w.pour(w.reached())
}

// reached is where the newest frame ends; no segment that is not known begins before.
func (w *AudioWriter) reached() int64 {
	return w.at(w.camera.DTS + w.pace.Nominal(w.camera.Track))
}

// at converts a place on the frames' timeline to ticks of audio.
func (w *AudioWriter) at(pts int64) int64 {
	return w.audio.Ticks(w.camera.Track.Duration(pts))
}

// settle begins the line anew where the timeline breaks.
func (w *AudioWriter) settle() error {
	cut, ok := w.track.presentation.cuts.At(w.camera.Epoch, w.camera.PTS)
	if !ok || w.line != nil && cut.Breaks == w.cut.Breaks {
		return nil
	}
	err := w.Break()
	if back, ok := w.track.presentation.cuts.Beginning(); ok && back.Breaks == cut.Breaks && !w.begun {
		cut = back // a player has something to begin with at once
	}
	w.begun, w.cut, w.line = true, cut, cmaf.NewAudioLine(w.audio, w.at(cut.PTS))
	return err
}

// Break ends the segment in the making with the newest frame: the feed has stopped
// sending, or its timeline breaks off.
func (w *AudioWriter) Break() (err error) {
	if w.line != nil {
		w.line.Fill(w.ended)
		err = w.pour(w.line.Next())
	}
	w.track.closePending()
	w.line = nil
	return err
}

// pour writes what is before a place to the segments that it belongs to.
func (w *AudioWriter) pour(until int64) error {
	for {
		sample, begin, ok := w.line.Take(until)
		if !ok {
			return nil
		}
		if err := w.write(sample, begin); err != nil {
			return err
		}
	}
}

func (w *AudioWriter) write(s *media.Sample, begin int64) error {
	t := w.track
	// A unit belongs to the segment in which its middle is.
	place := w.camera.Track.Ticks(w.audio.Duration(begin + s.Length/2))
	cut, ok := t.presentation.cuts.At(w.cut.Epoch, place)
	if !ok || cut.Breaks != w.cut.Breaks {
		return nil
	}
	if t.pending == nil || cut.Sequence > t.pending.cut.Sequence {
		if cut.Sequence < t.nextSequence() {
			return nil
		}
		begins := cut.Begins.Add(w.audio.Duration(begin) - w.camera.Track.Duration(cut.PTS))
		t.begin(cut, begins)
	}
	return t.add(s, begin, uint32(s.Length))
}
