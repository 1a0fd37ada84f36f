package transcode

import (
	"context"
	"errors"
	"fmt"
	"time"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/workerproto"
)

// medium is how a session treats what it transcodes: video, or audio.
type medium interface {
	// wanted is told which outputs there are, before each sample is read.
	wanted(list []*Output)
	// read waits for the next sample.
	read(ctx context.Context) (s *media.Sample, missed uint64, err error)
	// same says whether one decoder does for both samples.
	same(a, b *media.Sample) bool
	// begin tells the worker what the samples are that follow.
	begin(s *media.Sample) error
	// bind has the worker make an output of them, under a number.
	bind(o *Output, number uint32) (*binding, error)
	// bound is called when outputs were added.
	bound() error
	// hand gives the worker a sample.
	hand(s *media.Sample) error
	// idle is called when no sample came for a tick.
	idle(now time.Time) error
}

// session is one life of a worker: it binds the outputs that are used, hands samples
// over, and watches the worker.
type session struct {
	t      *transcoder
	medium medium
	worker *Worker
	reader *hub.Reader
	dog    watchdog

	first    *media.Sample // of what the worker decodes at present
	numbers  map[*Output]uint32
	bindings map[uint32]*binding // guarded by t.mu
	next     uint32
}

var errUnused = errors.New("transcode: nothing is used any more")

// session runs a worker until it fails, or nothing is used any more.
func (t *transcoder) session(ctx context.Context) error {
	s := &session{t: t, bindings: make(map[uint32]*binding), numbers: make(map[*Output]uint32)}
	s.medium = t.medium(s)
	worker, err := Start(t.cfg.Program, Events{Coded: s.coded, Tally: s.tally})
	if err != nil {
		return err
	}
	s.worker = worker
	defer t.gone()
	defer worker.Close()
	s.reader = t.cfg.Source.NewReader()
	defer func() { s.reader.Close() }()
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	go func() { // ends with the worker, which is closed above
		<-worker.Done()
		cancel()
	}()
	t.started(worker.PID())
	err = s.run(ctx)
	switch {
	case errors.Is(err, errUnused), errors.Is(err, hub.ErrClosed):
		return nil
	case !errors.Is(err, context.Canceled):
		return err // what was noticed says more than what it led to
	}
	select {
	case <-worker.Done():
		return worker.err
	default:
		return err
	}
}

func (s *session) coded(stamp workerproto.Stamp, data []byte) {
	s.t.mu.Lock()
	defer s.t.mu.Unlock()
	if b := s.bindings[stamp.Output]; b != nil {
		b.publishLocked(stamp, data)
	}
}

// run hands samples over.
func (s *session) run(ctx context.Context) error {
	for {
		if err := s.arrange(time.Now()); err != nil {
			return err
		}
		if err := s.check(time.Now()); err != nil {
			return err
		}
		wait, cancel := context.WithTimeout(ctx, tick)
		sample, missed, err := s.medium.read(wait)
		cancel()
		s.t.dropped(missed)
		switch {
		case err == nil:
			err = s.hand(sample)
		case errors.Is(err, context.DeadlineExceeded) && ctx.Err() == nil:
			err = s.medium.idle(time.Now())
		}
		if err != nil {
			return err
		}
	}
}

// hand gives the worker a sample, after a description when it is of another kind than those before.
func (s *session) hand(sample *media.Sample) error {
	s.dog.given(time.Now())
	if s.first == nil || !s.medium.same(s.first, sample) {
		if err := s.begin(sample); err != nil {
			return err
		}
	}
	return s.medium.hand(sample)
}

// begin tells the worker of other samples, and binds all outputs anew.
func (s *session) begin(sample *media.Sample) error {
	for o, number := range s.numbers {
		if err := s.unbind(o, number); err != nil {
			return err
		}
	}
	if err := s.medium.begin(sample); err != nil {
		return err
	}
	s.first = sample
	return s.arrange(time.Now())
}

// arrange tells the worker which outputs there are.
func (s *session) arrange(now time.Time) error {
	list := s.t.present(now)
	if len(list) == 0 {
		return errUnused
	}
	s.medium.wanted(list)
	if s.first == nil {
		return nil // with the first sample
	}
	wanted := make(map[*Output]bool, len(list))
	added := false
	for _, o := range list {
		wanted[o] = true
		if _, ok := s.numbers[o]; ok {
			continue
		}
		added = true
		if err := s.bind(o); err != nil {
			return err
		}
	}
	for o, number := range s.numbers {
		if wanted[o] {
			continue
		}
		if err := s.unbind(o, number); err != nil {
			return err
		}
	}
	if added {
		return s.medium.bound()
	}
	return nil
}

func (s *session) bind(o *Output) error {
	s.next++
	number := s.next
	b, err := s.medium.bind(o, number)
	if err != nil {
		return err
	}
	s.t.mu.Lock()
	o.work = meter{}
	s.bindings[number] = b
	s.t.mu.Unlock()
	s.numbers[o] = number
	return nil
}

func (s *session) unbind(o *Output, number uint32) error {
	delete(s.numbers, o)
	s.t.mu.Lock()
	delete(s.bindings, number)
	s.t.mu.Unlock()
	return s.worker.EndOutput(number)
}

// past says whether all outputs have what would be made of a sample already.
func (s *session) past(sample *media.Sample) bool {
	s.t.mu.Lock()
	defer s.t.mu.Unlock()
	for o := range s.numbers {
		if !o.pastLocked(sample) {
			return false
		}
	}
	return true
}

// check looks after the worker: it must not be silent or greedy.
func (s *session) check(now time.Time) error {
	usage, err := s.dog.look(s.worker, now)
	if usage == nil {
		return err
	}
	s.t.measure(*usage, now)
	if usage.Memory > s.t.cfg.MaxMemory {
		s.worker.Kill()
		return fmt.Errorf("the codec worker took %d MiB of memory, more than the %d that it may", usage.Memory>>20, s.t.cfg.MaxMemory>>20)
	}
	return nil
}

func (s *session) tally(tally workerproto.Tally) {
	now := time.Now()
	s.t.mu.Lock()
	defer s.t.mu.Unlock()
	s.t.gauge.tally(tally, now)
	for number, b := range s.bindings {
		b.output.work.add(tally.Outputs[number], now)
	}
}
