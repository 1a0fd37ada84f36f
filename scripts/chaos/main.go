// Command chaos runs the service while everything around it fails at random, from a seed:
// cameras, their network, viewers, codec workers, the disk and the service itself. It looks
// all the time whether what must hold holds, and says what did not.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/signal"
	"time"
)

func main() {
	minutes := flag.Float64("minutes", 60, "how long")
	seed := flag.Uint64("seed", uint64(time.Now().Unix()), "what the faults are drawn from")
	only := flag.String("only", "", "faults that are drawn, by parts of their names, with commas between; empty for all")
	flag.Parse()
	faults = drawn(*only)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	r, err := run(ctx, time.Duration(*minutes*float64(time.Minute)), *seed)
	out := json.NewEncoder(os.Stdout)
	out.SetIndent("", "  ")
	_ = out.Encode(r)
	switch {
	case err != nil:
		fmt.Fprintln(os.Stderr, "chaos:", err)
		os.Exit(1)
	case len(r.Broken) > 0:
		fmt.Fprintf(os.Stderr, "chaos: %d things did not hold\n", len(r.Broken))
		os.Exit(1)
	}
}

// report is what came of a run.
type report struct {
	Seed     uint64         `json:"seed"`
	Minutes  float64        `json:"minutes"`
	Faults   map[string]int `json:"faults"`
	Looks    int            `json:"looks"`
	Calms    []calm         `json:"calms"`
	Most     figures        `json:"most"`
	Viewers  map[string]int `json:"viewersServed"`
	Oldest   float64        `json:"oldestPictureSeconds"` // that a list ever had as its newest
	Broken   []string       `json:"broken"`
	Files    int            `json:"recordingsRead"` // while the service was away
	Restarts int            `json:"serviceKilled"`
}

// calm is what the service takes when nothing fails for a while.
type calm struct {
	After float64 `json:"afterMinutes"`
	Back  float64 `json:"allLiveAfterSeconds"`
	figures
}

// figures are what the service takes.
type figures struct {
	MiB         float64 `json:"memoryMiB"`
	Goroutines  float64 `json:"goroutines"`
	Descriptors float64 `json:"descriptors"`
}

const (
	stormFor  = 4 * time.Minute
	calmFor   = 75 * time.Second // in which everything has to come back
	faultGap  = 3 * time.Second  // on average
	lookEvery = 2 * time.Second
)

func run(ctx context.Context, length time.Duration, seed uint64) (*report, error) {
	w, err := newWorld(rand.New(rand.NewPCG(seed, 0)))
	if err != nil {
		return &report{Seed: seed}, err
	}
	defer w.close()
	w.report.Seed, w.report.Minutes = seed, length.Minutes()
	ctx, cancel := context.WithTimeout(ctx, length)
	defer cancel()
	w.watchers(ctx)
	begun := time.Now()
	for ctx.Err() == nil {
		w.storm(ctx, min(stormFor, length-time.Since(begun)-calmFor))
		w.calm(ctx, time.Since(begun))
	}
	cancel()
	w.going.Wait()
	return w.report, nil
}
