package api

import (
	"context"
	"runtime"
	"time"

	"webostrum/apitypes"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/core/rendition"
	"webostrum/station"
)

type planInput struct {
	Name    string   `path:"name" maxLength:"63" doc:"Name of the feed" example:"lower-station"`
	Viewers int      `query:"viewers" minimum:"1" maximum:"1000000" default:"1" doc:"How many watch at once" example:"30"`
	Within  float64  `query:"within" minimum:"-1" maximum:"120" default:"-1" doc:"How far behind the picture may be, seconds; 0 is whatever is cheapest, and -1 what the feed has" example:"2"`
	Listen  bool     `query:"listen" doc:"They have the sound on"`
	Uplink  float64  `query:"uplink" minimum:"0" doc:"Bits a second that may leave the building; 0 when it is not known" example:"20000000"`
	Engines []string `query:"engine" enum:"Chromium,Firefox,WebKit" maxItems:"3" doc:"That all of them have, separated by commas; none for any" example:"[\"WebKit\"]"`
}

type planOutput struct{ Body apitypes.Plan }

// planFeed plans a feed from what its camera sends.
func (a *API) planFeed(ctx context.Context, in *planInput) (*planOutput, error) {
	f, err := a.seen(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	s, err := f.PlanSource(ctx)
	if err != nil {
		return nil, answerFor(err)
	}
	demand := plan.Demand{Wish: f.Wish(), Viewers: in.Viewers, Listen: in.Listen, Uplink: in.Uplink, Engines: in.Engines}
	if in.Within >= 0 {
		demand.Wish = plan.Wish{Within: span(in.Within)}
	}
	if demand.Experience, err = a.experienceNow(f); err != nil {
		return nil, err
	}
	out := a.plan(s, demand)
	out.Measured = measuredOf(f, a.viewers.Counts(time.Now())[in.Name])
	return &planOutput{out}, nil
}

// planCamera looks into a camera and plans a feed of it.
func (a *API) planCamera(ctx context.Context, in *struct{ Body apitypes.Prospect }) (*planOutput, error) {
	report, err := a.inspectCamera(ctx, &struct{ Body apitypes.Inspection }{in.Body.Camera})
	if err != nil {
		return nil, err
	}
	return &planOutput{a.plan(reported(report.Body), demandOf(in.Body.Demand))}, nil
}

func span(seconds float64) time.Duration { return time.Duration(seconds * float64(time.Second)) }

func demandOf(d apitypes.Demand) plan.Demand {
	return plan.Demand{Wish: plan.Wish{Within: span(d.Within)}, Viewers: d.Viewers, Listen: d.Listen, Uplink: d.Uplink, Engines: d.Engines}
}

// reported is what a report says that a camera sends.
func reported(r apitypes.Report) plan.Source {
	s := plan.Source{
		Codec: media.Codec(r.Codec), Width: r.Width, Height: r.Height, FrameRate: r.FrameRate, BitRate: r.BitRate,
		KeyEvery: span(r.KeyframeEvery), Reordered: r.BFrames,
	}
	if r.Audio != nil {
		s.Audio = &media.Track{Kind: media.KindAudio, Codec: media.Codec(r.Audio.Codec), ClockRate: r.Audio.ClockRate, Channels: r.Audio.Channels}
	}
	return s
}

func (a *API) plan(s plan.Source, d plan.Demand) apitypes.Plan {
	m := a.station.Machine(runtime.NumCPU())
	p := plan.Make(s, d, m)
	out := apitypes.Plan{
		Source: apitypes.PlanSource{
			Codec: string(s.Codec), Width: s.Width, Height: s.Height, FrameRate: s.FrameRate, BitRate: s.BitRate,
			KeyframeEvery: s.KeyEvery.Seconds(), BFrames: s.Reordered,
		},
		Viewers: d.Viewers, Listen: d.Listen, Within: d.Wish.Within.Seconds(), Uplink: d.Uplink, Engines: d.Engines, Best: string(p.Best), Why: p.Why, Cores: m.Cores,
		Lengths: apitypes.PlanLengths{
			Segment: p.Lengths.Segment.Seconds(), Part: p.Lengths.Part.Seconds(), Listed: p.Lengths.Listed, Nearest: p.Lengths.Nearest.Seconds(),
			Notes: append([]string{}, p.Lengths.Notes...),
		},
		Ladder: []apitypes.PlanRendition{}, Sizes: shares(s), Advice: []apitypes.PlanAdvice{},
	}
	if s.Audio != nil {
		out.Source.Audio = plan.Describe(s.Audio)
	}
	for _, o := range p.Deliveries {
		out.Deliveries = append(out.Deliveries, planDelivery(o))
	}
	for _, l := range p.Ladder {
		out.Ladder = append(out.Ladder, apitypes.PlanRendition{Name: l.Name, Size: l.Size, Width: l.Width, Height: l.Height, BitRate: l.BitRate})
	}
	for _, x := range p.Advice {
		out.Advice = append(out.Advice, apitypes.PlanAdvice{Do: x.Do, Gain: x.Gain, Saves: x.Saves.Seconds()})
	}
	return out
}

func planDelivery(o plan.Outlook) apitypes.PlanDelivery {
	d := apitypes.PlanDelivery{
		Delivery: string(o.Delivery), Possible: o.Video.Possible, Transcode: o.Video.Transcode, Why: o.Video.Why, Audio: o.Audio.Why, Container: o.Container,
		Window: o.Window.Seconds(), HoldBack: o.HoldBack.Seconds(), Seconds: plan.Total(o.Delay).Seconds(), Parts: []apitypes.DelayPart{}, Keeps: o.Keeps,
		BitRate: o.Bits, Total: o.Total, Hour: o.Hour, Month: o.Month, Most: o.Most, Processor: o.Cores, Memory: o.Memory, Players: []apitypes.PlanPlayer{},
	}
	for _, p := range o.Delay {
		d.Parts = append(d.Parts, apitypes.DelayPart{Name: p.Name, Seconds: p.Length.Seconds(), Why: p.Why})
	}
	for _, p := range o.Players {
		d.Players = append(d.Players, apitypes.PlanPlayer{Engine: p.Engine, Version: p.Version, Plays: p.Plays, How: p.How, Seconds: p.Delay.Seconds(), Reported: reportedOf(p.Reported)})
	}
	return d
}

// reportedOf is what players reported; nil for nothing.
func reportedOf(e *plan.Experience) *apitypes.PlanReported {
	if e == nil {
		return nil
	}
	return &apitypes.PlanReported{
		Version: e.Version, Plays: e.Plays, Failures: e.Failures, Reason: e.Reason, Hours: e.Watched.Hours(), StallsAnHour: e.StallsAnHour(),
		Delay: e.Delay.Seconds(), H265Plays: e.H265Plays, H265Cannot: e.H265Cannot,
	}
}

// shares are the usual shares of a picture's size, as H.264 can be.
func shares(s plan.Source) []apitypes.PlanSize {
	list := []apitypes.PlanSize{}
	for _, text := range []string{"3/4", "1/2", "1/3", "1/4"} {
		size, err := rendition.ParseSize(text)
		if err != nil || s.Width == 0 {
			continue
		}
		w, h, note := size.Fit(s.Width, s.Height, media.H264)
		list = append(list, apitypes.PlanSize{Size: text, Width: w, Height: h, Note: note})
	}
	return list
}

// measuredOf is what is measured of a feed that runs.
func measuredOf(f *station.Feed, viewers int) *apitypes.PlanMeasured {
	st := f.Status()
	return &apitypes.PlanMeasured{
		BitRate: st.BitRate, FrameRate: st.FrameRate, KeyframeEvery: st.KeyEvery.Seconds(), Segment: st.Target.Seconds(), Viewers: viewers, Processor: st.Costs.Processor,
	}
}
