package main

import (
	"context"
	"fmt"
	"net"
	"time"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/rtsp"
	"webostrum/testkit/pictures"
)

// rtspFrame is the size of a frame that goes out by RTSP: 20 Mbit/s at 25 frames a second,
// so that bytes count and not only calls.
const rtspFrame = 100 << 10

// serveRTSP publishes at a pace to viewers by RTSP, and returns bytes and processor time a
// second.
func serveRTSP(pace time.Duration) (bytes, cpu float64, err error) {
	h := hub.New(hub.Config{})
	defer h.Close()
	track := pictures.Track(pictures.SPS)
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	s := rtsp.NewServer(rtsp.Config{Most: 2 * manyViewers, Gate: func(context.Context, rtsp.Request) (*rtsp.Opened, *rtsp.Refusal) {
		return &rtsp.Opened{Stream: &rtsp.Stream{Hub: h, Track: track}, Release: func() {}}, nil
	}})
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, 0, err
	}
	served := make(chan error, 1)
	go func() { served <- s.Serve(l) }()
	defer func() { s.Close(); <-served }()
	data, n := pictures.Data(pictures.IDR(rtspFrame, 1)), int64(0)
	bytes, cpu, _, err = measure("rtsp:"+l.Addr().String(), pace, manyViewers, 0, func() {
		h.Publish(&media.Sample{Epoch: epoch, Track: track, DTS: n * 3600, PTS: n * 3600, Captured: time.Now(), Key: true, Data: data})
		n++
	})
	return bytes, cpu, err
}

// rtspOut compares RTSP to many viewers with a loop that writes to as many sockets.
func rtspOut() ([]result, error) {
	const flood = time.Millisecond
	var ours, bare, oursPaced, barePaced []float64
	for range rounds {
		b, _, err := serveRTSP(flood)
		if err != nil {
			return nil, err
		}
		bb, _, err := bareViewers(flood, rtspFrame)
		if err != nil {
			return nil, err
		}
		pb, pc, err := serveRTSP(viewPace)
		if err != nil {
			return nil, err
		}
		qb, qc, err := bareViewers(viewPace, rtspFrame)
		if err != nil {
			return nil, err
		}
		ours, bare = append(ours, b), append(bare, bb)
		oursPaced, barePaced = append(oursPaced, pc/pb), append(barePaced, qc/qb)
	}
	o, b, po, pb := median(ours), median(bare), median(oursPaced), median(barePaced)
	return []result{
		{fmt.Sprintf("RTSP out to %d viewers over TCP, as fast as it goes", manyViewers), fmt.Sprintf("%.2f GB/s", o/1e9), fmt.Sprintf("%.2f GB/s by a loop of writes", b/1e9), fmt.Sprintf("%.2f", o/b), "0.9 or better"},
		{fmt.Sprintf("the same at %d frames a second, processor time", int(time.Second/viewPace)), fmt.Sprintf("%.2f s a GB", po*1e9), fmt.Sprintf("%.2f s a GB", pb*1e9), fmt.Sprintf("%.2f", pb/po), "0.9 or better"},
	}, nil
}
