package station

import (
	"context"
	"time"

	"webostrum/core/fault"
	"webostrum/core/plan"
	"webostrum/station/pipeline"
	"webostrum/wait"
)

// PlanSource is what is known of what a feed's camera sends. The error is a fault of
// FeedNotReady before its first frame; one that is idle is connected, and waited for. Rates
// are those of a few seconds at least.
func (f *Feed) PlanSource(ctx context.Context) (s plan.Source, err error) {
	defer f.Need()()
	f.woken(ctx)
	if f.live() && !wait.For(ctx, time.Until(f.Condition().Since.Add(measuredAfter))) {
		return s, ctx.Err()
	}
	st := f.Status()
	if st.Width == 0 || st.Codec == "" {
		return s, fault.New(fault.FeedNotReady, nil, "%s", f.Waiting())
	}
	s = plan.Source{
		Codec: st.Codec, Width: st.Width, Height: st.Height, FrameRate: st.FrameRate, BitRate: st.BitRate, KeyEvery: st.KeyEvery,
		Reordered: st.Facts != nil && st.Facts.B, AudioMode: plan.AudioMode(st.Record.Audio), Arrival: f.meter.arrival(),
	}
	if running, err := f.present(); err == nil {
		s.Audio = running.AudioTrackNow()
	}
	return s, nil
}

// measuredAfter is how long a camera has to send before its rates are known.
const measuredAfter = 3 * time.Second

// Wish is how far behind the feed's picture may be, and what is set by hand.
func (f *Feed) Wish() plan.Wish { return pipeline.Wish(f.stored()) }

// Machine is what can be done on the service's machine.
func (st *Station) Machine(cores int) plan.Machine {
	return plan.Machine{Transcoder: plan.Transcoder{Present: st.cfg.Codecs != "", AAC: st.cfg.AAC}, Cores: cores}
}
