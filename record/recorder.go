package record

import (
	"context"
	"errors"
	"fmt"
	"time"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/recording"
	"webostrum/station"
	"webostrum/station/pipeline"
	"webostrum/wait"
)

const (
	retryEvery = time.Second
	diskEvery  = 5 * time.Second // until a disk that failed is tried again
	silence    = time.Second     // without frames, after which what there is is written
	pauseLeast = 2 * time.Second // a longer pause begins another stretch
	pauseSteps = 4               // or so many usual steps from frame to frame
	clockSlack = 2 * time.Second // capture times may be off by so much
	earlier    = 200 * time.Millisecond
)

// recorder records one feed until its context ends.
type recorder struct {
	lib   *Library
	feed  *station.Feed
	name  string
	from  time.Time // as far back as there is something, for motion; zero for now
	every time.Duration

	file    *file
	muxer   *recording.Muxer
	epoch   *media.Epoch
	last    *media.Sample
	follows bool // the next file goes on where the one before ended
}

// run records; a disk that fails is tried again.
func (r *recorder) run(ctx context.Context) {
	for ctx.Err() == nil {
		err := barrier.Do(func() error { return r.session(ctx) })
		r.ended(err)
		if errors.Is(err, errAgain) {
			continue
		}
		pause := retryEvery
		if r.lib.failed(r.name, err) {
			pause = diskEvery
		}
		wait.For(ctx, pause)
	}
}

// ended finishes what is being written.
func (r *recorder) ended(err error) {
	end := barrier.Do(func() error { return r.stretchEnds() })
	if end != nil && err == nil {
		r.lib.failed(r.name, end)
	}
	r.file, r.muxer, r.epoch, r.last, r.follows = nil, nil, nil, nil, false
}

// errAgain ends a session that another one follows at once: the camera has begun anew, and may
// have sound now, or send it otherwise.
var errAgain = errors.New("record: the camera has begun anew")

// session records a feed until it is coded otherwise, or nothing more comes of it.
func (r *recorder) session(ctx context.Context) error {
	s, err := r.feed.Stream(ctx, pipeline.Ask{Delivery: plan.HLS, Audio: true})
	if err != nil {
		return err
	}
	defer s.Release()
	video := s.Hub.NewReader()
	if !r.from.IsZero() {
		from := r.from
		video.Close()
		video = s.Hub.NewReaderAt(func(s *media.Sample) bool { return s.Key && !s.Captured.After(from) })
	}
	r.from = time.Time{}
	defer video.Close()
	var audio *hub.Reader
	defer func() {
		if audio != nil {
			audio.Close()
		}
	}()
	for {
		frame, missed, err := next(ctx, video)
		switch {
		case err != nil:
			return nil // the feed has ended, or the recording
		case frame == nil:
			if err := r.quiet(); err != nil {
				return err
			}
			continue
		case missed > 0 && r.muxer != nil:
			r.lib.slow(r.name, missed)
			if err := r.stretchEnds(); err != nil {
				return err
			}
		}
		if r.muxer != nil && frame.Epoch != r.epoch {
			return errAgain
		}
		if err := r.frame(frame, s.Audio); err != nil {
			return err
		}
		if s.Audio == nil || r.muxer == nil {
			continue
		}
		if audio == nil {
			audio = s.Audio.Hub.NewReaderFrom(frame.Captured.Add(-earlier))
		}
		for unit := audio.Try(); unit != nil; unit = audio.Try() {
			if !media.SameAudio(unit.Track, s.Audio.Track) {
				return errAgain
			}
			r.muxer.Audio(unit)
		}
	}
}

// next returns the next frame; none when there was none for a while.
func next(ctx context.Context, reader *hub.Reader) (*media.Sample, uint64, error) {
	limited, cancel := context.WithTimeout(ctx, silence)
	defer cancel()
	s, missed, err := reader.Next(limited)
	if err != nil && ctx.Err() == nil && errors.Is(err, context.DeadlineExceeded) {
		return nil, 0, nil
	}
	return s, missed, err
}

// quiet writes what there is when nothing comes.
func (r *recorder) quiet() error {
	if r.muxer == nil {
		return nil
	}
	return r.write(r.muxer.Flush())
}

// frame takes the next frame.
func (r *recorder) frame(s *media.Sample, audio *pipeline.Audio) error {
	if r.muxer != nil && r.breaks(s) {
		if err := r.stretchEnds(); err != nil {
			return err
		}
	}
	if r.muxer == nil {
		if !s.Key {
			return nil
		}
		if err := r.stretchBegins(s, audio); err != nil {
			return err
		}
	}
	r.last = s
	return r.write(r.muxer.Video(s))
}

// breaks says whether a frame does not go on where the one before ended.
func (r *recorder) breaks(s *media.Sample) bool {
	if s.Track != r.last.Track && !s.Track.Video.Equal(r.last.Track.Video) {
		return true
	}
	step := s.Track.Duration(s.DTS - r.last.DTS)
	usual := s.Track.Duration(r.muxer.Step())
	off := s.Captured.Sub(r.last.Captured) - s.Track.Duration(s.PTS-r.last.PTS)
	return step > max(pauseLeast, pauseSteps*usual) || off.Abs() > clockSlack
}

func (r *recorder) stretchBegins(s *media.Sample, audio *pipeline.Audio) error {
	var track *media.Track
	if audio != nil {
		track = audio.Track
	}
	m, err := recording.NewMuxer(s.Track, track)
	if err != nil {
		return fault.New(fault.RecordingUnfit, err, "%v", err)
	}
	r.muxer, r.epoch, r.follows = m, s.Epoch, false
	return nil
}

// stretchEnds writes what there is and finishes the file.
func (r *recorder) stretchEnds() error {
	if r.muxer == nil {
		return nil
	}
	err := r.write(r.muxer.Flush())
	r.muxer = nil
	if r.file != nil {
		err = errors.Join(err, r.file.finish())
		r.file = nil
	}
	return err
}

// write writes a fragment, into another file where the present one is long enough.
func (r *recorder) write(f *recording.Fragment) error {
	if f == nil {
		return nil
	}
	if r.file != nil && f.Key && r.long(f) {
		err := r.file.finish()
		r.file, r.follows = nil, true
		if err != nil {
			return err
		}
	}
	if r.file == nil {
		x, err := r.lib.openFile(r.name, r.lib.State(r.name).Why, r.muxer, f, r.follows)
		if err != nil {
			return fmt.Errorf("a file of the recording cannot be made: %w", err)
		}
		r.file = x
	} else if err := r.file.write(f); err != nil {
		return fmt.Errorf("the recording cannot be written: %w", err)
	}
	r.lib.wrote(r.name)
	return nil
}

func (r *recorder) long(f *recording.Fragment) bool {
	_, x := r.file.snapshot()
	return r.muxer.Track().Duration(f.Begin-x.First) >= r.every
}
