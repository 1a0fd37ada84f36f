package rtsp_test

import (
	"fmt"
	"net"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/rtspmsg"
	"webostrum/core/sdp"
	server "webostrum/deliver/rtsp"
	"webostrum/testkit/cam"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

// viewer speaks RTSP by hand.
type viewer struct {
	t    *testing.T
	conn net.Conn
	r    *rtspmsg.Reader
	url  string
	seq  int
}

func connect(t *testing.T, address string) *viewer {
	t.Helper()
	u, err := url.Parse(address)
	require.NoError(t, err)
	c, err := net.Dial("tcp", u.Host)
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	require.NoError(t, c.SetDeadline(time.Now().Add(20*time.Second)))
	return &viewer{t: t, conn: c, r: rtspmsg.NewReader(c), url: address}
}

// ask sends a request with headers, given in pairs, and returns the answer.
func (v *viewer) ask(method, path string, headers ...string) *rtspmsg.Message {
	v.t.Helper()
	v.seq++
	m := &rtspmsg.Message{Method: method, URL: v.url + path, Header: rtspmsg.Header{}}
	m.Header.Set("CSeq", fmt.Sprint(v.seq))
	for i := 0; i+1 < len(headers); i += 2 {
		m.Header.Set(headers[i], headers[i+1])
	}
	_, err := v.conn.Write(m.Append(nil))
	require.NoError(v.t, err)
	for {
		a, _, _, err := v.r.Next()
		require.NoError(v.t, err)
		if a != nil {
			assert.Equal(v.t, v.seq, a.CSeq())
			return a
		}
	}
}

const interleaved = "RTP/AVP/TCP;unicast;interleaved=4-5"

func TestConversation(t *testing.T) {
	_, address := cam.Serve(t, server.Config{})
	v := connect(t, address)
	assert.Contains(t, v.ask("OPTIONS", "").Header.Get("Public"), "GET_PARAMETER")
	described := v.ask("DESCRIBE", "")
	require.Equal(t, 200, described.Status)
	s, err := sdp.Parse(described.Body)
	require.NoError(t, err)
	require.Len(t, s.Media, 1)
	assert.Len(t, s.Media[0].Formats[0].ParameterSets(), 2)
	track := strings.TrimPrefix(sdp.Resolve(described.Header.Get("Content-Base"), s.Media[0].Control), address)
	a := v.ask("SETUP", track, "Transport", interleaved)
	require.Equal(t, 200, a.Status)
	assert.Contains(t, a.Header.Get("Transport"), "interleaved=4-5")
	require.Equal(t, 200, v.ask("PLAY", "").Status)
	reports, packets := 0, 0
	for packets < 50 || reports < 1 {
		_, channel, data, err := v.r.Next()
		require.NoError(t, err)
		switch channel {
		case 4:
			packets++
			assert.Equal(t, byte(0x80), data[0])
		case 5:
			reports++
			assert.Equal(t, byte(200), data[1], "a sender report")
		}
	}
	assert.Equal(t, 455, v.ask("PLAY", "").Status, "it plays already")
	assert.Equal(t, 200, v.ask("GET_PARAMETER", "").Status)
	assert.Equal(t, 200, v.ask("TEARDOWN", "").Status)
	_, _, _, err = v.r.Next()
	assert.Error(t, err, "closed")
}

func TestRefusals(t *testing.T) {
	tests := []struct {
		name, method, path, transport string
		cfg                           server.Config
		want                          int
	}{
		{"unknown path", "DESCRIBE", "/other", "", server.Config{}, 404},
		{"unknown method", "RECORD", "", "", server.Config{}, 501},
		{"play before setup", "PLAY", "", "", server.Config{}, 455},
		{"no transport", "SETUP", "", "", server.Config{}, 400},
		{"transport of another kind", "SETUP", "", "RAW/RAW/UDP", server.Config{}, 400},
		{"UDP without ports", "SETUP", "", "RTP/AVP;unicast", server.Config{}, 461},
		{"TCP is off", "SETUP", "", interleaved, server.Config{NoTCP: true}, 461},
		{"UDP is off", "SETUP", "", "RTP/AVP;unicast;client_port=5000-5001", server.Config{NoUDP: true}, 461},
		{"no sign-in", "DESCRIBE", "", "", server.Config{User: "u", Password: "p"}, 401},
		{"URL that does not parse", "DESCRIBE", "%zz", "", server.Config{}, 400},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			_, address := cam.Serve(t, tt.cfg)
			v := connect(t, address)
			var headers []string
			if tt.transport != "" {
				headers = []string{"Transport", tt.transport}
			}
			a := v.ask(tt.method, tt.path, headers...)
			assert.Equal(t, tt.want, a.Status)
			if tt.want == 401 {
				assert.Contains(t, a.Header.Get("WWW-Authenticate"), "Digest")
			}
		})
	}
}

func TestGarbageEndsTheConnectionOnly(t *testing.T) {
	_, address := cam.Serve(t, server.Config{})
	bad := connect(t, address)
	_, err := bad.conn.Write([]byte("GET / HTTP/1.1\r\n\r\n"))
	require.NoError(t, err)
	_, _, _, err = bad.r.Next()
	assert.Error(t, err)
	assert.Equal(t, 200, connect(t, address).ask("DESCRIBE", "").Status, "others are served")
}

func TestConnectionsAreBounded(t *testing.T) {
	_, address := cam.Serve(t, server.Config{})
	for range 64 {
		assert.Equal(t, 200, connect(t, address).ask("OPTIONS", "").Status)
	}
	one := connect(t, address)
	_, _, _, err := one.r.Next()
	assert.Error(t, err, "the sixty-fifth is turned away")
}

func TestViewerThatReadsNothingHoldsUpNobody(t *testing.T) {
	_, address := cam.Serve(t, server.Config{})
	slow := connect(t, address)
	require.Equal(t, 200, slow.ask("SETUP", "/track1", "Transport", interleaved).Status)
	require.Equal(t, 200, slow.ask("PLAY", "").Status)
	quick := connect(t, address)
	require.Equal(t, 200, quick.ask("SETUP", "/track1", "Transport", interleaved).Status)
	require.Equal(t, 200, quick.ask("PLAY", "").Status)
	for range 3000 {
		_, _, _, err := quick.r.Next()
		require.NoError(t, err)
	}
}
