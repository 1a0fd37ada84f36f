// Package ingest opens any camera by its URL.
package ingest

import (
	"context"
	"errors"

	"webostrum/core/media"
	"webostrum/ingest/mjpeg"
	"webostrum/ingest/rtsp"
	"webostrum/ingest/source"
	"webostrum/ingest/still"
	"webostrum/ingest/ts"
)

// Play opens the camera and publishes what it sends until ctx ends or the camera
// fails. The error is a *fault.Error unless it is the context's, or the
// configuration's. next is the number for the first epoch of the session that
// comes after.
func Play(ctx context.Context, cfg source.Config) (next uint64, err error) {
	u, _, _, err := source.ParseURL(cfg.URL)
	switch {
	case err != nil:
		return cfg.FirstEpoch, err
	case source.Listens(u) || u.Scheme == "tcp":
		return ts.Play(ctx, cfg)
	case !source.HTTP(u):
		return rtsp.Play(ctx, cfg)
	}
	if cfg.Fetch == source.FetchPoll {
		return pictures(ctx, cfg, still.Play)
	}
	cfg.FirstEpoch, err = pictures(ctx, cfg, mjpeg.Play)
	switch {
	case errors.Is(err, mjpeg.ErrSinglePicture):
		return pictures(ctx, cfg, still.Play)
	case errors.Is(err, mjpeg.ErrTransportStream):
		return ts.PlayHTTP(ctx, cfg)
	}
	return cfg.FirstEpoch, err
}

// pictures plays a camera that sends pictures, which have no audio beside them.
func pictures(ctx context.Context, cfg source.Config, play func(context.Context, source.Config) (uint64, error)) (uint64, error) {
	if track := cfg.AudioTrack; track != nil {
		publish, told := cfg.Publish, false
		cfg.Publish = func(s *media.Sample) {
			if !told {
				told = true
				track(nil)
			}
			publish(s)
		}
	}
	return play(ctx, cfg)
}
