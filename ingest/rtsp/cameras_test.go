package rtsp_test

import (
	"fmt"
	"net"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/httpauth"
	"webostrum/core/rtspmsg"
	server "webostrum/deliver/rtsp"
	"webostrum/ingest/source"
	"webostrum/testkit/cam"
)

// oddly is how a relay changes what goes through it; false closes the connection behind it.
type oddly struct {
	request func(m *rtspmsg.Message) bool // nil passes all on
	answer  func(m *rtspmsg.Message) bool
}

// closesWithItsChallenge is what some cameras do that ask for a sign-in.
var closesWithItsChallenge = oddly{answer: func(m *rtspmsg.Message) bool { return m.Status != 401 }}

// relay passes connections on to a camera.
func relay(t *testing.T, to string, odd oddly) (address string) {
	t.Helper()
	l := listen(t)
	var going sync.WaitGroup
	going.Go(func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			going.Go(func() {
				defer func() { _ = conn.Close() }()
				camera, err := net.Dial("tcp", to)
				if err != nil {
					return
				}
				defer func() { _ = camera.Close() }()
				going.Go(func() {
					in := rtspmsg.NewReader(conn)
					for {
						m, _, _, err := in.Next()
						if err != nil {
							_ = camera.Close()
							return
						}
						if m == nil {
							continue
						}
						if odd.request != nil && !odd.request(m) {
							_ = camera.Close()
							return
						}
						_, _ = camera.Write(m.Append(nil))
					}
				})
				out := rtspmsg.NewReader(camera)
				for {
					m, channel, data, err := out.Next()
					if err != nil {
						return
					}
					b := append([]byte{rtspmsg.Magic, channel, byte(len(data) >> 8), byte(len(data))}, data...)
					open := true
					if m != nil {
						open = odd.answer == nil || odd.answer(m)
						b = m.Append(nil)
					}
					if _, err := conn.Write(b); err != nil || !open {
						return
					}
				}
			})
		}
	})
	t.Cleanup(func() { _ = l.Close(); going.Wait() })
	return l.Addr().String()
}

// TestACameraThatClosesWithItsChallenge is signed in to over the next connection.
func TestACameraThatClosesWithItsChallenge(t *testing.T) {
	t.Parallel()
	_, url := cam.Serve(t, server.Config{User: "u", Password: "p", Challenge: httpauth.Challenge{Scheme: "basic", Realm: "cam"}})
	host := strings.TrimPrefix(url, "rtsp://")
	at, path, _ := strings.Cut(host, "/")
	through := "rtsp://" + relay(t, at, closesWithItsChallenge) + "/" + path
	_, facts := play(t, 5, source.Config{URL: through, User: "u", Password: "p", Transport: source.TCP})
	assert.Equal(t, 320, facts.Width)
	f := codeOf(t, source.Config{URL: through, User: "u", Password: "wrong", Transport: source.TCP})
	assert.Equal(t, fault.SignInRefused, f.Kind.Code, "and one that refuses is not asked again and again")
}

// through is the address of a camera behind a relay.
func through(t *testing.T, url string, odd oddly) string {
	t.Helper()
	at, path, _ := strings.Cut(strings.TrimPrefix(url, "rtsp://"), "/")
	return "rtsp://" + relay(t, at, odd) + "/" + path
}

// TestNumbersOfAnswers are taken as they come: one request is out at a time.
func TestNumbersOfAnswers(t *testing.T) {
	t.Parallel()
	_, url := cam.Serve(t, server.Config{User: "u", Password: "p"})
	for _, number := range []string{"1", "4711", "-3", "none", ""} {
		odd := oddly{answer: func(m *rtspmsg.Message) bool { m.Header.Set("CSeq", number); return true }}
		_, facts := play(t, 3, source.Config{URL: through(t, url, odd), User: "u", Password: "p", Transport: source.TCP})
		assert.Equal(t, 320, facts.Width, "CSeq: %s", number)
	}
}

// TestManyHeaders are taken up to a limit, which is named.
func TestManyHeaders(t *testing.T) {
	t.Parallel()
	_, url := cam.Serve(t, server.Config{})
	odd := func(count, size int) oddly {
		return oddly{answer: func(m *rtspmsg.Message) bool {
			for i := range count {
				m.Header.Set(fmt.Sprintf("X-Note-%d", i), strings.Repeat("n", size))
			}
			return true
		}}
	}
	_, facts := play(t, 3, source.Config{URL: through(t, url, odd(180, 300)), Transport: source.TCP})
	assert.Equal(t, 320, facts.Width)
	_, facts = play(t, 3, source.Config{URL: through(t, url, odd(1, 50<<10)), Transport: source.TCP})
	assert.Equal(t, 320, facts.Width)
	f := codeOf(t, source.Config{URL: through(t, url, odd(300, 10)), Transport: source.TCP})
	assert.Equal(t, fault.Garbled, f.Kind.Code)
	assert.Contains(t, f.Error(), "more than 200 headers")
	f = codeOf(t, source.Config{URL: through(t, url, odd(1, 70<<10)), Transport: source.TCP})
	assert.Contains(t, f.Error(), "more than 65536 bytes")
}

// TestNoPasswordInTheClear where the configuration says so.
func TestNoPasswordInTheClear(t *testing.T) {
	t.Parallel()
	_, url := cam.Serve(t, server.Config{User: "u", Password: "p", Challenge: httpauth.Challenge{Scheme: "basic", Realm: "cam"}})
	f := codeOf(t, source.Config{URL: url, User: "u", Password: "p", DigestOnly: true, Transport: source.TCP})
	assert.Equal(t, fault.BasicRefused, f.Kind.Code)
	_, url = cam.Serve(t, server.Config{User: "u", Password: "p"})
	play(t, 3, source.Config{URL: url, User: "u", Password: "p", DigestOnly: true, Transport: source.TCP})
}

// TestACameraThatHangsUpAtASignOfLife gets another one in its next session.
func TestACameraThatHangsUpAtASignOfLife(t *testing.T) {
	t.Parallel()
	_, url := cam.Serve(t, server.Config{})
	odd := oddly{
		request: func(m *rtspmsg.Message) bool { return m.Method != "GET_PARAMETER" },
		answer: func(m *rtspmsg.Message) bool {
			if id, _, _ := strings.Cut(m.Header.Get("Session"), ";"); id != "" {
				m.Header.Set("Session", id+";timeout=4")
			}
			if m.Header.Get("Public") != "" {
				m.Header.Set("Public", m.Header.Get("Public")+", GET_PARAMETER")
			}
			return true
		},
	}
	var alive source.KeepAlive
	cfg := source.Config{URL: through(t, url, odd), Transport: source.TCP, KeepAlive: &alive}
	f := codeOf(t, cfg)
	assert.Equal(t, fault.HungUp, f.Kind.Code)
	assert.Equal(t, "OPTIONS", alive.Method(map[string]bool{"GET_PARAMETER": true}))
	play(t, 75, cfg) // three seconds, and so beyond the next sign of life
}

// TestALongDescription of some hundred kilobytes, as of a camera that puts pictures of
// its own into it.
func TestALongDescription(t *testing.T) {
	t.Parallel()
	long := h264SDP + "a=x-note:" + strings.Repeat("0123456789abcdef", 8000) + "\r\n"
	f := codeOf(t, source.Config{URL: scripted(t, listen(t), status("SETUP", 461, long)), Transport: source.TCP})
	assert.Equal(t, fault.TransportNo, f.Kind.Code, "it was read: %v", f)
}

// TestPacketsOfAnotherPayloadType are said, and not taken for silence.
func TestPacketsOfAnotherPayloadType(t *testing.T) {
	t.Parallel()
	const payloadTypeAt, mask = 1, 0x7f
	other := filter(func(p [][]byte) [][]byte {
		for _, packet := range p {
			packet[payloadTypeAt] = packet[payloadTypeAt]&^mask | 120
		}
		return p
	})
	_, url := cam.Serve(t, server.Config{Filter: other})
	f := codeOf(t, source.Config{URL: url, Transport: source.TCP})
	require.Equal(t, fault.PayloadType, f.Kind.Code, "%v", f)
	assert.Contains(t, f.Error(), "of payload type 120")
}

// TestPacketsInAnotherOrder over TCP are put in order: some cameras write them so.
func TestPacketsInAnotherOrder(t *testing.T) {
	t.Parallel()
	frames := 0
	swap := filter(func(p [][]byte) [][]byte {
		if frames++; frames%20 == 15 && len(p) > 1 {
			p[0], p[1] = p[1], p[0]
		}
		return p
	})
	_, url := cam.Serve(t, server.Config{Filter: swap})
	_, facts := play(t, 100, source.Config{URL: url, Transport: source.TCP})
	assert.Zero(t, facts.Stats.Late)
	assert.Zero(t, facts.Stats.Dropped)
}
