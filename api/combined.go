package api

import (
	"context"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/core/rendition"
	"webostrum/core/tiles"
	"webostrum/station"
	"webostrum/store"
)

func (a *API) combinedOperations(h huma.API) {
	huma.Register(h, operation("GET", "/feeds/{name}/turn", "show-turn", "Whose turn it is in a feed that takes turns", needsViewer, 200), a.showTurn)
	huma.Register(h, operation("PUT", "/feeds/{name}/turn", "put-on", "Put one of them on, or have them take turns again", needsEngineer, 200), a.putOn)
	huma.Register(h, operation("GET", "/feeds/{name}/outlet", "show-outlet", "How putting a feed's files to a web server goes", needsReader, 200), a.showOutlet)
}

func combinedOf(c store.Combined) apitypes.CombinedSettings {
	s := apitypes.CombinedSettings{Kind: c.Kind, Sources: []apitypes.CombinedFeed{}, Size: c.Size, FrameRate: c.Rate, Always: c.Always, Names: c.Names}
	if s.Kind == "" {
		s.Kind = "none"
	}
	for _, x := range c.Sources {
		s.Sources = append(s.Sources, apitypes.CombinedFeed(x))
	}
	return s
}

// applyCombined turns settings into what is recorded of them, or says what is wrong.
func applyCombined(s apitypes.FeedSettings, name string) (c store.Combined, err error) {
	in := s.Combined
	if in.Kind == "" || in.Kind == "none" {
		return c, nil
	}
	if len(in.Sources) == 0 {
		return c, refused("combined.sources", "which feeds is it made of? Name one at least")
	}
	if in.Kind == station.KindMosaic && len(in.Sources) > tiles.Most {
		return c, refused("combined.sources", fmt.Sprintf("a mosaic has %d feeds at most", tiles.Most))
	}
	seen := make(map[string]bool)
	for _, x := range in.Sources {
		switch {
		case x.Feed == name:
			return c, refused("combined.sources", "a feed cannot be made of itself")
		case seen[x.Feed]:
			return c, refused("combined.sources", x.Feed+" is named twice: each feed has one place")
		case x.Seconds != 0 && x.Seconds < 2:
			return c, refused("combined.sources", x.Feed+": a turn lasts 2 s at least, since it begins with a keyframe")
		}
		seen[x.Feed] = true
		c.Sources = append(c.Sources, store.CombinedFeed(x))
	}
	size, err := rendition.ParseSize(in.Size)
	if err != nil || in.Size != "" && (size.Width < 64 || size.Height < 64 || size.Width > 1920 || size.Height > 1088) {
		return c, refused("combined.size", "write both sides, such as 1280x720: 64x64 to 1920x1088")
	}
	c.Kind, c.Size, c.Rate, c.Always, c.Names = in.Kind, in.Size, in.FrameRate, in.Always, in.Names
	return c, nil
}

func (a *API) showTurn(ctx context.Context, in *feedPath) (*struct{ Body apitypes.Turn }, error) {
	f, err := a.seen(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	return turnOf(f)
}

func turnOf(f *station.Feed) (*struct{ Body apitypes.Turn }, error) {
	s, err := f.Turn()
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.Turn{On: s.On, Held: s.Held, Transcode: s.Transcode, Why: s.Why, Sources: []apitypes.TurnSource{}}
	if s.On != "" {
		out.Since = &s.Since
	}
	for _, x := range s.Sources {
		out.Sources = append(out.Sources, apitypes.TurnSource{Feed: x.Feed, Title: x.Title, Seconds: x.Dwell.Seconds(), State: string(x.State), Available: x.Available})
	}
	return &struct{ Body apitypes.Turn }{out}, nil
}

func (a *API) putOn(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63"`
	Body apitypes.PutOn
}) (*struct{ Body apitypes.Turn }, error) {
	f, err := a.station.Get(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	if err := f.Hold(in.Body.Feed); err != nil {
		return nil, answerFor(err)
	}
	what := "they take turns again"
	if in.Body.Feed != "" {
		what = in.Body.Feed + " was put on"
	}
	a.by(ctx).Note(in.Name, station.EventChange, what)
	return turnOf(f)
}

func (a *API) showOutlet(ctx context.Context, in *feedPath) (*struct{ Body apitypes.OutletState }, error) {
	f, err := a.station.Get(in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.OutletState{To: f.Outlet().To}
	if a.cfg.Outlet != nil {
		s := a.cfg.Outlet.State(in.Name)
		if out.Files = s.Files; !s.Since.IsZero() {
			out.Newest = &s.Since
		}
		if s.Problem != nil {
			out.Problem, out.Remedy = s.Problem.Error(), s.Problem.Kind.Remedy
		}
	}
	return &struct{ Body apitypes.OutletState }{out}, nil
}
