package station

import (
	"context"
	"sync"

	"webostrum/barrier"
	"webostrum/core/fault"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/ingest/source"
)

// Tap plays what comes in of the feed, as ingest.Play does of a camera, from the next
// keyframe on until ctx ends. Errors are *fault.Error, or the context's.
func (f *Feed) Tap(ctx context.Context, cfg source.Config) (next uint64, err error) {
	cfg.Settle()
	defer f.Need()()
	f.woken(ctx)
	p, err := f.present()
	session := f.session.Load()
	switch {
	case err != nil:
		return 0, err
	case session == nil:
		return 0, fault.New(fault.FeedNotReady, nil, "%s", f.Condition().Reason())
	}
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	video, audio := p.Input()
	cfg.AudioTrack(p.AudioTrackNow())
	var publishing sync.Mutex
	var readers sync.WaitGroup
	one := func(s *media.Sample, publish func(*media.Sample)) {
		publishing.Lock()
		defer publishing.Unlock()
		publish(s)
	}
	read := func(h *hub.Hub, publish func(*media.Sample)) {
		readers.Go(func() {
			r := h.NewReader()
			defer r.Close()
			cancel(barrier.Do(func() error {
				for {
					s, _, err := r.Next(ctx)
					if err != nil {
						return err
					}
					one(s, publish)
				}
			}))
		})
	}
	begun := false
	read(video, func(s *media.Sample) {
		cfg.Publish(s)
		if !begun {
			begun = true
			cfg.Started(*session)
		}
	})
	if cfg.Audio != nil {
		read(audio, cfg.Audio)
	}
	readers.Wait()
	return 0, context.Cause(ctx)
}
