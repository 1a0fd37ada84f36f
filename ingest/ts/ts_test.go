package ts_test

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"slices"
	"sync"
	"testing"
	"time"

	prtp "github.com/pion/rtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/mpegts"
	"webostrum/ingest"
	"webostrum/ingest/source"
	"webostrum/testkit"
	"webostrum/testkit/film"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// viewer plays an address and keeps what comes.
type viewer struct {
	t       *testing.T
	waiting chan struct{}
	ended   chan error

	mu      sync.Mutex
	video   []*media.Sample // guarded by mu
	audio   []*media.Sample // guarded by mu
	session source.Session  // guarded by mu
}

func play(t *testing.T, url string) *viewer {
	t.Helper()
	v := &viewer{t: t, waiting: make(chan struct{}), ended: make(chan error, 1)}
	ctx, cancel := context.WithCancel(context.Background())
	var playing sync.WaitGroup
	playing.Go(func() {
		_, err := ingest.Play(ctx, source.Config{
			URL: url, StallAfter: time.Second, FirstTimeout: 2 * time.Second, Waiting: func() { close(v.waiting) },
			Publish: func(s *media.Sample) { v.keep(func() { v.video = append(v.video, s) }) },
			Audio:   func(s *media.Sample) { v.keep(func() { v.audio = append(v.audio, s) }) },
			Started: func(s source.Session) { v.keep(func() { v.session = s }) },
		})
		v.ended <- err
	})
	t.Cleanup(func() { cancel(); playing.Wait() })
	return v
}

func (v *viewer) keep(what func()) {
	v.mu.Lock()
	defer v.mu.Unlock()
	what()
}

func (v *viewer) frames() int {
	v.mu.Lock()
	defer v.mu.Unlock()
	return len(v.video)
}

func (v *viewer) facts() source.Facts {
	v.mu.Lock()
	s := v.session
	v.mu.Unlock()
	if s == nil {
		return source.Facts{}
	}
	return s.Facts()
}

func (v *viewer) eventually(what string, ok func() bool) {
	v.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	require.NoError(v.t, testkit.Eventually(ctx, ok), what)
}

func (v *viewer) over() fault.Code {
	v.t.Helper()
	select {
	case err := <-v.ended:
		return fault.As(err).Kind.Code
	case <-time.After(20 * time.Second):
		require.Fail(v.t, "it goes on")
		return ""
	}
}

// freeUDP is an address that nobody listens on.
func freeUDP(t *testing.T, host string) string {
	t.Helper()
	c, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.ParseIP(host)})
	require.NoError(t, err)
	defer func() { _ = c.Close() }()
	return c.LocalAddr().String()
}

func dial(t *testing.T, address string) net.Conn {
	t.Helper()
	c, err := net.Dial("udp", address)
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	return c
}

// datagrams cuts a stream as encoders do.
func datagrams(stream []byte) [][]byte {
	return slices.Collect(slices.Chunk(stream, 7*mpegts.PacketSize))
}

func send(t *testing.T, c net.Conn, list ...[]byte) {
	t.Helper()
	for _, b := range list {
		_, err := c.Write(b)
		require.NoError(t, err)
	}
}

func TestUDP(t *testing.T) {
	t.Parallel()
	address := freeUDP(t, "127.0.0.1")
	v := play(t, "udp://"+address)
	<-v.waiting
	c := dial(t, address)
	send(t, c, datagrams(film.New(50, true).Stream(77))...)
	v.eventually("all frames come", func() bool { return v.frames() == 50 })
	f := v.facts()
	assert.Equal(t, []string{"udp", c.LocalAddr().String()}, []string{f.Transport, f.From})
	assert.Positive(t, f.ReceiveBuffer)
	assert.Zero(t, f.Stats.Lost)
	require.Len(t, f.Tracks, 2)
	assert.True(t, f.Tracks[0].Used && f.Tracks[1].Used)

	other := dial(t, address)
	send(t, other, datagrams(film.New(10, true).Stream(999_999))...)
	v.eventually("a second sender is counted, and left out", func() bool { return v.facts().Stats.Other > 0 })
	assert.Equal(t, 50, v.frames())
	assert.Equal(t, fault.Stalled, v.over(), "then it falls silent")
}

func TestSenderComesBackAtAnotherAddress(t *testing.T) {
	t.Parallel()
	address := freeUDP(t, "127.0.0.1")
	v := play(t, "udp://"+address)
	<-v.waiting
	send(t, dial(t, address), datagrams(film.New(20, false).Stream(0))...)
	v.eventually("the first comes", func() bool { return v.frames() == 20 })
	second := dial(t, address)
	v.eventually("the second is taken once the first is silent", func() bool {
		send(t, second, datagrams(film.New(20, false).Stream(5_000_000))...)
		return v.frames() > 20 || len(v.ended) > 0
	})
}

// TestRTP: packets in another order are put right, and one that is missing costs the frames up
// to the next keyframe.
func TestRTP(t *testing.T) {
	t.Parallel()
	address := freeUDP(t, "127.0.0.1")
	v := play(t, "rtp://"+address)
	<-v.waiting
	c := dial(t, address)
	var packets [][]byte
	for i, part := range datagrams(film.New(60, false).Stream(0)) {
		p := prtp.Packet{Header: prtp.Header{Version: 2, PayloadType: 33, SequenceNumber: uint16(65530 + i), SSRC: 7}, Payload: part}
		b, err := p.Marshal()
		require.NoError(t, err)
		packets = append(packets, b)
	}
	packets[3], packets[4] = packets[4], packets[3]
	send(t, c, packets...)
	v.eventually("all frames come", func() bool { return v.frames() == 60 })
	assert.Equal(t, "rtp", v.facts().Transport)
	assert.Zero(t, v.facts().Stats.Lost)
}

func TestMulticast(t *testing.T) {
	t.Parallel()
	_, port, err := net.SplitHostPort(freeUDP(t, "127.0.0.1"))
	require.NoError(t, err)
	for name, query := range map[string]string{"any source": "?interface=lo", "one source": "?interface=lo&source=127.0.0.1"} {
		v := play(t, "udp://239.255.76.54:"+port+query)
		<-v.waiting
		c, err := net.DialUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)}, &net.UDPAddr{IP: net.IPv4(239, 255, 76, 54), Port: atoi(t, port)})
		require.NoError(t, err)
		send(t, c, datagrams(film.New(20, false).Stream(0))...)
		v.eventually(name, func() bool { return v.frames() == 20 })
		require.NoError(t, c.Close())
		assert.Equal(t, fault.Stalled, v.over()) // the port is free again
	}
	v := play(t, "udp://239.255.76.54:"+port+"?interface=lo&source=127.0.0.9")
	<-v.waiting
	assert.Empty(t, v.ended)
}

func atoi(t *testing.T, text string) (n int) {
	t.Helper()
	_, err := fmt.Sscan(text, &n)
	require.NoError(t, err)
	return n
}

func TestAddressesThatCannotBe(t *testing.T) {
	t.Parallel()
	taken, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	defer func() { _ = taken.Close() }()
	for url, want := range map[string]fault.Code{
		"udp://" + taken.LocalAddr().String():                 fault.ListenTaken,
		"udp://192.0.2.1:5004":                                fault.ListenRefused,
		"udp://239.255.76.55:7655?interface=none0":            fault.ListenRefused,
		"udp://239.255.76.55:7655?interface=lo&source=a.b":    fault.ListenRefused,
		"udp://127.0.0.1:7655?program=many":                   fault.Refused,
		"udp://[ff02::1234]:7655?interface=lo&source=1.2.3.4": fault.GroupRefused,
	} {
		assert.Equal(t, want, play(t, url).over(), url)
	}
	for _, url := range []string{"udp://", "udp://127.0.0.1", "udp://some.name:5004", "tcp://"} {
		_, _, _, err := source.ParseURL(url)
		assert.Error(t, err, url)
	}
	_, _, _, err = source.ParseURL("udp://:5004")
	assert.NoError(t, err)
}

func TestWhatIsNoTransportStream(t *testing.T) {
	t.Parallel()
	address := freeUDP(t, "127.0.0.1")
	v := play(t, "udp://"+address)
	<-v.waiting
	c := dial(t, address)
	ticker := time.NewTicker(50 * time.Millisecond)
	defer ticker.Stop()
	for len(v.ended) == 0 {
		send(t, c, []byte("this is no transport stream, whatever it is"))
		<-ticker.C
	}
	assert.Equal(t, fault.NotTransport, v.over())
}

// listen serves one connection after the other.
func listen(t *testing.T, serve func(net.Conn)) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	var serving sync.WaitGroup
	serving.Go(func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			serve(c)
			_ = c.Close()
		}
	})
	t.Cleanup(func() { _ = l.Close(); serving.Wait() })
	return l.Addr().String()
}

func TestTCP(t *testing.T) {
	t.Parallel()
	v := play(t, "tcp://"+listen(t, func(c net.Conn) { _, _ = c.Write(film.New(30, true).Stream(0)) }))
	assert.Equal(t, fault.HungUp, v.over())
	assert.Equal(t, 30, v.frames())

	quiet := play(t, "tcp://"+listen(t, func(c net.Conn) { _, _ = io.Copy(io.Discard, c) }))
	assert.Equal(t, fault.Silent, quiet.over())

	stalls := play(t, "tcp://"+listen(t, func(c net.Conn) {
		_, _ = c.Write(film.New(30, true).Stream(0))
		_, _ = io.Copy(io.Discard, c)
	}))
	assert.Equal(t, fault.Stalled, stalls.over())
}

func TestHTTP(t *testing.T) {
	t.Parallel()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "video/mp2t")
		w.Header().Set("Server", "Valley encoder")
		_, _ = w.Write(film.New(30, true).Stream(0))
	}))
	t.Cleanup(s.Close)
	v := play(t, s.URL+"/live.ts")
	assert.Equal(t, fault.HungUp, v.over())
	assert.Equal(t, 30, v.frames())
	assert.Equal(t, []string{"http", "Valley encoder"}, []string{v.facts().Transport, v.facts().Server})
}
