package pipe

import (
	"io"
	"time"

	"webostrum/core/jpeg"
	"webostrum/ingest/picture"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
)

// playJPEG takes JPEG after JPEG, whatever stands between them.
func playJPEG(r io.Reader, cfg source.Config, from From) (uint64, error) {
	cfg.AudioTrack(nil)
	out := picture.New(cfg, "pipe")
	out.Count(func(f *source.Facts) { jpegFacts(f, from) })
	scanner := jpeg.NewScanner(r)
	cut := uint64(0)
	for {
		data, _, err := scanner.Next()
		if n := scanner.Cut() - cut; n > 0 {
			cut += n
			out.Count(func(f *source.Facts) { f.Stats.Dropped += n })
		}
		if err != nil {
			return out.NextEpoch(), push.Fault(ended(err))
		}
		if _, err := out.Take(data, now(), time.Time{}); err != nil {
			return out.NextEpoch(), push.Fault(err)
		}
		out.Count(func(f *source.Facts) { f.Stats.Packets++ })
	}
}
