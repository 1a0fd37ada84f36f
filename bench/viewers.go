package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"time"

	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/deliver/mjpeg"
	"webostrum/testkit/pictures"
)

const (
	manyViewers = 500
	nonReaders  = 50
	shownSize   = 40 << 10
	partHead    = 62 // bytes between two pictures
	viewFor     = 5 * time.Second
	viewPace    = 40 * time.Millisecond
)

// drain is the viewers: another process that opens so many connections, reads
// from them until its input ends, and says how many bytes came. An address ending
// in "!" is not read from.
func drain(address string, n int) error {
	address, mute := strings.CutSuffix(address, "!")
	address, overRTSP := strings.CutPrefix(address, "rtsp:")
	hello := "GET / HTTP/1.1\r\nHost: bench\r\n\r\n"
	if overRTSP {
		hello = "SETUP rtsp://bench/main/track1 RTSP/1.0\r\nCSeq: 1\r\nTransport: RTP/AVP/TCP;unicast;interleaved=0-1\r\n\r\nPLAY rtsp://bench/main RTSP/1.0\r\nCSeq: 2\r\n\r\n"
	}
	var wg sync.WaitGroup
	var mu sync.Mutex
	total := int64(0)
	var conns []net.Conn
	for range n {
		c, err := net.Dial("tcp", address)
		if err != nil {
			return err
		}
		if _, err := io.WriteString(c, hello); err != nil {
			return err
		}
		conns = append(conns, c)
		if mute {
			continue
		}
		wg.Go(func() {
			buf := make([]byte, 256<<10)
			for {
				k, err := c.Read(buf)
				mu.Lock()
				total += int64(k)
				mu.Unlock()
				if err != nil {
					return
				}
			}
		})
	}
	fmt.Println("open")
	_, _ = io.Copy(io.Discard, os.Stdin) // ends when we are told to
	for _, c := range conns {
		_ = c.Close()
	}
	wg.Wait()
	fmt.Println(total)
	return nil
}

// crowd is a draining process.
type crowd struct {
	cmd   *exec.Cmd
	stdin io.WriteCloser
	out   *bufio.Reader
}

func gather(address string, n int) (*crowd, error) { return gatherAs("drain", address, n) }

// gatherAs begins a process of so many viewers of a kind.
func gatherAs(kind, address string, n int) (*crowd, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	c := &crowd{cmd: exec.Command(self, "-"+kind, address, "-viewers", strconv.Itoa(n))}
	if c.stdin, err = c.cmd.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := c.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	c.out = bufio.NewReader(out)
	if err := c.cmd.Start(); err != nil {
		return nil, err
	}
	_, err = c.out.ReadString('\n')
	return c, err
}

// leave ends it and returns the bytes that came.
func (c *crowd) leave() (float64, error) {
	_ = c.stdin.Close()
	line, err := c.out.ReadString('\n')
	if err != nil {
		return 0, err
	}
	n, err := strconv.ParseFloat(strings.TrimSpace(line), 64)
	_ = c.cmd.Wait()
	return n, err
}

// shown is what is published.
func shown() *media.Sample {
	track := pictures.JPEGTrack(filmWidth, filmHeight)
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	return &media.Sample{Epoch: epoch, Track: track, Key: true, Data: make([]byte, shownSize)}
}

// serve publishes at a pace to viewers over our delivery, and returns bytes and
// processor time a second.
func serveViewers(pace time.Duration, viewers, mute int) (bytes, cpu, published float64, err error) {
	h := hub.New(hub.Config{})
	defer h.Close()
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, 0, 0, err
	}
	server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { mjpeg.Serve(ctx, w, r, mjpeg.Stream{Hub: h}) }), ReadHeaderTimeout: time.Minute}
	go func() { _ = server.Serve(l) }()
	defer func() { _ = server.Close() }()
	return measure(l.Addr().String(), pace, viewers, mute, func() { h.Publish(shown()) })
}

// measure has a crowd watch while show is called at a pace.
func measure(address string, pace time.Duration, viewers, mute int, show func()) (bytes, cpu, shows float64, err error) {
	c, err := gather(address, viewers)
	if err != nil {
		return 0, 0, 0, err
	}
	if mute > 0 {
		m, err := gather(address+"!", mute)
		if err != nil {
			return 0, 0, 0, err
		}
		defer func() { _ = m.cmd.Process.Kill(); _ = m.cmd.Wait() }()
	}
	before, err := usage()
	if err != nil {
		return 0, 0, 0, err
	}
	begun := time.Now()
	ticker := time.NewTicker(pace)
	defer ticker.Stop()
	for time.Since(begun) < viewFor {
		show()
		shows++
		<-ticker.C
	}
	took := time.Since(begun).Seconds()
	after, err := usage()
	if err != nil {
		return 0, 0, 0, err
	}
	bytes, err = c.leave()
	return bytes / took, (after - before).Seconds() / took, shows / took, err
}

// bareViewers writes the same bytes to the same number of sockets, each from a
// loop of its own that is told by a channel.
func bareViewers(pace time.Duration, size int) (bytes, cpu float64, err error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, 0, err
	}
	defer func() { _ = l.Close() }()
	data := make([]byte, size)
	var mu sync.Mutex
	var wake []chan struct{}
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			ready := make(chan struct{}, 1)
			mu.Lock()
			wake = append(wake, ready)
			mu.Unlock()
			go func() {
				for range ready {
					if _, err := conn.Write(data); err != nil {
						return
					}
				}
			}()
		}
	}()
	bytes, cpu, _, err = measure(l.Addr().String(), pace, manyViewers, 0, func() {
		mu.Lock()
		defer mu.Unlock()
		for _, ready := range wake {
			select {
			case ready <- struct{}{}:
			default:
			}
		}
	})
	mu.Lock()
	defer mu.Unlock()
	for _, ready := range wake {
		close(ready)
	}
	return bytes, cpu, err
}

// viewing compares Motion JPEG to many viewers with a loop that writes to as many
// sockets.
func viewing() ([]result, error) {
	const flood = time.Millisecond
	var ours, bare, oursPaced, barePaced []float64
	for range rounds {
		b, _, _, err := serveViewers(flood, manyViewers, 0)
		if err != nil {
			return nil, err
		}
		bb, _, err := bareViewers(flood, shownSize+partHead)
		if err != nil {
			return nil, err
		}
		pb, pc, _, err := serveViewers(viewPace, manyViewers, 0)
		if err != nil {
			return nil, err
		}
		qb, qc, err := bareViewers(viewPace, shownSize+partHead)
		if err != nil {
			return nil, err
		}
		ours, bare = append(ours, b), append(bare, bb)
		oursPaced, barePaced = append(oursPaced, pc/pb), append(barePaced, qc/qb)
	}
	_, _, alone, err := serveViewers(viewPace, nonReaders, 0)
	if err != nil {
		return nil, err
	}
	_, _, held, err := serveViewers(viewPace, nonReaders, nonReaders)
	if err != nil {
		return nil, err
	}
	o, b, po, pb := median(ours), median(bare), median(oursPaced), median(barePaced)
	return []result{
		{fmt.Sprintf("Motion JPEG to %d viewers, as fast as it goes", manyViewers), fmt.Sprintf("%.2f GB/s", o/1e9), fmt.Sprintf("%.2f GB/s by a loop of writes", b/1e9), fmt.Sprintf("%.2f", o/b), "0.9 or better"},
		{fmt.Sprintf("the same at %d frames a second, processor time", int(time.Second/viewPace)), fmt.Sprintf("%.2f s a GB", po*1e9), fmt.Sprintf("%.2f s a GB", pb*1e9), fmt.Sprintf("%.2f", pb/po), "0.9 or better"},
		{fmt.Sprintf("pictures published with %d viewers that read nothing", nonReaders), fmt.Sprintf("%.1f a second", held), fmt.Sprintf("%.1f without them", alone), fmt.Sprintf("%.2f", held/alone), "1"},
	}, nil
}
