package api

import (
	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/station"
)

// feedView is a feed as somebody may see it: where its camera is, and what it says, is
// for engineers alone.
func feedView(f *station.Feed, viewers map[string]int, links map[int64]int, who caller) apitypes.Feed {
	s := f.Status()
	r, c := s.Record, s.Condition
	v := apitypes.Feed{
		Name: r.Name, Enabled: r.Enabled, Credentials: r.User != "", FeedSettings: settingsOf(r),
		State: string(c.State), Since: c.Since.UTC(), Reason: c.Reason(), Tries: c.Tries,
		Run: s.Run, Codec: string(s.Codec), Width: s.Width, Height: s.Height, BitRate: s.BitRate, FrameRate: s.FrameRate,
		Keyframe: s.KeyEvery.Seconds(), Target: s.Target.Seconds(), Viewers: viewers[r.Name],
		Renditions: renditionViews(s), Requests: requestViews(r.Requests), Transcoding: transcodingView(s), AudioStatus: audioView(s),
	}
	rules := f.Rules()
	v.AudienceMeans, v.Deliveries = rules.Audience.Sentence(rules.Named), []string{}
	for _, d := range access.Deliveries {
		if rules.Gives(d) {
			v.Deliveries = append(v.Deliveries, string(d))
		}
	}
	v.Links = links[rules.ID]
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
	if !who.reader() {
		v.Audience.Accounts, v.Sites, v.Links = []string{}, []string{}, 0
		v.AudienceMeans = rules.Audience.Sentence(nil)
		if rules.Audience == access.Named {
			v.AudienceMeans = "Only accounts that it names can watch."
		}
		v.Camera, v.Credentials, v.Requests = apitypes.CameraSettings{}, false, []apitypes.CameraRequest{}
		v.Transcoding.LastError = ""
		if v.Session != nil {
			v.Session.Server, v.Session.From = "", ""
		}
		if c.Fault != nil {
			v.Reason, v.Remedy = c.Fault.Kind.Sentence, ""
		}
	}
	return v
}

func audioView(s station.Status) apitypes.AudioStatus {
	delivery := func(d plan.Delivery) apitypes.AudioDelivery {
		p := s.Audio.Plans[d]
		v := apitypes.AudioDelivery{Transcoded: p.Transcode, Why: p.Why}
		if p.Codec != "" {
			v.Codec = plan.Name(p.Codec)
		}
		return v
	}
	v := apitypes.AudioStatus{HLS: delivery(plan.HLS), WebRTC: delivery(plan.WebRTC), MotionJPEG: delivery(plan.MotionJPEG)}
	v.Running, v.Processor, v.Memory = s.Audio.Costs.Running, s.Audio.Costs.Processor, s.Audio.Costs.Memory
	if t := s.Audio.Track; t != nil {
		v.Codec, v.ClockRate, v.Channels = plan.Name(t.Codec), t.ClockRate, t.Channels
	}
	if s.Facts != nil {
		v.Lost = s.Facts.Stats.AudioLost
	}
	return v
}

func sessionView(s station.Status) *apitypes.Session {
	f := s.Facts
	st := f.Stats
	v := &apitypes.Session{
		Overflow: st.Overflow, Buffer: f.ReceiveBuffer, Others: st.Other,
		Transport: f.Transport, From: f.From, Server: f.Server, Codec: string(f.Codec), Profile: f.Profile, Level: f.Level, Sampling: f.Sampling,
		BFrames: f.B, Slices: f.Slices, Packets: st.Packets, Lost: st.Lost, Dropped: st.Dropped, ClockJumps: st.Jumps,
		Unchanged: st.Unchanged, Reopened: st.Reopened, SenderReports: f.FromCamera, ClockOffset: f.WallOffset.Seconds(),
	}
	for _, t := range f.Tracks {
		if t.Kind == media.KindAudio.String() && !t.Used && t.Why != "" {
			v.LeftOut = t.Why
		}
	}
	return v
}
