package api

import (
	"context"
	"net/http"

	"github.com/gin-gonic/gin"

	"webostrum/apitypes"
	"webostrum/core/plan"
)

func (a *API) feedDelay(ctx context.Context, in *feedPath) (*struct{ Body apitypes.DelayList }, error) {
	f, err := a.seen(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.DelayList{}
	for _, d := range []plan.Delivery{plan.WebRTC, plan.Fragments, plan.HLS, plan.MotionJPEG} {
		parts := plan.Delay(d, f.Path(d))
		v := apitypes.Delay{Delivery: string(d), Seconds: plan.Total(parts).Seconds(), Parts: []apitypes.DelayPart{}}
		for _, p := range parts {
			v.Parts = append(v.Parts, apitypes.DelayPart{Name: p.Name, Seconds: p.Length.Seconds(), Why: p.Why})
		}
		out.Deliveries = append(out.Deliveries, v)
	}
	return &struct{ Body apitypes.DelayList }{out}, nil
}

// serveClock answers /clock: a page to hold in front of a camera.
func (a *API) serveClock(c *gin.Context) {
	a.page(c.Writer, http.StatusOK, "clock.html", ownFrames, nil)
}
