package main

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"time"

	"webostrum/core/hls"
	"webostrum/core/media"
	deliver "webostrum/deliver/hls"
	"webostrum/deliver/memfile"
	"webostrum/testkit/cutting"
	"webostrum/testkit/pictures"
)

const (
	reloaders  = 9_500 // each is a file here and one there
	reloadFor  = 8 * time.Second
	reloadPart = 200 * time.Millisecond
)

// reload is players of another process: each asks for the list with the next part in it,
// again and again, until its input ends.
func reload(address string, n int) error {
	var wg sync.WaitGroup
	var conns []net.Conn
	for range n {
		c, err := net.Dial("tcp", address)
		if err != nil {
			return err
		}
		conns = append(conns, c)
		wg.Go(func() { follow(c) }) // ends with the connection
	}
	fmt.Println("open")
	_, _ = io.Copy(io.Discard, os.Stdin) // ends when we are told to
	for _, c := range conns {
		_ = c.Close()
	}
	wg.Wait()
	fmt.Println(0)
	return nil
}

func follow(c net.Conn) {
	in := bufio.NewReaderSize(c, 1024)
	query := ""
	for {
		if _, err := fmt.Fprintf(c, "GET /%s/%s%s HTTP/1.1\r\nHost: bench\r\n\r\n", hls.Original, hls.MediaName, query); err != nil {
			return
		}
		res, err := http.ReadResponse(in, nil)
		if err != nil {
			return
		}
		body, err := io.ReadAll(res.Body)
		if err != nil {
			return
		}
		if query = nextPart(body); query == "" {
			time.Sleep(reloadPart)
		}
	}
}

// nextPart is what to ask for next: the part that the list hints at.
func nextPart(list []byte) string {
	i := bytes.LastIndex(list, []byte("PRELOAD-HINT:TYPE=PART,URI=\"bench-"))
	if i < 0 {
		return ""
	}
	text := string(list[i+len("PRELOAD-HINT:TYPE=PART,URI=\"bench-"):])
	text, _, _ = strings.Cut(text, ".m4s")
	sequence, part, ok := strings.Cut(text, ".")
	if !ok {
		return ""
	}
	return "?_HLS_msn=" + sequence + "&_HLS_part=" + part
}

// reloading measures what players cost that wait for the next part.
func reloading() ([]result, error) {
	g, err := cutting.New(hls.Config{Run: "bench", Start: time.Unix(0, 0), Wanted: 2 * time.Second, Part: reloadPart, Listed: 6, Keep: memfile.Keep})
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	go live(ctx, g)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	h := &deliver.Handler{Shared: true}
	server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { h.ServeFile(w, r, benchFeed{g}, r.URL.Path[1:]) }), ReadHeaderTimeout: time.Minute}
	go func() { _ = server.Serve(l) }()
	defer func() { _ = server.Close() }()
	time.Sleep(7 * time.Second) // three segments
	one, _, err := reloadCost(l.Addr().String(), 1)
	if err != nil {
		return nil, err
	}
	many, memory, err := reloadCost(l.Addr().String(), reloaders)
	if err != nil {
		return nil, err
	}
	return []result{
		{
			"players that wait for the next part: processor time a part", fmt.Sprintf("%.1f ms with %d", many*1e3, reloaders), fmt.Sprintf("%.3f ms with one", one*1e3),
			fmt.Sprintf("%.2f of so many times one", many/one/reloaders), "under 1",
		},
		{"memory for each of them", fmt.Sprintf("%.1f KB", memory/1e3), "16 KB", fmt.Sprintf("%.2f", memory/16e3), "under 1"},
	}, nil
}

// live writes frames as a camera does.
func live(ctx context.Context, g *cutting.Cutter) {
	track := pictures.Track(pictures.SPS)
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	tick := time.NewTicker(40 * time.Millisecond)
	defer tick.Stop()
	for n := int64(0); ctx.Err() == nil; n++ {
		<-tick.C
		s := &media.Sample{Epoch: epoch, Track: track, DTS: n * 3600, PTS: n * 3600, Captured: time.Now(), Key: n%keyEvery == 0, Data: pictures.Data(pictures.P(1000, byte(n)))}
		if s.Key {
			s.Data = pictures.Data(pictures.IDR(4000, byte(n)))
		}
		_ = g.Write(s)
	}
}

// reloadCost is what so many players take: processor time a part, and memory of each.
func reloadCost(address string, n int) (processor, memory float64, err error) {
	runtime.GC()
	before, err := residentSet()
	if err != nil {
		return 0, 0, err
	}
	c, err := gatherAs("reload", address, n)
	if err != nil {
		return 0, 0, err
	}
	time.Sleep(2 * time.Second)
	took, err := processorTime(func() error {
		time.Sleep(reloadFor)
		return nil
	})
	if err != nil {
		return 0, 0, err
	}
	after, err := residentSet()
	if _, closed := c.leave(); closed != nil {
		err = errors.Join(err, closed)
	}
	return took.Seconds() / (float64(reloadFor) / float64(reloadPart)), (after - before) / float64(n), err
}

// residentSet is the memory that this process takes, bytes.
func residentSet() (float64, error) {
	text, err := os.ReadFile("/proc/self/statm")
	if err != nil {
		return 0, err
	}
	pages, err := strconv.ParseFloat(strings.Fields(string(text))[1], 64)
	return pages * float64(os.Getpagesize()), err
}
