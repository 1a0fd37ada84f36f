package transcode

import (
	"context"
	"time"

	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
)

// Still decodes one keyframe and returns it as JPEG, no wider than width pixels. It takes
// a worker of its own.
func Still(ctx context.Context, program string, s *media.Sample, width int) ([]byte, error) {
	if s.Track.Codec == media.JPEG && s.Track.Width <= width {
		return s.Data, nil
	}
	w := Stills{Program: program, Width: width}
	defer w.Close()
	return w.Of(ctx, s)
}

// Stills makes JPEG of keyframes, one after the other, by one worker, which is started with
// the first. All are of the size of the first. It is for one goroutine; close it.
type Stills struct {
	Program string
	Width   int // pixels at most; 0 is as they are
	Quality int // 1 to 100; 0 is the usual

	worker *Worker
	coded  chan codedStill
	input  *media.Track
	number int64 // of the newest keyframe
}

type codedStill struct {
	number int64
	data   []byte
}

// stillWithin is how long a worker may take for one.
const stillWithin = 5 * time.Second

// Of returns a keyframe as JPEG. One that cannot be decoded is an error after some seconds.
func (s *Stills) Of(ctx context.Context, frame *media.Sample) ([]byte, error) {
	if err := s.open(frame.Track); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, stillWithin)
	defer cancel()
	s.number++
	if err := s.worker.Frame(workerproto.Stamp{PTS: s.number, Captured: frame.Captured.UnixNano(), Key: true}, frame.Data); err != nil {
		return nil, err
	}
	for {
		select {
		case c := <-s.coded:
			if c.number == s.number {
				return c.data, nil // others come too late
			}
		case <-s.worker.Done():
			err := s.worker.err
			s.worker = nil // another one is started for the next
			return nil, err
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// open has the worker take what a track sends.
func (s *Stills) open(t *media.Track) error {
	if s.Program == "" {
		return ErrNoWorker
	}
	first := s.worker == nil
	if first {
		var err error
		coded := make(chan codedStill, 4)
		s.coded = coded
		if s.worker, err = Start(s.Program, Events{Coded: func(stamp workerproto.Stamp, data []byte) {
			select {
			case coded <- codedStill{stamp.PTS, data}:
			default:
			}
		}}); err != nil {
			return err
		}
	}
	if first || !s.input.Video.Equal(t.Video) {
		if err := s.worker.Input(workerproto.InputOf(t)); err != nil {
			return err
		}
		s.input = t
	}
	if !first {
		return nil
	}
	width := t.Width
	if s.Width > 0 {
		width = min(s.Width, width)
	}
	e, _ := rendition.Rendition{Codec: media.JPEG, Size: rendition.Size{Width: width}, Quality: s.Quality}.Resolve(t.Width, t.Height)
	return s.worker.Output(workerproto.Output{Number: 1, Encoding: e})
}

// Close ends the worker.
func (s *Stills) Close() {
	if s.worker != nil {
		s.worker.Close()
	}
}
