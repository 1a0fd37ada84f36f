// Package ingest opens any camera by its URL.
package ingest

import (
	"context"
	"errors"

	"webostrum/ingest/mjpeg"
	"webostrum/ingest/rtsp"
	"webostrum/ingest/source"
	"webostrum/ingest/still"
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
	case !source.HTTP(u):
		return rtsp.Play(ctx, cfg)
	}
	if cfg.AudioTrack != nil {
		cfg.AudioTrack(nil) // pictures over HTTP have none
	}
	if cfg.Fetch == source.FetchPoll {
		return still.Play(ctx, cfg)
	}
	cfg.FirstEpoch, err = mjpeg.Play(ctx, cfg)
	if errors.Is(err, mjpeg.ErrSinglePicture) {
		return still.Play(ctx, cfg)
	}
	return cfg.FirstEpoch, err
}
