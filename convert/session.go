package convert

import (
	"context"
	"errors"
	"fmt"
	"time"

	"webostrum/core/convert"
	"webostrum/core/hub"
	"webostrum/core/media"
)

// session is one life of a worker.
type session struct {
	c      *Converter
	worker *Worker
	reader *hub.Reader

	epoch    *media.Epoch // of the pictures that the worker gets
	bound    map[*Output]uint32
	bindings map[uint32]*binding // guarded by c.mu
	next     uint32
	keysOnly bool // the worker gets keyframes alone

	last    *media.Sample // handed over
	arrived time.Time     // when it was
	lastAt  time.Time     // when it, or its repetition, was
	vigil   vigil
}

var errNoLonger = errors.New("convert: nothing is wanted any more")

// session runs a worker until it fails, or nothing is wanted any more.
func (c *Converter) session(ctx context.Context) error {
	s := &session{c: c, bindings: make(map[uint32]*binding), bound: make(map[*Output]uint32), keysOnly: true}
	worker, err := Start(c.cfg.Program, Events{Coded: s.coded, Tally: s.tally})
	if err != nil {
		return err
	}
	s.worker = worker
	defer c.gone()
	defer worker.Close()
	s.reader = c.cfg.Source.NewReader()
	defer func() { s.reader.Close() }()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	go func() { // ends with the worker, which is closed above
		<-worker.Done()
		cancel()
	}()
	c.started(worker.PID())
	err = s.run(ctx)
	if errors.Is(err, errNoLonger) || errors.Is(err, hub.ErrClosed) {
		return nil
	}
	select {
	case <-worker.Done():
		return worker.err
	default:
		return err
	}
}

func (s *session) coded(stamp convert.Stamp, data []byte) {
	s.c.mu.Lock()
	defer s.c.mu.Unlock()
	if b := s.bindings[stamp.Output]; b != nil {
		b.publish(stamp, data)
	}
}

// run hands pictures over.
func (s *session) run(ctx context.Context) error {
	for {
		if err := s.arrange(time.Now()); err != nil {
			return err
		}
		if err := s.check(time.Now()); err != nil {
			return err
		}
		sample, missed, err := s.read(ctx)
		s.c.dropped(missed)
		switch {
		case err == nil:
			err = s.hand(sample)
		case errors.Is(err, context.DeadlineExceeded) && ctx.Err() == nil:
			err = s.repeat(time.Now())
		}
		if err != nil {
			return err
		}
	}
}

// read waits for the next picture, but no longer than a tick.
func (s *session) read(ctx context.Context) (*media.Sample, uint64, error) {
	ctx, cancel := context.WithTimeout(ctx, tick)
	defer cancel()
	// A picture that can be decoded by itself is passed over when a newer one is
	// there.
	if s.keysOnly || s.epoch != nil && s.epoch.Video().Codec == media.JPEG {
		sample, missed, err := s.reader.Newest(ctx)
		if s.keysOnly {
			missed = 0
		}
		return sample, missed, err
	}
	return s.reader.Next(ctx)
}

// arrange tells the worker which outputs there are.
func (s *session) arrange(now time.Time) error {
	list := s.c.present(now)
	if len(list) == 0 {
		return errNoLonger
	}
	s.chooseFrames(list)
	if s.epoch == nil {
		return nil // with the first picture
	}
	wanted := make(map[*Output]bool, len(list))
	added := false
	for _, o := range list {
		wanted[o] = true
		if _, ok := s.bound[o]; ok {
			continue
		}
		added = true
		if err := s.bind(o); err != nil {
			return err
		}
	}
	for o, number := range s.bound {
		if !wanted[o] {
			s.unbind(o, number)
			if err := s.worker.EndOutput(number); err != nil {
				return err
			}
		}
	}
	if added && s.last != nil && s.last.Track.Codec == media.JPEG {
		return s.send(s.last, false) // the next one may be long in coming
	}
	return nil
}

// chooseFrames decides whether keyframes are enough. When they no longer are,
// reading begins anew at the newest one.
func (s *session) chooseFrames(list []*Output) {
	only := true
	for _, o := range list {
		only = only && o.wish.KeyframesOnly
	}
	if only == s.keysOnly {
		return
	}
	s.keysOnly = only
	s.reader.Close()
	s.reader = s.c.cfg.Source.NewReader()
}

// bind has an output made of the present epoch's pictures.
func (s *session) bind(o *Output) error {
	video := s.epoch.Video()
	made, note := o.wish.Resolve(video.Width, video.Height)
	s.next++
	made.Number = s.next
	s.c.mu.Lock()
	o.made, o.note = made, note
	s.bindings[made.Number] = &binding{output: o, made: made, source: s.epoch}
	s.c.mu.Unlock()
	s.bound[o] = made.Number
	return s.worker.Output(made)
}

func (s *session) unbind(o *Output, number uint32) {
	delete(s.bound, o)
	s.c.mu.Lock()
	delete(s.bindings, number)
	s.c.mu.Unlock()
}

// hand gives the worker a picture. One that others wait behind is only decoded:
// whole pictures are left out, and nothing falls behind without end.
func (s *session) hand(sample *media.Sample) error {
	if sample.Epoch != s.epoch {
		if err := s.begin(sample); err != nil {
			return err
		}
	}
	late := !s.keysOnly && sample.Track.Codec != media.JPEG && s.reader.Behind() > mayWait
	switch {
	case !late:
		s.last, s.arrived = sample, time.Now()
	case s.last != nil: // else it is catching up from the last keyframe
		s.c.dropped(1)
	}
	return s.send(sample, late)
}

func (s *session) send(sample *media.Sample, late bool) error {
	now := time.Now()
	s.vigil.given(now)
	s.lastAt = now
	return s.worker.Picture(convert.Stamp{PTS: sample.PTS, Captured: sample.Captured.UnixNano(), Key: sample.Key, Late: late}, sample.Data)
}

// begin tells the worker of a new epoch, and has all outputs made anew.
func (s *session) begin(sample *media.Sample) error {
	for o, number := range s.bound {
		s.unbind(o, number)
		if err := s.worker.EndOutput(number); err != nil {
			return err
		}
	}
	t := sample.Track
	in := convert.Input{Codec: t.Codec, Width: t.Width, Height: t.Height, Sets: t.H264}
	if err := s.worker.Input(in); err != nil {
		return err
	}
	s.epoch, s.last = sample.Epoch, nil
	return s.arrange(time.Now())
}

// repeat keeps video going when no new picture comes, as from a camera that
// sends stills.
func (s *session) repeat(now time.Time) error {
	if s.last == nil || s.last.Track.Codec != media.JPEG || now.Sub(s.lastAt) < repeatAfter || !s.c.cfg.Live() {
		return nil
	}
	s.lastAt = now
	passed := now.Sub(s.arrived)
	return s.worker.Repeat(convert.Stamp{PTS: s.last.PTS + s.last.Track.Ticks(passed), Captured: s.last.Captured.Add(passed).UnixNano()})
}

// check looks after the worker: it must not be silent or greedy.
func (s *session) check(now time.Time) error {
	usage, err := s.vigil.look(s.worker, now)
	if usage == nil {
		return err
	}
	s.c.measure(*usage, now)
	if usage.Memory > s.c.cfg.MaxMemory {
		s.worker.Kill()
		return fmt.Errorf("the codec worker took %d MiB of memory, more than the %d that it may", usage.Memory>>20, s.c.cfg.MaxMemory>>20)
	}
	return nil
}

func (s *session) tally(t convert.Tally) {
	s.c.mu.Lock()
	defer s.c.mu.Unlock()
	g := &s.c.gauge
	g.tally(t, time.Now())
	for number, b := range s.bindings {
		g.output(b.output.wish.Key(), t.Outputs[number], number)
	}
}
