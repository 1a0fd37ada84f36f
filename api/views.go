package api

import (
	"time"

	"webostrum/core/plan"
	"webostrum/station"
	"webostrum/store"
)




func audioView(s station.Status) AudioStatus {
	carried := func(d plan.Delivery) Carried {
		p := s.Audio.Plans[d]
		v := Carried{Transcoded: p.Transcode, Why: p.Why}
		if p.Codec != "" {
			v.Codec = plan.Name(p.Codec)
		}
		return v
	}
	h := AudioStatus{HLS: carried(plan.HLS), WebRTC: carried(plan.WebRTC), MotionJPEG: carried(plan.MotionJPEG)}
	h.Running, h.Processor, h.Memory = s.Audio.Costs.Running, s.Audio.Costs.Processor, s.Audio.Costs.Memory
	if t := s.Audio.Track; t != nil {
		h.Codec, h.ClockRate, h.Channels = plan.Name(t.Codec), t.ClockRate, t.Channels
	}
	if s.Facts != nil {
		h.Lost = s.Facts.Stats.AudioLost
	}
	return h
}


func (a *API) feedView(f *station.Feed, viewers map[string]int) Feed {
	s := f.Status()
	r, c := s.Record, s.Condition
	v := Feed{
		Name: r.Name, Title: r.Title, URL: r.URL, Credentials: r.User != "", Transport: r.Transport, Fingerprint: r.Fingerprint,
		Fetch: r.Fetch, PollSeconds: float64(r.PollMillis) / 1000,
		PictureSize: r.PictureSize, PictureRate: r.PictureRate, PictureQuality: r.PictureQuality,
		SegmentSeconds: float64(r.SegmentMillis) / 1000, PlaylistLength: r.PlaylistLength, Public: r.Public, Enabled: r.Enabled,
		State: string(c.State), Since: c.Since.UTC(), Reason: c.Reason(), Tries: c.Tries,
		Run: s.Run, Codec: string(s.Codec), Width: s.Width, Height: s.Height, BitRate: s.BitRate, FrameRate: s.FrameRate,
		Keyframe: s.KeyEvery.Seconds(), Target: s.Target.Seconds(), Viewers: viewers[r.Name],
		Renditions: renditionViews(s), Requests: requestViews(r.Requests), Transcoding: transcodingView(s),
		Audio: r.Audio, AudioHLS: r.AudioHLS, AudioWebRTC: r.AudioWebRTC, AudioStatus: audioView(s),
	}
	if c.Fault != nil {
		v.Code, v.Remedy = string(c.Fault.Kind.Code), c.Fault.Kind.Remedy
	}
	if !c.NextTry.IsZero() {
		next := c.NextTry.UTC()
		v.NextTry = &next
	}
	if s.Facts != nil {
		v.Session = sessionView(s)
	}
	return v
}

func sessionView(s station.Status) *Session {
	f := s.Facts
	st := f.Stats
	return &Session{
		Transport: f.Way, Server: f.Server, Codec: string(f.Codec), Profile: f.Profile, Level: f.Level, Sampling: f.Sampling,
		BFrames: f.B, Slices: f.Slices, Packets: st.Packets, Lost: st.Lost, Dropped: st.Dropped, ClockJumps: st.Jumps,
		Unchanged: st.Unchanged, Reopened: st.Reopened, SenderReports: f.FromCamera, ClockOffset: f.WallOffset.Seconds(),
	}
}


func eventView(e store.Event) Event { return Event(e) }

