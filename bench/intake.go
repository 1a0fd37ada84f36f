package main

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"

	prtp "github.com/pion/rtp"

	"webostrum/core/h265"
	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/nalu"
	"webostrum/core/plan"
	"webostrum/core/rtp"
	"webostrum/core/rtspmsg"
	"webostrum/ingest/rtsp"
	"webostrum/ingest/source"
	"webostrum/sim/reel"
	"webostrum/testkit/cutting"
	"webostrum/testkit/pictures"
)

const (
	keyEvery     = 50
	keySize      = 60_000
	pictureSize  = 19_200 // together 4 Mbit/s at 25 frames a second
	sentPictures = 25_000
	speed        = 100 // times real time
	rounds       = 3
)

// intake compares taking a feed into HLS with reading and copying its bytes.
func intake() ([]result, error) {
	address, stop, err := otherProcess("-source")
	if err != nil {
		return nil, err
	}
	defer stop()
	var results []result
	for _, codec := range []media.Codec{media.H264, media.H265} {
		r, err := intakeOf(address, codec)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", codec, err)
		}
		results = append(results, r)
	}
	return results, nil
}

// otherProcess starts this program as something that listens, and returns its address.
func otherProcess(as string) (address string, stop func(), err error) {
	self, err := os.Executable()
	if err != nil {
		return "", nil, err
	}
	other := exec.Command(self, as)
	out, err := other.StdoutPipe()
	if err != nil {
		return "", nil, err
	}
	if err := other.Start(); err != nil {
		return "", nil, err
	}
	stop = func() { _ = other.Process.Kill(); _ = other.Wait() }
	if address, err = bufio.NewReader(out).ReadString('\n'); err != nil {
		stop()
		return "", nil, err
	}
	return strings.TrimSpace(address), stop, nil
}

func intakeOf(address string, codec media.Codec) (result, error) {
	path := address + "/" + string(codec)
	var ours, bare []float64
	for range rounds {
		b, err := processorTime(func() error { return copyAll(address, "RAW rtsp://"+path+" RTSP/1.0\r\n\r\n") })
		if err != nil {
			return result{}, err
		}
		o, err := processorTime(func() error { return takeIn(path) })
		if err != nil {
			return result{}, err
		}
		bare, ours = append(bare, b.Seconds()), append(ours, o.Seconds())
	}
	const seconds = sentPictures / 25
	o, b := median(ours), median(bare)
	share := func(cpu float64) string { return fmt.Sprintf("%.3f %% of a core", cpu/seconds*100) }
	return result{
		"processor time for one 4 Mbit/s RTSP feed of " + plan.Name(codec) + " over TCP into HLS segments", share(o), share(b) + " to read and copy", fmt.Sprintf("%.2f", o/b), "under 2",
	}, nil
}

func processorTime(work func() error) (time.Duration, error) {
	before, err := usage()
	if err != nil {
		return 0, err
	}
	if err := work(); err != nil {
		return 0, err
	}
	after, err := usage()
	return after - before, err
}

func usage() (time.Duration, error) {
	var u syscall.Rusage
	err := syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano()), err
}

// takeIn plays the feed into a hub and segments.
func takeIn(path string) error {
	g, err := cutting.New(hls.Config{Run: "bench", Start: time.Now(), Wanted: 2 * time.Second, Listed: 6})
	if err != nil {
		return err
	}
	h := hub.New(hub.Config{})
	defer h.Close()
	count := 0
	_, err = rtsp.Play(context.Background(), source.Config{
		URL: "rtsp://" + path, Transport: source.TCP,
		Publish: func(s *media.Sample) {
			count++
			h.Publish(s)
			_ = g.Write(s)
		},
	})
	if count != sentPictures {
		return fmt.Errorf("%d of %d pictures came: %w", count, sentPictures, err)
	}
	return nil
}

// serveSource sends the feed to whoever connects; it is a process of its own.
func serveSource() error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	fmt.Println(l.Addr())
	for {
		c, err := l.Accept()
		if err != nil {
			return err
		}
		if err := send(c); err != nil {
			fmt.Fprintln(os.Stderr, "source:", err)
		}
		_ = c.Close()
	}
}

const sourceSDP = "v=0\r\nm=video 0 RTP/AVP 96\r\na=rtpmap:96 %s/90000\r\na=control:track1\r\n"

func send(c net.Conn) error {
	r := rtspmsg.NewReader(c)
	for {
		m, _, _, err := r.Next()
		if err != nil {
			return err
		}
		codec := media.H264
		if strings.Contains(m.URL, string(media.H265)) {
			codec = media.H265
		}
		if m.Method == "RAW" {
			return pour(c, codec)
		}
		a := &rtspmsg.Message{Status: 200, Reason: "OK", Header: rtspmsg.Header{"Cseq": m.Header["Cseq"]}}
		switch m.Method {
		case "DESCRIBE":
			a.Body = fmt.Appendf(nil, sourceSDP, codec)
		case "SETUP":
			a.Header.Set("Transport", m.Header.Get("Transport"))
			a.Header.Set("Session", "1")
		}
		if _, err := c.Write(a.Append(nil)); err != nil {
			return err
		}
		if m.Method == "PLAY" {
			return pour(c, codec)
		}
	}
}

// pour sends the pictures, each with one write.
func pour(c net.Conn, codec media.Codec) error {
	track := pictures.Track(pictures.SPS)
	z := &rtp.Packetizer{PayloadType: 96, MTU: 1400}
	key, other := pictures.Data(pictures.IDR(keySize, 1)), pictures.Data(pictures.P(pictureSize, 2))
	if codec == media.H265 {
		_, config := reel.Load()
		track = media.VideoTrack(1, filmClock, config)
		key, other = sliceOf(h265.NALIDRWRADL, keySize), sliceOf(1, pictureSize)
	}
	var buf []byte
	begun := time.Now()
	for n := range int64(sentPictures) {
		s := &media.Sample{Track: track, PTS: n * 3600, Data: other}
		if n%keyEvery == 0 {
			s.Key, s.Data = true, key
		}
		buf = interleave(buf[:0], z.Packets(s))
		if _, err := c.Write(buf); err != nil {
			return err
		}
		time.Sleep(time.Until(begun.Add(time.Duration(n) * 40 * time.Millisecond / speed)))
	}
	return nil
}

// sliceOf is a picture of H.265 that nobody decodes.
func sliceOf(kind h265.NALType, size int) []byte {
	const first = 0x80
	return nalu.Append(nil, append([]byte{byte(kind) << 1, 1, first}, bytes.Repeat([]byte{0x55}, size)...))
}

func interleave(buf []byte, packets []*prtp.Packet) []byte {
	for _, p := range packets {
		b, err := p.Marshal()
		if err != nil {
			continue
		}
		buf = append(buf, rtspmsg.Magic, 0, byte(len(b)>>8), byte(len(b)))
		buf = append(buf, b...)
	}
	return buf
}
