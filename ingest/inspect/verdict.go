package inspect

import (
	"context"
	"fmt"
	"net/url"
	"strings"
	"sync/atomic"
	"time"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/ingest"
	"webostrum/ingest/source"
)

const (
	otherTime   = 8 * time.Second // for the other transport's first frame
	muchLoss    = 0.01            // of packets
	muchJitter  = 50 * time.Millisecond
	unevenKeys  = 1.5 // times the shortest interval
	heavyPeak   = 3   // times the mean
	fastestTell = 100 // parts in a million: a quartz is better
)

// bothWays tries the transport that was not used.
func (l *look) bothWays(ctx context.Context, cfg Config, used string) []apitypes.ReportTransport {
	other := map[string]source.Transport{string(source.TCP): source.UDP, string(source.UDP): source.TCP, string(source.Tunnel): source.TCP}[used]
	if u, err := url.Parse(cfg.URL); err != nil || !strings.HasPrefix(u.Scheme, "rtsp") || other == "" {
		return nil
	}
	ctx, cancel := context.WithTimeout(ctx, otherTime)
	defer cancel()
	var came atomic.Bool
	_, err := ingest.Play(ctx, source.Config{
		URL: cfg.URL, User: cfg.User, Password: cfg.Password, Transport: other, Fingerprint: cfg.Fingerprint,
		Publish: func(*media.Sample) { came.Store(true); cancel() }, Started: func(source.Session) {},
	})
	second := apitypes.ReportTransport{Transport: string(other), Works: came.Load()}
	if !second.Works {
		second.Why = fault.As(err).Kind.Sentence
		if ctx.Err() != nil {
			second.Why = fmt.Sprintf("No frame came in %v.", otherTime)
		}
	}
	return []apitypes.ReportTransport{{Transport: used, Works: true}, second}
}

// browsers says what each engine plays of it as it is.
func browsers(r *apitypes.Report) (list []apitypes.ReportBrowser) {
	for _, engine := range plan.Engines {
		b := apitypes.ReportBrowser{Engine: engine, AsIs: []string{}, Made: []string{}}
		for _, d := range plan.Deliveries {
			asIs, plays := plan.AsIs(engine, d, media.Codec(r.Codec), r.BFrames)
			switch {
			case !plays:
			case asIs:
				b.AsIs = append(b.AsIs, string(d))
			default:
				b.Made = append(b.Made, string(d))
			}
		}
		list = append(list, b)
	}
	return list
}

// verdict says in a sentence what to think of it.
func verdict(r *apitypes.Report) string {
	var bad []string
	everywhere := true
	for _, b := range r.Browsers {
		everywhere = everywhere && len(b.AsIs) > 0 && b.AsIs[0] == string(plan.HLS)
	}
	text := "It works: every browser plays its video as it is"
	if !everywhere {
		text = "It works: " + plan.Name(media.Codec(r.Codec)) + " is transcoded for browsers that do not take it"
	}
	if r.Packets > 0 && float64(r.Lost) > muchLoss*float64(r.Packets+r.Lost) {
		bad = append(bad, fmt.Sprintf("%.1f %% of its packets are lost", 100*float64(r.Lost)/float64(r.Packets+r.Lost)))
	}
	if r.Jitter > muchJitter.Seconds() {
		bad = append(bad, fmt.Sprintf("frames come unevenly, by %.0f ms", 1000*r.Jitter))
	}
	if r.KeyframeEvery > longKey.Seconds() {
		bad = append(bad, fmt.Sprintf("keyframes are %.1f s apart", r.KeyframeEvery))
	} else if r.MostKeyframe > unevenKeys*r.LeastKeyframe && r.LeastKeyframe > 0 {
		bad = append(bad, fmt.Sprintf("keyframes come after %.1f to %.1f s", r.LeastKeyframe, r.MostKeyframe))
	}
	if r.Peak > heavyPeak*r.BitRate && r.BitRate > 0 {
		bad = append(bad, fmt.Sprintf("its fullest second has %.1f times the mean bit rate", r.Peak/r.BitRate))
	}
	if r.Drift > fastestTell || r.Drift < -fastestTell {
		bad = append(bad, fmt.Sprintf("its clock is off by %.0f parts in a million", r.Drift))
	}
	if len(bad) > 0 {
		return text + "; but " + strings.Join(bad, ", ") + "."
	}
	return text + ". Nothing is wrong with it."
}
