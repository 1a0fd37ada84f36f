package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/memfile"
	"webostrum/testkit/cutting"
)

func liveHeap() float64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return float64(m.HeapAlloc)
}

// anonymousFiles is what the segments take that the kernel holds for us.
func anonymousFiles() float64 {
	total := 0.0
	links, err := filepath.Glob("/proc/self/fd/*")
	if err != nil {
		return 0
	}
	for _, l := range links {
		var st syscall.Stat_t
		if name, err := os.Readlink(l); err == nil && strings.HasPrefix(name, "/memfd:") && syscall.Stat(l, &st) == nil {
			total += float64(st.Blocks) * 512
		}
	}
	return total
}

// memory holds one feed of 4 Mbit/s for a minute.
func memory() ([]result, error) {
	before := liveHeap()
	g, err := cutting.New(hls.Config{Run: "bench", Start: time.Unix(0, 0), Wanted: 2 * time.Second, Listed: 6, Keep: memfile.Keep})
	if err != nil {
		return nil, err
	}
	h := hub.New(hub.Config{})
	defer h.Close()
	err = fill(60*25, func(s *media.Sample) error {
		h.Publish(s)
		return g.Write(s)
	})
	if err != nil {
		return nil, err
	}
	used := liveHeap() - before + anonymousFiles()
	// Six listed, seven that players may still ask for (RFC 8216, 6.2.2), one in
	// the making. The hub holds the two newest groups of pictures once more.
	const held = 14
	segment := float64(keySize + (keyEvery-1)*pictureSize)
	runtime.KeepAlive(g)
	runtime.KeepAlive(h)
	return []result{{
		"memory of one 4 Mbit/s feed, playlist of 6", fmt.Sprintf("%.1f MB", used/1e6), fmt.Sprintf("%.1f MB of media to hold", held*segment/1e6),
		fmt.Sprintf("%.2f", used/(held*segment)), "each byte once",
	}}, nil
}

// publishing measures what a sample costs the writer.
func publishing() ([]result, error) {
	var results []result
	var alone float64
	for _, readers := range []int{1, 100, 10_000} {
		cost := publishCost(readers)
		if readers == 1 {
			alone = cost
		}
		results = append(results, result{
			fmt.Sprintf("publishing into a hub with %d readers", readers), fmt.Sprintf("%.2f µs a sample", cost*1e6),
			fmt.Sprintf("%.2f µs with one", alone*1e6), fmt.Sprintf("%.2f", cost/alone), "flat",
		})
	}
	return results, nil
}

func publishCost(readers int) float64 {
	const samples = 400
	h := hub.New(hub.Config{})
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	h.Publish(&media.Sample{Key: true, Data: []byte{0}})
	for range readers {
		r := h.NewReader()
		wg.Go(func() {
			defer r.Close()
			for {
				if _, _, err := r.Next(ctx); err != nil {
					return
				}
			}
		})
	}
	costs := make([]float64, samples)
	pause := time.NewTicker(10 * time.Millisecond)
	defer pause.Stop()
	for i := range costs {
		<-pause.C
		s := &media.Sample{PTS: int64(i), Data: []byte{0}}
		begun := time.Now()
		h.Publish(s)
		costs[i] = time.Since(begun).Seconds()
	}
	cancel()
	wg.Wait()
	h.Close()
	slices.Sort(costs)
	return costs[samples/2]
}
