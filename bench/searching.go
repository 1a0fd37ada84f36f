package main

import (
	"context"
	"fmt"
	"sync"
	"time"

	"webostrum/discover"
	"webostrum/sim/device"
)

const (
	devices      = 50
	searchWithin = 10 * time.Second
	searchAim    = 3 * time.Second
)

// searching measures how long it takes to find all of some devices.
func searching() ([]result, error) {
	ctx, cancel := context.WithCancel(context.Background())
	var playing sync.WaitGroup
	defer playing.Wait()
	defer cancel()
	for n := range devices {
		d, err := device.New(device.Config{Listen: fmt.Sprintf("127.0.0.%d:0", n+1), On: "lo", ID: fmt.Sprintf("urn:uuid:bench-%d", n), Name: fmt.Sprintf("bench %d", n)})
		if err != nil {
			return nil, err
		}
		playing.Go(func() { _ = d.Run(ctx) })
	}
	found, begun, took := map[string]bool{}, time.Now(), time.Duration(0)
	search, end := context.WithCancel(ctx)
	defer end()
	_, err := discover.Search(search, discover.Config{Interfaces: []string{"lo"}, Length: searchWithin}, func(f discover.Found) {
		found[f.ID] = true
		if len(found) >= devices && took == 0 {
			took = time.Since(begun)
			end()
		}
	})
	if took == 0 {
		return nil, fmt.Errorf("%d of %d devices were found: %w", len(found), devices, err)
	}
	return []result{{
		fmt.Sprintf("searching: %d devices found", devices), fmt.Sprintf("%.2f s", took.Seconds()), fmt.Sprintf("%.0f s allowed", searchAim.Seconds()), fmt.Sprintf("%.2f", took.Seconds()/searchAim.Seconds()), "under 1",
	}}, nil
}
