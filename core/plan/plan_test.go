package plan_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/media"
	"webostrum/core/plan"
)

var (
	here = plan.Machine{Transcoder: plan.Transcoder{Present: true, AAC: true}, Cores: 4}
	two  = plan.Wish{Within: 2 * time.Second}
)

func source() plan.Source {
	return plan.Source{Codec: media.H264, Width: 1280, Height: 720, FrameRate: 25, BitRate: 2e6, KeyEvery: time.Second}
}

func advice(p plan.Plan) string {
	var all []string
	for _, a := range p.Advice {
		all = append(all, a.Do+" "+a.Gain)
	}
	return strings.Join(all, "\n")
}

func TestAPlanOfAGoodCamera(t *testing.T) {
	p := plan.Make(source(), plan.Demand{Wish: two, Viewers: 30}, here)
	assert.Equal(t, plan.HLS, p.Best)
	assert.Empty(t, p.Advice, "there is nothing to make better")
	hls := p.Outlook(plan.HLS)
	assert.False(t, hls.Video.Transcode)
	assert.True(t, hls.Keeps)
	assert.Equal(t, 12*time.Second, hls.Window, "segments times list")
	assert.Equal(t, 1200*time.Millisecond, hls.HoldBack)
	assert.InDelta(t, 2.04e6, hls.Bits, 1)
	assert.InDelta(t, 30*2.04e6, hls.Total, 1)
	assert.InDelta(t, 30*2.04e6/8*3600, hls.Hour, 1)
	assert.InDelta(t, 30*2.04e6/8*3600*24*30, hls.Month, 1)
	assert.True(t, p.Outlook(plan.MotionJPEG).Video.Transcode)
	assert.Len(t, hls.Players, 3)
	require.Len(t, p.Ladder, 2)
	assert.Equal(t, [2]int{854, 480}, [2]int{p.Ladder[0].Width, p.Ladder[0].Height})
}

// TestAdvice is what an engineer would say of each camera.
func TestAdvice(t *testing.T) {
	for name, tt := range map[string]struct {
		change func(*plan.Source, *plan.Demand, *plan.Machine)
		want   []string
	}{
		"rare keyframes": {func(s *plan.Source, d *plan.Demand, _ *plan.Machine) {
			s.KeyEvery, d.Wish.Within = 10*time.Second, 10*time.Second
		}, []string{"Set the camera's keyframe interval to 1 s; it is 10.0 s. HLS is 28.0 s less behind"}},
		"rare keyframes, low latency": {func(s *plan.Source, _ *plan.Demand, _ *plan.Machine) { s.KeyEvery = 10 * time.Second }, []string{"wait up to 10 s for a keyframe"}},
		"B-frames":                    {func(s *plan.Source, _ *plan.Demand, _ *plan.Machine) { s.Reordered = true }, []string{"Switch B-frames off", "about 20 % of a core less"}},
		"JPEG":                        {func(s *plan.Source, _ *plan.Demand, _ *plan.Machine) { s.Codec = media.JPEG }, []string{"Have the camera send H.264", "of a core less"}},
		"sound": {func(s *plan.Source, _ *plan.Demand, _ *plan.Machine) {
			s.Audio = &media.Track{Kind: media.KindAudio, Codec: media.PCMU, ClockRate: 8000, Channels: 1}
		}, []string{"Have the camera send AAC; it sends G.711 mu-law."}},
		"no worker": {func(s *plan.Source, _ *plan.Demand, m *plan.Machine) { s.Codec, m.Present = media.JPEG, false }, []string{"Install the codec worker", "HLS cannot be had without it"}},
		"uplink":    {func(_ *plan.Source, d *plan.Demand, _ *plan.Machine) { d.Viewers, d.Uplink = 30, 20e6 }, []string{"Let no more than 9 watch at a time", "30 viewers take 61.2 Mbit/s", "Add the rendition lines-270", "carries 61 viewers"}},
		"heavy":     {func(s *plan.Source, _ *plan.Demand, _ *plan.Machine) { s.BitRate = 12e6 }, []string{"from 12.0 to some 2.3 Mbit/s"}},
		"small machine": {func(s *plan.Source, _ *plan.Demand, m *plan.Machine) {
			s.Codec, s.Width, s.Height, s.FrameRate, m.Cores = media.JPEG, 3840, 2160, 30, 2
		}, []string{"Use a machine with more cores"}},
		"many by WebRTC": {func(_ *plan.Source, d *plan.Demand, _ *plan.Machine) {
			d.Wish.Within, d.Viewers = 200*time.Millisecond, 1000
		}, []string{"Let most viewers have low-latency HLS"}},
	} {
		s, d, m := source(), plan.Demand{Wish: two, Viewers: 1}, here
		tt.change(&s, &d, &m)
		got := advice(plan.Make(s, d, m))
		for _, want := range tt.want {
			assert.Contains(t, got, want, name)
		}
	}
}

// TestAPlanOfAnything makes sense of what makes none.
func TestAPlanOfAnything(t *testing.T) {
	for _, s := range []plan.Source{{}, {Codec: "VP8"}, {Codec: media.JPEG, Width: -5, FrameRate: -1}, {Codec: media.H264, KeyEvery: -1, Width: 1 << 20, Height: 1}} {
		p := plan.Make(s, plan.Demand{Viewers: -3, Uplink: -1}, plan.Machine{})
		assert.NotContains(t, fmt.Sprintf("%+v", p), "NaN")
		assert.Len(t, p.Deliveries, 4)
	}
}

func TestWhatCannotBeHadIsNotTheBest(t *testing.T) {
	s := source()
	s.Codec = media.JPEG
	p := plan.Make(s, plan.Demand{Wish: two}, plan.Machine{})
	assert.Equal(t, plan.MotionJPEG, p.Best)
}
