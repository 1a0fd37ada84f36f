package rtsp_test

import (
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

// relay passes connections on to a camera, and closes each when the camera has asked for
// a sign-in, as some cameras do.
func relay(t *testing.T, to string) (address string) {
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
						if m != nil {
							_, _ = camera.Write(m.Append(nil))
						}
					}
				})
				out := rtspmsg.NewReader(camera)
				for {
					m, channel, data, err := out.Next()
					if err != nil {
						return
					}
					b := append([]byte{rtspmsg.Magic, channel, byte(len(data) >> 8), byte(len(data))}, data...)
					if m != nil {
						b = m.Append(nil)
					}
					if _, err := conn.Write(b); err != nil || m != nil && m.Status == 401 {
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
	through := "rtsp://" + relay(t, at) + "/" + path
	_, facts := play(t, 5, source.Config{URL: through, User: "u", Password: "p", Transport: source.TCP})
	assert.Equal(t, 320, facts.Width)
	f := codeOf(t, source.Config{URL: through, User: "u", Password: "wrong", Transport: source.TCP})
	assert.Equal(t, fault.SignInRefused, f.Kind.Code, "and one that refuses is not asked again and again")
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

// TestPacketsInAnotherOrder over TCP are dropped at once, and counted.
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
	assert.Positive(t, facts.Stats.Late)
}
