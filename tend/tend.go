// Package tend keeps a goroutine for each thing that is to be tended, as it is to be, and ends
// those of things that are not any more.
package tend

import (
	"context"
	"time"
)

// Set tends things that have keys. Its methods are for one goroutine.
type Set[K comparable, T any] struct {
	// Tend tends one thing until ctx ends.
	Tend func(ctx context.Context, key K, thing T)
	// Same says whether whoever tends the one can go on with the other.
	Same func(before, now T) bool
	// Patience is how long is waited for ends, in Want for a thing that is to be tended
	// otherwise, and in Close for all; with zero Close waits as long as it takes. Until the one
	// before has ended, nobody else tends the thing.
	Patience time.Duration

	all map[K]*tended[T]
}

type tended[T any] struct {
	thing  T
	cancel context.CancelFunc
	parted bool // it was told to end
	ended  chan struct{}
}

// Want has these things be tended from now on, each with a context below ctx. Things whose
// goroutine takes longer than it may to end are begun at a later call.
func (s *Set[K, T]) Want(ctx context.Context, things map[K]T) {
	if s.all == nil {
		s.all = make(map[K]*tended[T])
	}
	var other []K // that were tended otherwise
	for key, t := range s.all {
		now, wanted := things[key]
		if t.parted || !wanted || !s.Same(t.thing, now) {
			t.part()
			other = append(other, key)
		}
	}
	s.await(other)
	for key, thing := range things {
		if s.all[key] == nil {
			s.all[key] = s.begin(ctx, key, thing)
		}
	}
}

func (t *tended[T]) part() {
	t.parted = true
	t.cancel()
}

func (s *Set[K, T]) begin(ctx context.Context, key K, thing T) *tended[T] {
	ctx, cancel := context.WithCancel(ctx)
	t := &tended[T]{thing: thing, cancel: cancel, ended: make(chan struct{})}
	go func() { // Close waits for it
		defer close(t.ended)
		s.Tend(ctx, key, thing)
	}()
	return t
}

// await forgets those that end in time, and returns the others.
func (s *Set[K, T]) await(keys []K) (late []K) {
	timer := time.NewTimer(s.Patience)
	defer timer.Stop()
	for _, key := range keys {
		select {
		case <-s.all[key].ended:
		case <-timer.C:
			timer.Reset(0) // the others are only looked at
			select {
			case <-s.all[key].ended:
			default:
				late = append(late, key)
				continue
			}
		}
		delete(s.all, key)
	}
	return late
}

// Close ends all, and returns those that did not end in time.
func (s *Set[K, T]) Close() (late []K) {
	var keys []K
	for key, t := range s.all {
		t.part()
		keys = append(keys, key)
	}
	if s.Patience > 0 {
		return s.await(keys)
	}
	for _, key := range keys {
		<-s.all[key].ended
	}
	return nil
}
