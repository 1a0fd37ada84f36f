package api

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"webostrum/apitypes"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/store"
)

type ladderOutput struct{ Body apitypes.RenditionList }

// addLadder adds the renditions that are proposed for the camera's size; those that are
// there already stay as they are.
func (a *API) addLadder(ctx context.Context, in *feedPath) (*ladderOutput, error) {
	f, err := a.seen(ctx, in.Name)
	if err != nil {
		return nil, answerFor(err)
	}
	s, err := f.PlanSource(ctx)
	if err != nil {
		return nil, answerFor(err)
	}
	steps := rendition.Ladder(s.Width, s.Height)
	if len(steps) == 0 {
		return nil, refused("name", fmt.Sprintf("the camera's picture is %dx%d, of which nothing smaller is proposed; add a rendition with a size of your own", s.Width, s.Height))
	}
	names := make([]string, len(steps))
	for i, step := range steps {
		names[i] = step.Name
	}
	f, err = a.by(ctx).Edit(in.Name, "the ladder was added: "+strings.Join(names, ", "), func(r *store.Feed) error { return addSteps(r, steps) })
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.RenditionList{Renditions: []apitypes.Rendition{}}
	for _, v := range renditionViews(f.Status()) {
		if slices.Contains(names, v.Name) {
			out.Renditions = append(out.Renditions, v)
		}
	}
	return &ladderOutput{out}, nil
}

func addSteps(r *store.Feed, steps []rendition.Step) error {
	for _, step := range steps {
		if slices.ContainsFunc(r.Renditions, func(x store.Rendition) bool { return x.Name == step.Name }) {
			continue
		}
		if len(r.Renditions) >= mostRenditions {
			return refused("name", fmt.Sprintf("a feed can have %d renditions; remove one first", mostRenditions))
		}
		added := store.Rendition{Name: step.Name, Codec: string(media.H264), Size: step.Size}
		if err := complete(&added, *r); err != nil {
			return err
		}
		r.Renditions = append(r.Renditions, added)
	}
	return nil
}
