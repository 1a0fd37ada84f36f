// Package command keeps programs that write a feed's stream to their standard output: each is
// started when its feed waits for somebody to send, read as a pipe, ended with the feed's run,
// and started again, after a pause that grows, when it ends.
//
// Limits: one program a feed; of what it says, the end of 400 bytes is kept.
package command

import (
	"context"
	"errors"
	"log/slog"
	"path/filepath"
	"sync"
	"time"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/ingest/pipe"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
	"webostrum/wait"
)

const (
	lookEvery   = time.Second // for a feed that begins to wait
	admitWithin = 10 * time.Second
	firstPause  = time.Second
	mostPause   = 30 * time.Second
	steady      = time.Minute // a program that ran for so long begins with the first pause again

	here = "127.0.0.1:0" // where programs send from
)

// Config is what programs are kept with.
type Config struct {
	Desk   push.Desk
	Awaits func(feed string) bool // whether a feed waits for somebody to send
	Log    *slog.Logger
}

// Keep keeps programs with their arguments, by their feeds, until ctx ends.
func Keep(ctx context.Context, cfg Config, programs map[string][]string) {
	var going sync.WaitGroup
	for feed, argv := range programs {
		k := &keeper{cfg, feed, argv}
		going.Go(func() { k.keep(ctx) })
	}
	going.Wait()
}

// keeper keeps one program.
type keeper struct {
	Config
	feed string
	argv []string
}

func (k *keeper) keep(ctx context.Context) {
	k.Log.Info("a command sends to this feed whenever it waits for somebody", "feed", k.feed, "program", k.argv[0])
	pause := firstPause
	for wait.For(ctx, lookEvery) {
		if !k.Awaits(k.feed) {
			continue
		}
		begun := time.Now()
		err := barrier.Do(func() error { return k.session(ctx) })
		if ctx.Err() != nil {
			return
		}
		if time.Since(begun) > steady {
			pause = firstPause
		}
		k.Log.Warn("the feed's command does not send any more", "feed", k.feed, "error", err, "again in", pause)
		if !wait.For(ctx, pause) {
			return
		}
		pause = min(2*pause, mostPause)
	}
}

// session runs the program once, in the feed's run.
func (k *keeper) session(ctx context.Context) error {
	admit, cancel := context.WithTimeout(ctx, admitWithin)
	defer cancel()
	place, err := k.Desk.Admit(admit, push.Request{
		Feed: k.feed, Protocol: push.Command, Address: here, Knows: func(string) bool { return true }, // whoever writes the settings may read the keys
	})
	if err != nil {
		return err
	}
	defer place.Leave()
	return place.Run(ctx, k.play)
}

// play implements push.Play.
func (k *keeper) play(ctx context.Context, cfg source.Config) (uint64, error) {
	cfg.Settle()
	p, err := start(k.argv, cfg.StallAfter)
	if err != nil {
		return cfg.FirstEpoch, fault.New(fault.CommandMissing, err, "%v", err)
	}
	release := context.AfterFunc(ctx, p.release)
	defer release()
	next, err := pipe.Play(p, pipe.From{Address: here, Agent: filepath.Base(k.argv[0])})(ctx, cfg)
	says := p.end()
	switch cause := context.Cause(ctx); {
	case cause != nil && !errors.Is(cause, context.Canceled):
		err = cause
	case fault.As(err).Kind.Code == fault.PublisherLeft:
		err = fault.New(fault.CommandEnded, err, "%s", says)
	}
	return next, err
}
