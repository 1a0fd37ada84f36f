package station

import (
	"time"

	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/ingest/source"
	"webostrum/station/pipeline"
	"webostrum/store"
	"webostrum/transcode"
)

// Status is a feed's present state, without credentials.
type Status struct {
	Record    store.Feed
	Condition Condition
	Run       string
	Facts     *source.Facts // nil when there is no session
	Missing   string        // what is missing here for any transcoding; empty when nothing is
	Intake
	Delivered
}

// Intake is what comes in.
type Intake struct {
	Codec         media.Codec        // empty as long as it is not known
	Video         *media.VideoConfig // nil as long as it is not known
	Width, Height int                // pixels
	BitRate       float64            // bits a second
	FrameRate     float64            // fps
	KeyEvery      time.Duration
}

// Delivered is what is made of it.
type Delivered struct {
	Target time.Duration   // of the HLS playlist; zero when there is none
	Costs  transcode.Costs // of video
	Audio  AudioStatus
}

// AudioStatus is what becomes of a camera's audio.
type AudioStatus struct {
	Track *media.Track // nil when there is none that can be used
	Plans map[plan.Delivery]plan.Audio
	Costs transcode.Costs
}

// Status returns the present state.
func (f *Feed) Status() Status {
	f.mu.Lock()
	s := Status{Record: f.record, Condition: f.condition, Run: f.runName}
	f.mu.Unlock()
	s.Record.User, s.Record.Password = mask(s.Record.User), ""
	s.Record.UserSealed, s.Record.PasswordSealed = nil, nil
	s.Record.DeviceUser, s.Record.DevicePassword, s.Record.DeviceUserSealed, s.Record.DevicePasswordSealed = mask(s.Record.DeviceUser), "", nil, nil
	s.Record.OutletPassword, s.Record.OutletPasswordSealed = mask(s.Record.OutletPassword), nil
	s.BitRate, s.FrameRate, s.KeyEvery = f.meter.rates()
	cfg := f.station.cfg
	if cfg.Codecs == "" {
		s.Missing = transcode.ErrNoWorker.Error()
	}
	if p, err := f.present(); err == nil {
		size := p.Size()
		s.Codec, s.Width, s.Height = p.Codec(), size[0], size[1]
		s.Video = p.Coding()
		s.Target, s.Costs = p.Target(), p.Costs()
		s.Audio.Track, s.Audio.Costs = p.AudioTrackNow(), p.AudioCosts()
	}
	s.Audio.Plans = make(map[plan.Delivery]plan.Audio)
	for _, d := range plan.Deliveries {
		s.Audio.Plans[d] = pipeline.AudioPlan(d, s.Record, s.Audio.Track, plan.Transcoder{Present: cfg.Codecs != "", AAC: cfg.AAC})
	}
	if session := f.session.Load(); session != nil {
		facts := (*session).Facts()
		s.Facts = &facts
	}
	return s
}

// mask says that there is a user without telling who.
func mask(user string) string {
	if user == "" {
		return ""
	}
	return "set"
}
