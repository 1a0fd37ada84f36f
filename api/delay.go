package api

import (
	"context"
	"net/http"

	"github.com/gin-gonic/gin"

	"webostrum/core/plan"
)



type delayOutput struct {
	Body struct {
		Deliveries []Delay `json:"deliveries"`
	}
}

func (a *API) feedDelay(_ context.Context, in *feedPath) (*delayOutput, error) {
	f, err := a.station.Get(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	out := &delayOutput{}
	path := f.Path()
	for _, d := range []plan.Delivery{plan.WebRTC, plan.MotionJPEG, plan.HLS} {
		parts := plan.Delay(d, path)
		v := Delay{Delivery: string(d), Seconds: plan.Total(parts).Seconds(), Parts: []DelayPart{}}
		for _, p := range parts {
			v.Parts = append(v.Parts, DelayPart{p.Name, p.Length.Seconds(), p.Why})
		}
		out.Body.Deliveries = append(out.Body.Deliveries, v)
	}
	return out, nil
}

// serveClock answers /clock: a page to hold in front of a camera.
func serveClock(c *gin.Context) {
	body, err := pageFiles.ReadFile("pages/clock.html")
	if err != nil {
		writeProblem(c.Writer, newProblem(http.StatusInternalServerError, codeInternal, err.Error(), "Look into the service's log."))
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Data(http.StatusOK, "text/html; charset=utf-8", body)
}
