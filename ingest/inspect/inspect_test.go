package inspect

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/media"
	server "webostrum/deliver/rtsp"
	"webostrum/ingest/source"
	"webostrum/testkit/cam"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

func TestRun(t *testing.T) {
	for _, way := range []source.Transport{source.TCP, source.UDP} {
		_, url := cam.Serve(t, server.Config{})
		r, err := Run(context.Background(), Config{URL: url, Transport: way, For: time.Second})
		require.NoError(t, err)
		assert.Equal(t, string(way), r.Transport)
		assert.Equal(t, "Constrained Baseline", r.Profile)
		assert.Equal(t, "3.0", r.Level)
		assert.InDelta(t, 0.1, r.KeyframeEvery, 0.03)
		assert.False(t, r.BFrames)
		assert.Equal(t, 1, r.Slices)
		assert.Zero(t, r.Lost)
		assert.True(t, r.Reports)
		require.Len(t, r.Tracks, 1)
		assert.True(t, r.Tracks[0].Used)
		assert.Empty(t, r.Notes)
	}
}

func TestRunTellsWhyNot(t *testing.T) {
	_, err := Run(context.Background(), Config{URL: "rtsp://127.0.0.1:1/"})
	assert.Equal(t, fault.PortClosed, fault.As(err).Kind.Code)
	_, err = Run(context.Background(), Config{URL: "nonsense"})
	assert.Error(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, url := cam.Serve(t, server.Config{})
	_, err = Run(ctx, Config{URL: url})
	assert.ErrorIs(t, err, context.Canceled)
}

func TestRunWhenTheCameraGoes(t *testing.T) {
	s, url := cam.Serve(t, server.Config{})
	done := make(chan error, 1)
	go func() {
		_, err := Run(context.Background(), Config{URL: url, For: 30 * time.Second})
		done <- err
	}()
	for {
		select {
		case err := <-done:
			assert.Equal(t, fault.HungUp, fault.As(err).Kind.Code)
			return
		case <-time.After(20 * time.Millisecond):
			s.DropAll()
		}
	}
}

func TestNotes(t *testing.T) {
	good := apitypes.Report{KeyframeEvery: 2, Seconds: 4}
	tests := []struct {
		name   string
		change func(*apitypes.Report)
		want   string
	}{
		{"nothing to say", func(*apitypes.Report) {}, ""},
		{"one keyframe", func(r *apitypes.Report) { r.KeyframeEvery = 0 }, "Fewer than two keyframes"},
		{"keyframes far apart", func(r *apitypes.Report) { r.KeyframeEvery = 10 }, "10.0 s apart"},
		{"B-frames", func(r *apitypes.Report) { r.BFrames = true }, "WebRTC in browsers does not"},
		{"loss", func(r *apitypes.Report) { r.Packets, r.Lost = 90, 10 }, "10 of 100 packets"},
		{"a clock that is off", func(r *apitypes.Report) { r.ClockOffset = -7200 }, "off by -2h0m0s"},
		{"a clock that is nearly right", func(r *apitypes.Report) { r.ClockOffset = 1 }, ""},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			r := good
			tt.change(&r)
			all := strings.Join(notes(&r), "\n")
			if tt.want == "" {
				assert.Empty(t, all)
			} else {
				assert.Contains(t, all, tt.want)
			}
		})
	}
}

func TestAudioNotes(t *testing.T) {
	mu := &media.Track{Kind: media.KindAudio, Codec: media.PCMU, ClockRate: 8000, Channels: 1}
	heard := &apitypes.ReportAudio{Codec: "PCMU", Seconds: 4}
	for _, tt := range []struct {
		name   string
		report apitypes.Report
		track  *media.Track
		want   []string
	}{
		{"none", apitypes.Report{}, nil, nil},
		{"used", apitypes.Report{Audio: heard}, mu, []string{"so it is transcoded to AAC", "WebRTC carries the camera's G.711 mu-law"}},
		{"silent", apitypes.Report{Audio: &apitypes.ReportAudio{}}, mu, []string{"Its microphone may be switched off"}},
		{"not handled", apitypes.Report{Tracks: []apitypes.ReportTrack{{Kind: "audio", Codec: "G726-32", Why: "G726-32 is not handled"}}}, nil, []string{"left out: G726-32 is not handled."}},
	} {
		all := strings.Join(audioNotes(&tt.report, tt.track), "\n")
		for _, want := range tt.want {
			assert.Contains(t, all, want, tt.name)
		}
		assert.Equal(t, len(tt.want) == 0, all == "", tt.name)
	}
}
