package inspect

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"webostrum/core/media"
	"webostrum/ingest/source"
)

// busy is a session that hands a sample over while somebody asks for its facts.
type busy struct {
	source.Session
	t    *testing.T
	look *look
	next *media.Sample
}

func (b busy) Facts() source.Facts {
	done := make(chan struct{})
	go func() { b.look.sample(b.next); close(done) }()
	select {
	case <-done:
	case <-time.After(10 * time.Second):
		b.t.Error("a sample waits for the report, and the report for the session")
	}
	return source.Facts{Codec: media.H264}
}

// TestAReportWaitsForNoSample: the camera goes on sending while the report is made.
func TestAReportWaitsForNoSample(t *testing.T) {
	t.Parallel()
	track := &media.Track{Kind: media.KindVideo, Codec: media.H264, ClockRate: 90000}
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	at := func(n int64) *media.Sample {
		return &media.Sample{Epoch: epoch, Track: track, PTS: n * 3600, DTS: n * 3600, Key: true}
	}
	l := &look{begun: make(chan struct{})}
	l.started(busy{t: t, look: l, next: at(25)})
	l.sample(at(0))
	assert.InDelta(t, 1, l.report().Seconds, 0.001)
}
