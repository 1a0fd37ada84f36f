package rtmp_test

import (
	"bytes"
	"context"
	"errors"
	"io"
	"log/slog"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/aac"
	"webostrum/core/amf"
	"webostrum/core/fault"
	"webostrum/core/flv"
	"webostrum/core/media"
	"webostrum/core/rtmp"
	"webostrum/ingest/push"
	server "webostrum/ingest/rtmp"
	"webostrum/testkit"
	"webostrum/testkit/desk"
	"webostrum/testkit/pictures"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// world is a server with its desk.
type world struct {
	t       *testing.T
	desk    *desk.Desk
	address string
}

func serve(t *testing.T) *world {
	t.Helper()
	w := &world{t: t, desk: &desk.Desk{Key: "right"}}
	w.desk.Config.StallAfter = time.Second
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	s := &push.Server{Handle: server.Handle(w.desk, false), Client: func(a string) string { return a }, Log: slog.New(slog.DiscardHandler)}
	served := make(chan error, 1)
	go func() { served <- s.Serve(l) }()
	t.Cleanup(func() { s.Close(); assert.NoError(t, <-served) })
	w.address = l.Addr().String()
	return w
}

// publisher is one by hand.
type publisher struct {
	*world
	conn net.Conn
	in   *rtmp.Reader
}

func (w *world) connect() *publisher {
	w.t.Helper()
	c, err := net.Dial("tcp", w.address)
	require.NoError(w.t, err)
	w.t.Cleanup(func() { _ = c.Close() })
	require.NoError(w.t, c.SetDeadline(time.Now().Add(20*time.Second)))
	require.NoError(w.t, rtmp.Greet(c, []byte("hello")))
	return &publisher{w, c, rtmp.NewReader(c)}
}

func (p *publisher) send(kind rtmp.Kind, at uint32, data []byte) {
	p.t.Helper()
	_, err := p.conn.Write(rtmp.Append(nil, 5, &rtmp.Message{Kind: kind, Stream: 1, Time: at, Data: data}, 128))
	require.NoError(p.t, err)
}

func (p *publisher) command(values ...any) { p.send(rtmp.KindCommand, 0, amf.Append(nil, values...)) }

// answer reads up to a command and returns its values.
func (p *publisher) answer() []any {
	p.t.Helper()
	for {
		m, err := p.in.Next()
		require.NoError(p.t, err)
		if m.Kind == rtmp.KindCommand {
			values, err := amf.Decode(m.Data)
			require.NoError(p.t, err)
			return values
		}
	}
}

// publish asks to publish, and returns the code and the words of the answer.
func (p *publisher) publish(app, name string) (code, text string) {
	p.t.Helper()
	p.command("connect", 1, amf.Object{"app": app, "flashVer": "test"})
	assert.Equal(p.t, "_result", p.answer()[0])
	p.command("releaseStream", 2, nil, name)
	assert.Equal(p.t, "_result", p.answer()[0])
	p.command("createStream", 3, nil)
	assert.Equal(p.t, 1.0, p.answer()[3])
	p.command("publish", 4, nil, name, "live")
	o := p.answer()[3].(amf.Object)
	return o.Text("code"), o.Text("description")
}

const started = "NetStream.Publish.Start"

// begin publishes, with a configuration of video.
func (p *publisher) begin() {
	p.t.Helper()
	code, text := p.publish("gate", "right")
	require.Equal(p.t, started, code, text)
	p.configure(pictures.SPS)
}

func (p *publisher) configure(sps []byte) {
	p.t.Helper()
	record := pictures.Track(sps).Video.Entry.Record
	p.send(rtmp.KindVideo, 0, flv.AppendVideo(nil, flv.Video{Codec: media.H264, Kind: flv.KindConfig, Data: record}))
}

func (p *publisher) frame(at uint32, key bool, data []byte) {
	p.t.Helper()
	p.send(rtmp.KindVideo, at, flv.AppendVideo(nil, flv.Video{Codec: media.H264, Kind: flv.KindFrames, Key: key, Data: data}))
}

func (w *world) eventually(what string, ok func(desk.Kept) bool) desk.Kept {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	require.NoError(w.t, testkit.Eventually(ctx, func() bool { return ok(w.desk.Kept()) }), what)
	return w.desk.Kept()
}

func (w *world) ended() fault.Code {
	w.t.Helper()
	k := w.eventually("the session ends", func(k desk.Kept) bool { return len(k.Ended) > 0 })
	return fault.As(k.Ended[0]).Kind.Code
}

func TestPublish(t *testing.T) {
	t.Parallel()
	w := serve(t)
	p := w.connect()
	code, text := p.publish("gate", "right")
	require.Equal(t, started, code, text)
	p.send(rtmp.KindData, 0, amf.Append(nil, "@setDataFrame", "onMetaData", amf.Object{"encoder": "A test", "audiocodecid": 10}))
	p.configure(pictures.SPS)
	p.frame(1000, true, pictures.Data(pictures.IDR(400, 1)))
	p.send(rtmp.KindAudio, 1000, flv.AppendAAC(nil, flv.KindConfig, aac.LC(48000, 2)))
	p.send(rtmp.KindAudio, 1000, flv.AppendAAC(nil, flv.KindFrames, []byte{1, 2, 3}))
	p.frame(1040, false, pictures.Data(pictures.P(300, 2)))
	p.send(rtmp.KindAudio, 1021, flv.AppendAAC(nil, flv.KindFrames, []byte{4}))
	k := w.eventually("all comes", func(k desk.Kept) bool { return len(k.Video) == 2 && len(k.Audio) == 2 })
	assert.Equal(t, []int64{0, 3600}, []int64{k.Video[0].PTS, k.Video[1].PTS})
	assert.Equal(t, pictures.Data(pictures.P(300, 2)), k.Video[1].Data)
	assert.Equal(t, []int64{0, 1024}, []int64{k.Audio[0].PTS, k.Audio[1].PTS}, "milliseconds are rounded")
	assert.Equal(t, [][]byte{{1, 2, 3}, {4}}, [][]byte{k.Audio[0].Data, k.Audio[1].Data}, "each has its own bytes")
	require.Len(t, k.Tracks, 1, "told before the first picture, which waited for it")
	assert.Equal(t, k.Video[0].Captured, k.Audio[0].Captured)
	f := k.Session.Facts()
	assert.Equal(t, []string{"rtmp", "A test", p.conn.LocalAddr().String()}, []string{f.Transport, f.Server, f.From})
	assert.Equal(t, 320, f.Width)

	p.command("FCUnpublish", 9, nil, "right")
	assert.Equal(t, fault.PublisherLeft, w.ended())
}

func TestWhereTheKeyIs(t *testing.T) {
	t.Parallel()
	for name, tt := range map[string]struct{ app, stream, want string }{
		"the stream's name":        {"gate", "right", started},
		"query of the application": {"gate?key=right", "live", started},
		"query of the stream":      {"gate", "live?key=right", started},
		"with a slash":             {"gate/", "right", started},
		"wrong":                    {"gate", "wrong", "NetStream.Publish.BadName"},
		"none":                     {"gate", "", "NetStream.Publish.BadName"},
	} {
		w := serve(t)
		code, text := w.connect().publish(tt.app, tt.stream)
		assert.Equal(t, tt.want, code, name)
		assert.Equal(t, "gate", w.desk.Kept().Asked[0].Feed, name)
		if name == "none" {
			assert.Contains(t, text, "needs its key")
		}
	}
}

// TestTimesThatWrapAndJump: an epoch goes on over a wrap, and another begins after a jump.
func TestTimesThatWrapAndJump(t *testing.T) {
	t.Parallel()
	w := serve(t)
	p := w.connect()
	p.begin()
	for i, at := range []uint32{1<<32 - 20, 20, 60, 5_000_000, 5_000_040, 100} {
		p.frame(at, true, pictures.Data(pictures.IDR(90, byte(i))))
	}
	k := w.eventually("all come", func(k desk.Kept) bool { return len(k.Video) == 6 })
	v := k.Video
	assert.Same(t, v[0].Epoch, v[2].Epoch, "a wrap is no break")
	assert.Equal(t, int64(3600), v[1].PTS)
	assert.NotSame(t, v[2].Epoch, v[3].Epoch, "a jump is")
	assert.Same(t, v[3].Epoch, v[4].Epoch)
	assert.NotSame(t, v[4].Epoch, v[5].Epoch, "and going back, too")
}

func TestAnotherSize(t *testing.T) {
	t.Parallel()
	w := serve(t)
	p := w.connect()
	p.begin()
	p.frame(0, true, pictures.Data(pictures.IDR(90, 1)))
	p.configure(pictures.Larger)
	p.frame(40, true, pictures.Data(pictures.IDR(90, 2)))
	k := w.eventually("both come", func(k desk.Kept) bool { return len(k.Video) == 2 })
	assert.Equal(t, []int{320, 640}, []int{k.Video[0].Track.Width, k.Video[1].Track.Width})
}

func TestAggregateAndSetsInTheStream(t *testing.T) {
	t.Parallel()
	w := serve(t)
	p := w.connect()
	code, _ := p.publish("gate", "right")
	require.Equal(t, started, code)
	frame := flv.AppendVideo(nil, flv.Video{Codec: media.H264, Kind: flv.KindFrames, Key: true, Data: pictures.Data(pictures.SPS, pictures.PPS, pictures.IDR(90, 1))})
	inner := func(at byte) []byte {
		b := append([]byte{byte(rtmp.KindVideo), 0, 0, byte(len(frame)), 0, 0, at, 0, 0, 0, 0}, frame...)
		return append(b, 0, 0, 0, byte(11+len(frame)))
	}
	p.send(rtmp.KindAggregate, 500, append(inner(7), inner(47)...))
	k := w.eventually("both come", func(k desk.Kept) bool { return len(k.Video) == 2 })
	assert.Equal(t, int64(3600), k.Video[1].PTS)
	assert.Equal(t, []*media.Track{nil}, k.Tracks, "no audio")
}

// TestBadPublishers: each ends its own session with its own sentence.
func TestBadPublishers(t *testing.T) {
	t.Parallel()
	for name, tt := range map[string]struct {
		do   func(p *publisher)
		want fault.Code
	}{
		"stops sending": {func(*publisher) {}, fault.PublisherStalled},
		"goes":          {func(p *publisher) { _ = p.conn.Close() }, fault.PublisherLeft},
		"VP6":           {func(p *publisher) { p.send(rtmp.KindVideo, 0, []byte{0x14, 0}) }, fault.PublisherCodec},
		"cut record":    {func(p *publisher) { p.send(rtmp.KindVideo, 0, []byte{0x17, 0, 0, 0, 0, 1, 2}) }, fault.PublisherGarbled},
		"chunks of 16 MB": {func(p *publisher) {
			_, _ = p.conn.Write(rtmp.Append(nil, 2, rtmp.Number(rtmp.KindChunkSize, 16<<20), 128))
			_, _ = p.conn.Write([]byte{0x06, 0, 0, 0, 0xff, 0xff, 0xff, 9, 1, 0, 0, 0})
		}, fault.PublisherGarbled},
		"a bomb of objects": {func(p *publisher) {
			p.send(rtmp.KindData, 0, bytes.Repeat([]byte{3, 0, 1, 'a'}, 100_000))
			_ = p.conn.Close()
		}, fault.PublisherLeft},
		"noise": {func(p *publisher) { _, _ = p.conn.Write(bytes.Repeat([]byte("noise"), 1000)) }, fault.PublisherGarbled},
		"only audio": {func(p *publisher) {
			for i := 0; p.desk.Kept().Ended == nil; i++ {
				if _, err := p.conn.Write(rtmp.Append(nil, 4, &rtmp.Message{Kind: rtmp.KindAudio, Time: uint32(i * 20), Data: []byte{0xaf, 1, 0}}, 128)); err != nil {
					return
				}
				<-time.After(20 * time.Millisecond) // its pace
			}
		}, fault.PublisherStalled},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w := serve(t)
			p := w.connect()
			p.begin()
			p.frame(0, true, pictures.Data(pictures.IDR(90, 1)))
			w.eventually("it is live", func(k desk.Kept) bool { return len(k.Video) == 1 })
			tt.do(p)
			assert.Equal(t, tt.want, w.ended())
		})
	}
}

func TestEndedFromHere(t *testing.T) {
	t.Parallel()
	w := serve(t)
	p := w.connect()
	p.begin()
	p.frame(0, true, pictures.Data(pictures.IDR(90, 1)))
	w.eventually("it is live", func(k desk.Kept) bool { return len(k.Video) == 1 })
	w.desk.End(fault.New(fault.PublishReplaced, nil, ""))
	assert.Equal(t, fault.PublishReplaced, w.ended())
	_, err := io.Copy(io.Discard, p.conn)
	assert.True(t, err == nil || errors.Is(err, net.ErrClosed) || strings.Contains(err.Error(), "reset"), "%v", err)
}

// TestStrangersAreFew: connections that are not let in are bounded, for each client.
func TestStrangersAreFew(t *testing.T) {
	t.Parallel()
	w := &world{t: t, desk: &desk.Desk{Key: "right"}}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	s := &push.Server{Handle: server.Handle(w.desk, false), Client: func(string) string { return "one" }, Log: slog.New(slog.DiscardHandler)}
	go func() { _ = s.Serve(l) }()
	t.Cleanup(s.Close)
	w.address = l.Addr().String()
	inside := w.connect()
	inside.begin()
	var idle []net.Conn
	for range 40 {
		c, err := net.Dial("tcp", w.address)
		require.NoError(t, err)
		t.Cleanup(func() { _ = c.Close() })
		idle = append(idle, c)
	}
	closed := 0
	for _, c := range idle {
		require.NoError(t, c.SetReadDeadline(time.Now().Add(200*time.Millisecond)))
		if _, err := c.Read(make([]byte, 1)); errors.Is(err, io.EOF) || err != nil && strings.Contains(err.Error(), "reset") {
			closed++
		}
	}
	assert.Equal(t, 40-16, closed)
	inside.frame(0, true, pictures.Data(pictures.IDR(90, 1)))
	w.eventually("who was let in goes on", func(k desk.Kept) bool { return len(k.Video) == 1 })
}
