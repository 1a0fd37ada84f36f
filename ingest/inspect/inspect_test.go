package inspect

import (
	"context"
	"net/url"
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
	for _, way := range []source.Transport{source.TCP, source.UDP, source.Tunnel} {
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
		assert.True(t, r.RepeatsSets)
		assert.Positive(t, r.LargestFrame)
		assert.Less(t, r.FirstFrame, 10.0)
		assert.Equal(t, "It works: every browser plays its video as it is. Nothing is wrong with it.", r.Verdict)
		assert.Nil(t, r.Stream, "nobody has asked for it")
	}
}

func TestBothTransportsAndTheStream(t *testing.T) {
	_, address := cam.Serve(t, server.Config{NoTCP: true})
	r, err := Run(context.Background(), Config{URL: address, Transport: source.UDP, For: time.Second, Both: true, Save: true})
	require.NoError(t, err)
	require.Len(t, r.Transports, 2)
	assert.Equal(t, apitypes.ReportTransport{Transport: "udp", Works: true}, r.Transports[0])
	assert.Equal(t, "tcp", r.Transports[1].Transport)
	assert.False(t, r.Transports[1].Works)
	assert.NotEmpty(t, r.Transports[1].Why)
	assert.Equal(t, []byte{0, 0, 0, 1, 0x67}, r.Stream[:5], "it begins with a parameter set behind a start code")
}

// TestTiming has frames come evenly, unevenly, and from a clock that runs fast.
func TestTiming(t *testing.T) {
	track := media.VideoTrack(1, 90000, &media.VideoConfig{Codec: media.H264})
	noon := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	play := func(arrives func(i int) time.Duration) (k timing) {
		for i := range 40 * 25 {
			k.frame(&media.Sample{Track: track, DTS: int64(i) * 3600, Data: make([]byte, 100+i%25)}, noon.Add(arrives(i)))
		}
		return k
	}
	frame := 40 * time.Millisecond
	even := play(func(i int) time.Duration { return time.Duration(i) * frame })
	assert.Zero(t, even.jitter)
	assert.Zero(t, even.drift())
	assert.Equal(t, 124, even.largest)
	assert.Equal(t, 25*100+24*25/2, even.seconds[0])
	uneven := play(func(i int) time.Duration { return time.Duration(i)*frame + time.Duration(i%2)*80*time.Millisecond })
	assert.InDelta(t, 0.08, uneven.jitter, 0.001)
	fast := play(func(i int) time.Duration { return time.Duration(float64(i) * float64(frame) * (1 - 500e-6)) })
	assert.InDelta(t, 500, fast.drift(), 20)
}

func TestVerdict(t *testing.T) {
	good := apitypes.Report{Codec: "H264", Packets: 990, BitRate: 1e6, Peak: 1.5e6, KeyframeEvery: 2, LeastKeyframe: 2, MostKeyframe: 2}
	for want, change := range map[string]func(*apitypes.Report){
		"nothing is wrong with it":          func(r *apitypes.Report) { r.Codec = "H264" },
		"H.265 is transcoded":               func(r *apitypes.Report) { r.Codec = "H265" },
		"2.9 % of its packets are lost":     func(r *apitypes.Report) { r.Lost = 30 },
		"come unevenly, by 80 ms":           func(r *apitypes.Report) { r.Jitter = 0.08 },
		"keyframes are 10.0 s apart":        func(r *apitypes.Report) { r.KeyframeEvery = 10 },
		"keyframes come after 2.0 to 4.0 s": func(r *apitypes.Report) { r.MostKeyframe = 4 },
		"4.0 times the mean bit rate":       func(r *apitypes.Report) { r.Peak = 4e6 },
		"off by -300 parts in a million":    func(r *apitypes.Report) { r.Drift = -300 },
	} {
		r := good
		change(&r)
		r.Browsers = browsers(&r)
		assert.Contains(t, strings.ToLower(verdict(&r)), strings.ToLower(want))
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
		{"interlaced", func(r *apitypes.Report) { r.Interlaced = true }, "Set the camera to progressive"},
		{"H.265", func(r *apitypes.Report) { r.Codec = string(media.H265) }, "to browsers that decode it"},
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

// TestTryingPaths finds the stream under a path that was not named, and nothing where there
// is nothing.
func TestTryingPaths(t *testing.T) {
	_, address := cam.Serve(t, server.Config{})
	u, err := url.Parse(address)
	require.NoError(t, err)
	there := u.Path
	u.Path, u.User = "/nowhere", url.UserPassword("viewer", "funicular")
	_, err = Run(context.Background(), Config{URL: u.String(), Transport: source.TCP, For: time.Second})
	require.Equal(t, fault.PathUnknown, fault.As(err).Kind.Code)
	before := generic
	t.Cleanup(func() { generic = before })
	generic = []string{"/neither", there}
	r, err := RunTrying(context.Background(), Config{URL: u.String(), Transport: source.TCP, For: time.Second})
	require.NoError(t, err)
	assert.Equal(t, address, r.URL, "without credentials")
	generic = []string{"/neither"}
	_, err = RunTrying(context.Background(), Config{URL: u.String(), Transport: source.TCP, For: time.Second})
	assert.Equal(t, fault.PathUnknown, fault.As(err).Kind.Code)
	assert.ErrorContains(t, err, "nor is there anything under /neither", "says what was tried")
}
