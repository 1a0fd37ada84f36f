package pipeline

import (
	"context"
	"strings"
	"time"

	"webostrum/core/dash"
	"webostrum/core/hls"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/rendition"
)

// DASH returns the manifest for DASH players once there is something to play; clock is
// the address of the service's clock. Errors are as in Track.
func (p *Pipeline) DASH(ctx context.Context, clock string) ([]byte, time.Duration, error) {
	track, first, err := p.first(ctx, "")
	if err != nil {
		return nil, 0, err
	}
	target := track.Target()
	m := dash.Manifest{Published: time.Now(), Update: target / 2, Delay: dashTargets * target, Clock: clock}
	m.Sets = videoSets(setOf("video", track), append([]hls.Variant{first}, p.ladder(first)...))
	for _, s := range m.Sets[0].Segments {
		m.Window += time.Duration(s.Duration) * time.Second / time.Duration(m.Sets[0].Timescale)
	}
	if v := p.audioVariant(); v != nil {
		if audio, err := p.Track(ctx, hls.Audio); err == nil {
			set := setOf("audio", audio)
			set.Tracks = []dash.Track{{ID: hls.Audio, Codecs: v.Codecs, SampleRate: p.audioRate(), Bandwidth: v.Peak}}
			m.Sets = append(m.Sets, set)
		}
	}
	text, err := dash.Write(m)
	return text, target, err
}

// videoSets are the adaptation sets of video: one for each codec, since players do not
// switch from one to another (ISO/IEC 23009-1, 5.3.3).
func videoSets(empty dash.Set, variants []hls.Variant) (sets []dash.Set) {
	place := map[string]int{}
	for _, v := range variants {
		codec, _, _ := strings.Cut(v.Codecs, ".")
		i, ok := place[codec]
		if !ok {
			i = len(sets)
			place[codec], sets = i, append(sets, empty)
		}
		sets[i].Tracks = append(sets[i].Tracks, dash.Track{ID: v.Name, Codecs: v.Codecs, Width: v.Width, Height: v.Height, FrameRate: v.FrameRate, Bandwidth: v.Peak})
	}
	return sets
}

// dashTargets is how many target durations players are to be behind.
const dashTargets = 3

func setOf(kind string, t *hls.Track) dash.Set {
	set := dash.Set{ContentType: kind}
	for _, s := range t.Segments() {
		set.Timescale = s.Rate
		set.Segments = append(set.Segments, dash.Segment{Number: s.Sequence, Period: s.Breaks, Begins: s.Origin.Begins, Origin: s.Origin.PTS, Start: s.Start, Duration: s.Duration})
	}
	return set
}

// audioRate is the sampling rate of the audio as HLS has it, Hz.
func (p *Pipeline) audioRate() int {
	camera := p.input.track.Load()
	if camera == nil {
		return 0
	}
	track := camera
	if a := p.AudioPlan(plan.HLS); a.Transcode {
		_, track = rendition.AudioFor(camera, media.AAC)
	}
	return int(track.ClockRate)
}
