package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"time"

	"webostrum/core/amf"
	"webostrum/core/flv"
	"webostrum/core/hls"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/mpegts"
	"webostrum/core/rtmp"
	"webostrum/ingest/push"
	ingestrtmp "webostrum/ingest/rtmp"
	"webostrum/ingest/source"
	"webostrum/ingest/ts"
	"webostrum/testkit/cutting"
	"webostrum/testkit/pictures"
)

// What a publisher is told to send, by the first byte that comes.
const (
	sayTransport = 'T'
	saySession   = 'R' // RTMP from its handshake on
	sayChunks    = 'r' // the same media without a word before it
)

// callers compares taking publishers in with reading and copying their bytes.
func callers() ([]result, error) {
	address, stop, err := otherProcess("-publisher")
	if err != nil {
		return nil, err
	}
	defer stop()
	var results []result
	for _, x := range []struct {
		name string
		bare byte
		take func(address string, into *intoHLS) error
		aim  string
	}{
		{"RTMP publisher", sayChunks, takeRTMP, "under 2"},
		{"transport stream", sayTransport, takeTransport, "under 2.5"},
	} {
		r, err := compareCaller(address, x.name, x.bare, x.take, x.aim)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", x.name, err)
		}
		results = append(results, r)
	}
	return results, nil
}

func compareCaller(address, name string, bareByte byte, take func(string, *intoHLS) error, aim string) (result, error) {
	var ours, bare []float64
	for range rounds {
		b, err := processorTime(func() error { return copyAll(address, string(rune(bareByte))) })
		if err != nil {
			return result{}, err
		}
		o, err := processorTime(func() error {
			into, err := newIntoHLS()
			if err != nil {
				return err
			}
			defer into.hub.Close()
			err = take(address, into)
			if into.count != sentPictures {
				return fmt.Errorf("%d of %d pictures came: %w", into.count, sentPictures, err)
			}
			return nil
		})
		if err != nil {
			return result{}, err
		}
		bare, ours = append(bare, b.Seconds()), append(ours, o.Seconds())
	}
	const seconds = sentPictures / 25
	o, b := median(ours), median(bare)
	share := func(cpu float64) string { return fmt.Sprintf("%.3f %% of a core", cpu/seconds*100) }
	return result{"processor time for one 4 Mbit/s " + name + " over TCP into HLS segments", share(o), share(b) + " to read and copy", fmt.Sprintf("%.2f", o/b), aim}, nil
}

// copyAll says something, reads all that comes and copies it once.
func copyAll(address, say string) error {
	c, err := net.Dial("tcp", address)
	if err != nil {
		return err
	}
	defer func() { _ = c.Close() }()
	if _, err := c.Write([]byte(say)); err != nil {
		return err
	}
	buf, kept := make([]byte, 64<<10), make([]byte, 64<<10)
	for {
		n, err := c.Read(buf)
		copy(kept, buf[:n])
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

// intoHLS is where frames go: a hub and segments.
type intoHLS struct {
	hub   *hub.Hub
	write func(*media.Sample)
	count int
}

func newIntoHLS() (*intoHLS, error) {
	g, err := cutting.New(hls.Config{Run: "bench", Start: time.Now(), Wanted: 2 * time.Second, Listed: 6})
	if err != nil {
		return nil, err
	}
	i := &intoHLS{hub: hub.New(hub.Config{})}
	i.write = func(s *media.Sample) { i.count++; i.hub.Publish(s); _ = g.Write(s) }
	return i, nil
}

func (i *intoHLS) config() source.Config {
	cfg := source.Config{Publish: i.write}
	cfg.Settle()
	return cfg
}

// takeTransport plays a transport stream from a connection.
func takeTransport(address string, into *intoHLS) error {
	c, err := net.Dial("tcp", address)
	if err != nil {
		return err
	}
	defer func() { _ = c.Close() }()
	if _, err := c.Write([]byte{sayTransport}); err != nil {
		return err
	}
	s, err := ts.New(into.config(), "tcp", nil)
	if err != nil {
		return err
	}
	return s.Read(c)
}

// takeRTMP lets a publisher in, over a connection that it was told to use.
func takeRTMP(address string, into *intoHLS) error {
	c, err := net.Dial("tcp", address)
	if err != nil {
		return err
	}
	defer func() { _ = c.Close() }()
	if _, err := c.Write([]byte{saySession}); err != nil {
		return err
	}
	d := &oneDesk{into: into}
	ingestrtmp.Handle(d, false)(context.Background(), c, func() {})
	return d.err
}

// oneDesk lets everybody in.
type oneDesk struct {
	into *intoHLS
	err  error
}

// Admit implements push.Desk.
func (d *oneDesk) Admit(context.Context, push.Request) (push.Place, error) { return d, nil }

// Run implements push.Place.
func (d *oneDesk) Run(ctx context.Context, play push.Play) error {
	_, d.err = play(ctx, d.into.config())
	return d.err
}

// Leave implements push.Place.
func (d *oneDesk) Leave() {}

// servePublisher sends what it is told to whoever connects; it is a process of its own.
func servePublisher() error {
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
		var say [1]byte
		if _, err = io.ReadFull(c, say[:]); err == nil {
			err = publishTo(c, say[0])
		}
		if err != nil && !errors.Is(err, io.EOF) {
			fmt.Fprintln(os.Stderr, "publisher:", err)
		}
		_ = c.Close()
	}
}

func publishTo(c net.Conn, say byte) error {
	track := pictures.Track(pictures.SPS)
	if say == sayTransport {
		w := mpegts.NewWriter(track, nil)
		return pourFrames(c, track, func(dst []byte, s *media.Sample) []byte {
			if s.Key {
				dst = w.AppendTables(dst)
			}
			return w.AppendSample(dst, s, uint64(s.PTS), uint64(s.PTS))
		})
	}
	const chunk = 4096
	if say == saySession {
		if err := beginRTMP(c); err != nil {
			return err
		}
	}
	b := rtmp.Append(nil, rtmp.ControlChunks, rtmp.Number(rtmp.KindChunkSize, chunk), 128)
	record := flv.AppendVideo(nil, flv.Video{Codec: media.H264, Kind: flv.KindConfig, Data: track.Video.Entry.Record})
	b = rtmp.Append(b, rtmp.VideoChunks, &rtmp.Message{Kind: rtmp.KindVideo, Stream: 1, Data: record}, chunk)
	if _, err := c.Write(b); err != nil {
		return err
	}
	return pourFrames(c, track, func(dst []byte, s *media.Sample) []byte {
		body := flv.AppendVideo(nil, flv.Video{Codec: media.H264, Kind: flv.KindFrames, Key: s.Key, Data: s.Data})
		return rtmp.Append(dst, rtmp.VideoChunks, &rtmp.Message{Kind: rtmp.KindVideo, Stream: 1, Time: uint32(s.PTS / 90), Data: body}, chunk)
	})
}

// beginRTMP goes as far as the answer to publish.
func beginRTMP(c net.Conn) error {
	if err := rtmp.Greet(c, []byte("bench")); err != nil {
		return err
	}
	in := rtmp.NewReader(c)
	for i, command := range [][]any{{"connect", 1, amf.Object{"app": "bench"}}, {"createStream", 2, nil}, {"publish", 3, nil, "key", "live"}} {
		m := &rtmp.Message{Kind: rtmp.KindCommand, Stream: uint32(i / 2), Data: amf.Append(nil, command...)}
		if _, err := c.Write(rtmp.Append(nil, rtmp.CommandChunks, m, 128)); err != nil {
			return err
		}
		for {
			m, err := in.Next()
			if err != nil {
				return err
			}
			if m.Kind == rtmp.KindCommand {
				break
			}
		}
	}
	go func() { _, _ = io.Copy(io.Discard, c) }() // acknowledgements, until the connection closes
	return nil
}

// pourFrames sends the pictures, each with one write.
func pourFrames(c net.Conn, track *media.Track, wire func([]byte, *media.Sample) []byte) error {
	key, other := pictures.Data(pictures.IDR(keySize, 1)), pictures.Data(pictures.P(pictureSize, 2))
	var buf []byte
	begun := time.Now()
	for n := range int64(sentPictures) {
		s := &media.Sample{Track: track, PTS: n * 3600, Data: other}
		if n%keyEvery == 0 {
			s.Key, s.Data = true, key
		}
		buf = wire(buf[:0], s)
		if _, err := c.Write(buf); err != nil {
			return err
		}
		time.Sleep(time.Until(begun.Add(time.Duration(n) * 40 * time.Millisecond / speed)))
	}
	return nil
}
