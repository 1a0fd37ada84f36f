package convert

import (
	"context"
	"errors"
	"time"

	"webostrum/core/convert"
	"webostrum/core/hub"
	"webostrum/core/media"
)

// soundSession is one life of a worker.
type soundSession struct {
	c      *Sound
	worker *Worker
	track  *media.Track
	number uint32

	vigil vigil

	made map[uint32]soundMade // guarded by c.mu
}

// soundMade is what a number of the worker's stands for.
type soundMade struct {
	output *SoundOutput
	order  convert.SoundOutput
	track  *media.Track
}

func (c *Sound) session(ctx context.Context) error {
	s := &soundSession{c: c, made: make(map[uint32]soundMade)}
	worker, err := Start(c.cfg.Program, Events{Coded: s.coded})
	if err != nil {
		return err
	}
	s.worker = worker
	defer worker.Close()
	c.runs(worker.PID())
	defer c.runs(0)
	reader := c.cfg.Source.NewReader()
	defer reader.Close()
	for {
		if done, err := s.arrange(); done || err != nil {
			return err
		}
		if err := s.check(time.Now()); err != nil {
			return err
		}
		wait, cancel := context.WithTimeout(ctx, tick)
		sample, _, err := reader.Next(wait)
		cancel()
		switch {
		case errors.Is(err, context.DeadlineExceeded) && ctx.Err() == nil:
			err = s.alive()
		case err == nil:
			err = s.hand(sample)
		}
		if errors.Is(err, hub.ErrClosed) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

// alive notices a worker that dies while there is nothing to hear.
func (s *soundSession) alive() error {
	select {
	case <-s.worker.Done():
		return s.worker.err
	default:
		return nil
	}
}

// check looks after the worker: it must not be silent.
func (s *soundSession) check(now time.Time) error {
	usage, err := s.vigil.look(s.worker, now)
	if usage == nil {
		return err
	}
	s.c.mu.Lock()
	defer s.c.mu.Unlock()
	s.c.memory = usage.Memory
	s.c.busy.add(convert.Work{Busy: usage.Processor}, now)
	return nil
}

// hand gives the worker a unit.
func (s *soundSession) hand(sample *media.Sample) error {
	s.vigil.given(time.Now())
	if !media.SameSound(s.track, sample.Track) {
		if err := s.begin(sample.Track); err != nil {
			return err
		}
	}
	return s.worker.Sound(convert.Stamp{PTS: sample.PTS, Captured: sample.Captured.UnixNano()}, sample.Data)
}

// begin tells the worker how the sound is coded from here on.
func (s *soundSession) begin(t *media.Track) error {
	for number := range s.made {
		if err := s.end(number); err != nil {
			return err
		}
	}
	s.track = t
	if err := s.worker.SoundInput(convert.InputOf(t)); err != nil {
		return err
	}
	_, err := s.arrange()
	return err
}

func (s *soundSession) end(number uint32) error {
	s.c.mu.Lock()
	delete(s.made, number)
	s.c.mu.Unlock()
	return s.worker.EndOutput(number)
}

// arrange tells the worker which outputs there are; done says that there are none.
func (s *soundSession) arrange() (done bool, err error) {
	list := s.c.used(time.Now())
	if len(list) == 0 || s.track == nil {
		return len(list) == 0, nil
	}
	bound := make(map[*SoundOutput]uint32)
	for number, m := range s.made {
		bound[m.output] = number
	}
	for _, o := range list {
		if _, ok := bound[o]; ok {
			delete(bound, o)
			continue
		}
		if err := s.bind(o); err != nil {
			return false, err
		}
	}
	for _, number := range bound {
		if err := s.end(number); err != nil {
			return false, err
		}
	}
	return false, nil
}

func (s *soundSession) bind(o *SoundOutput) error {
	order, track := convert.Sound(s.track, o.codec)
	s.number++
	order.Number = s.number
	s.c.mu.Lock()
	s.made[s.number] = soundMade{o, order, track}
	o.epoch = &media.Epoch{Number: o.next, Tracks: []*media.Track{track}}
	o.next++
	s.c.mu.Unlock()
	return s.worker.SoundOutput(order)
}

// coded publishes a unit that the worker made.
func (s *soundSession) coded(stamp convert.Stamp, data []byte) {
	s.c.mu.Lock()
	defer s.c.mu.Unlock()
	m, ok := s.made[stamp.Output]
	if !ok || s.c.closed {
		return
	}
	pts := stamp.PTS * int64(m.track.ClockRate) / int64(m.order.SampleRate)
	m.output.hub.Publish(&media.Sample{
		Epoch: m.output.epoch, Track: m.track, DTS: pts, PTS: pts, Length: m.order.Ticks(m.track), Captured: time.Unix(0, stamp.Captured),
		Key: true, Data: data,
	})
}
