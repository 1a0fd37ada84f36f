package pipeline

import (
	"context"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/core/media"
)

const mostStills = 16 // sizes kept

// stills keeps the newest still of each size that was asked for.
type stills struct {
	mu     sync.Mutex
	newest map[JPEGRequest]*media.Sample // guarded by mu
}

func (k *stills) get(q JPEGRequest, maxAge time.Duration) *media.Sample {
	k.mu.Lock()
	defer k.mu.Unlock()
	if s := k.newest[q]; s != nil && time.Since(s.Captured) <= maxAge {
		return s
	}
	return nil
}

func (k *stills) put(q JPEGRequest, s *media.Sample) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if _, known := k.newest[q]; k.newest == nil || !known && len(k.newest) >= mostStills {
		k.newest = make(map[JPEGRequest]*media.Sample)
	}
	k.newest[q] = s
}

func (k *stills) forget() {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.newest = nil
}

// Still returns a feed's latest frame as JPEG. With maxAge above zero one up to that
// old will do, which costs less: it need not be made anew, and of video only keyframes
// are decoded. It waits for the camera and for the frame until ctx ends. Errors are as in
// Playlist.
func (p *Pipeline) Still(ctx context.Context, q JPEGRequest, maxAge time.Duration) (*media.Sample, error) {
	if s := p.stills.get(q, maxAge); s != nil {
		return s, nil
	}
	j, err := p.jpeg(ctx, q, maxAge > 0)
	if err != nil {
		return nil, err
	}
	defer j.Release()
	s := j.Hub.Latest()
	if s == nil {
		reader := j.Hub.NewReader()
		defer reader.Close()
		if s, _, err = reader.Next(ctx); err != nil {
			return nil, p.late(err)
		}
	}
	if !p.cfg.Live() && time.Since(s.Captured) > p.cfg.Stale {
		if err := p.cfg.Away(); err != nil {
			return nil, err
		}
		return nil, fault.New(fault.FeedNotReady, nil, "The camera is being opened.")
	}
	p.stills.put(q, s)
	return s, nil
}
