package convert

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"webostrum/core/convert"
	"webostrum/core/hub"
	"webostrum/core/media"
)

// SoundConfig says what sound to convert.
type SoundConfig struct {
	Program string        // path of the worker; empty means that there is none
	Source  *hub.Hub      // the camera's sound; it must stay open until Close
	Grace   time.Duration // as in Config
	Note    func(text string)
}

// soundKept is how many units of converted sound are kept: some 20 s.
const soundKept = 1024

// Sound converts one feed's sound while somebody uses it, in a process of its own:
// it must not wait for pictures, nor can it hurt them. It is safe for concurrent
// use.
type Sound struct {
	cfg    SoundConfig
	cancel context.CancelFunc
	ended  sync.WaitGroup
	kick   chan struct{}

	mu      sync.Mutex
	closed  bool                         // guarded by mu
	outputs map[media.Codec]*SoundOutput // guarded by mu
	pid     int                          // of the worker, 0 when none runs; guarded by mu
	memory  int64                        // guarded by mu
	busy    meter                        // guarded by mu
}

// SoundCosts is what converting a feed's sound takes, over the last few seconds.
type SoundCosts struct {
	Running   bool
	PID       int
	Memory    int64   // bytes
	Processor float64 // share of one core
}

// Costs returns what converting takes now.
func (c *Sound) Costs() SoundCosts {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.pid == 0 {
		return SoundCosts{}
	}
	costs := SoundCosts{Running: true, PID: c.pid, Memory: c.memory}
	costs.Processor, _ = c.busy.rates()
	return costs
}

// runs notes which worker runs, 0 for none.
func (c *Sound) runs(pid int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.pid, c.memory, c.busy = pid, 0, meter{}
}

// NewSound makes a converter of sound; nothing runs until something is used. Close
// it.
func NewSound(cfg SoundConfig) *Sound {
	if cfg.Grace <= 0 {
		cfg.Grace = defaultGrace
	}
	if cfg.Note == nil {
		cfg.Note = func(string) {}
	}
	c := &Sound{cfg: cfg, kick: make(chan struct{}, 1), outputs: make(map[media.Codec]*SoundOutput)}
	ctx, cancel := context.WithCancel(context.Background())
	c.cancel = cancel
	c.ended.Go(func() { keep(ctx, c.kick, c.wanted, c.session, c.failed) })
	return c
}

// Close ends all conversions.
func (c *Sound) Close() {
	c.mu.Lock()
	c.closed = true
	c.mu.Unlock()
	c.cancel()
	c.ended.Wait()
	for _, o := range c.outputs {
		o.hub.Close()
	}
}

// SoundOutput is the sound in one coding, for those who use it.
type SoundOutput struct {
	converter *Sound
	codec     media.Codec
	hub       *hub.Hub

	// All guarded by the converter's mu.
	users int
	idle  time.Time
	epoch *media.Epoch
	next  uint64 // number of the next epoch
}

// Hub is where the coded sound is published.
func (o *SoundOutput) Hub() *hub.Hub { return o.hub }

// Release ends one use. The sound is made for the grace time still.
func (o *SoundOutput) Release() {
	o.converter.mu.Lock()
	defer o.converter.mu.Unlock()
	if o.users--; o.users == 0 {
		o.idle = time.Now()
	}
}

// Use has the sound made into a codec, AAC or Opus. Release the output when it is no
// longer needed.
func (c *Sound) Use(codec media.Codec) (*SoundOutput, error) {
	if c.cfg.Program == "" {
		return nil, ErrNoWorker
	}
	if codec != media.AAC && codec != media.Opus {
		return nil, fmt.Errorf("sound cannot be made into %s", codec)
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.closed {
		return nil, hub.ErrClosed
	}
	o := c.outputs[codec]
	if o == nil {
		o = &SoundOutput{converter: c, codec: codec, hub: hub.New(hub.Config{Keep: soundKept})}
		c.outputs[codec] = o
	}
	o.users++
	select {
	case c.kick <- struct{}{}:
	default:
	}
	return o, nil
}

// used returns the outputs that somebody uses, or did a short time ago.
func (c *Sound) used(now time.Time) (list []*SoundOutput) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, o := range c.outputs {
		if o.users > 0 || now.Sub(o.idle) < c.cfg.Grace {
			list = append(list, o)
		}
	}
	return list
}

func (c *Sound) wanted() bool { return len(c.used(time.Now())) > 0 }

func (c *Sound) failed(err error, pause time.Duration) {
	c.cfg.Note(fmt.Sprintf("Converting sound broke off and goes on in %v: %v.", pause, err))
}

// soundSession is one life of a worker.
type soundSession struct {
	c      *Sound
	worker *Worker
	track  *media.Track
	number uint32

	vigil    vigil
	measured time.Time

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
	if err := s.vigil.check(s.worker, now); err != nil {
		return err
	}
	if now.Sub(s.measured) < time.Second {
		return nil
	}
	s.measured = now
	usage, err := ProcessUsage(s.worker.PID())
	if err != nil {
		return nil // it has ended, which shows by itself
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
