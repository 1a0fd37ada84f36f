package main

import (
	"context"
	"slices"
	"time"

	"webostrum/client"
	"webostrum/service"
	"webostrum/sim"
	"webostrum/wait"
)

// lookEvery is how soon a camera of the demo films all of its frames once somebody looks.
const lookEvery = 500 * time.Millisecond

// spareUnwatched has cameras film few frames as long as nobody looks at them, until ctx ends,
// so that the demo leaves the machine to whoever tries it.
func spareUnwatched(ctx context.Context, data string, cameras []*sim.Camera) {
	local, err := service.ReadLocal(data)
	if err != nil {
		return // they film all of them
	}
	cl := client.New(local.Address, local.Token)
	for wait.For(ctx, lookEvery) {
		watching, err := cl.Viewers(ctx, "")
		if err != nil {
			continue
		}
		var feeds []string
		for _, v := range watching {
			if feeds = append(feeds, v.Feed); v.Feed == demoTurn {
				feeds = append(feeds, demoTurnSources...)
			}
		}
		for _, c := range cameras {
			c.SetWatched(slices.Contains(feeds, c.Name()))
		}
	}
}
