package rtsp_test

import (
	"context"
	"fmt"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/httpauth"
	"webostrum/core/media"
	"webostrum/core/rtp"
	"webostrum/core/rtspmsg"
	server "webostrum/deliver/rtsp"
	"webostrum/ingest/rtsp"
	"webostrum/testkit"
	"webostrum/testkit/desk"
	"webostrum/testkit/pictures"
)

// sender is a publisher by hand.
type sender struct {
	t    *testing.T
	desk *desk.Desk
	conn net.Conn
	in   *rtspmsg.Reader
	url  string
	seq  int
}

func publisherTo(t *testing.T) *sender {
	t.Helper()
	d := &desk.Desk{Key: "right"}
	d.Config.StallAfter = time.Second
	s := server.NewServer(server.Config{
		Gate: func(context.Context, server.Request) (*server.Opened, *server.Refusal) {
			return nil, &server.Refusal{Status: 404, Reason: "Not Found"}
		},
		Announce: func(ctx context.Context, h server.Handover) { rtsp.Record(ctx, d, h.Conn, h.Reader, h.First) },
	})
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	served := make(chan error, 1)
	go func() { served <- s.Serve(l) }()
	t.Cleanup(func() { s.Close(); assert.NoError(t, <-served) })
	c, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	require.NoError(t, c.SetDeadline(time.Now().Add(20*time.Second)))
	return &sender{t: t, desk: d, conn: c, in: rtspmsg.NewReader(c), url: "rtsp://" + l.Addr().String() + "/gate"}
}

func (s *sender) ask(method, url string, body []byte, headers ...string) *rtspmsg.Message {
	s.t.Helper()
	s.seq++
	m := &rtspmsg.Message{Method: method, URL: url, Header: rtspmsg.Header{}, Body: body}
	m.Header.Set("CSeq", fmt.Sprint(s.seq))
	for i := 0; i+1 < len(headers); i += 2 {
		m.Header.Set(headers[i], headers[i+1])
	}
	_, err := s.conn.Write(m.Append(nil))
	require.NoError(s.t, err)
	for {
		a, _, _, err := s.in.Next()
		require.NoError(s.t, err)
		if a != nil {
			assert.Equal(s.t, s.seq, a.CSeq())
			return a
		}
	}
}

func description() []byte {
	return server.Description(&server.Stream{Track: pictures.Track(pictures.SPS)}, "", nil)
}

func (s *sender) packets(i int64, channel byte) (list [][]byte) {
	z := &rtp.Packetizer{SSRC: 7, PayloadType: 96, MTU: 1400, Sequence: uint16(2 * i)}
	p := pictures.Data(pictures.IDR(900, byte(i)))
	for _, packet := range z.Packets(&media.Sample{Track: pictures.Track(pictures.SPS), PTS: i * 3600, Key: true, Data: p}) {
		b, err := packet.Marshal()
		require.NoError(s.t, err)
		if channel != 0xff {
			b = append([]byte{rtspmsg.Magic, channel, byte(len(b) >> 8), byte(len(b))}, b...)
		}
		list = append(list, b)
	}
	return list
}

func (s *sender) eventually(what string, ok func(desk.Kept) bool) desk.Kept {
	s.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	require.NoError(s.t, testkit.Eventually(ctx, func() bool { return ok(s.desk.Kept()) }), what)
	return s.desk.Kept()
}

func TestRecordSignIn(t *testing.T) {
	t.Parallel()
	s := publisherTo(t)
	refused := s.ask("ANNOUNCE", s.url, description(), "Content-Type", "application/sdp")
	require.Equal(t, 401, refused.Status)
	require.Len(t, refused.Header.Values("WWW-Authenticate"), 2)
	wrong := httpauth.Client{User: "anybody", Password: "wrong"}
	_, err := wrong.Challenged(refused.Header.Values("WWW-Authenticate"))
	require.NoError(t, err)
	assert.Equal(t, 403, s.ask("ANNOUNCE", s.url, description(), "Authorization", wrong.Authorization("ANNOUNCE", s.url, "c")).Status)
	right := httpauth.Client{User: "anybody", Password: "right"}
	_, err = right.Challenged(refused.Header.Values("WWW-Authenticate"))
	require.NoError(t, err)
	a := s.ask("ANNOUNCE", s.url, description(), "Authorization", right.Authorization("ANNOUNCE", s.url, "c"), "User-Agent", "A test")
	require.Equal(t, 200, a.Status, a.Reason)
	assert.Equal(t, 455, s.ask("RECORD", s.url, nil).Status, "nothing is set up")
}

func TestRecord(t *testing.T) {
	t.Parallel()
	for name, transport := range map[string]string{"interleaved": "RTP/AVP/TCP;unicast;interleaved=4-5;mode=record", "UDP": ""} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := publisherTo(t)
			require.Equal(t, 200, s.ask("ANNOUNCE", s.url+"?key=right", description()).Status)
			var udp *net.UDPConn
			if transport == "" {
				var err error
				udp, err = net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
				require.NoError(t, err)
				t.Cleanup(func() { _ = udp.Close() })
				port := udp.LocalAddr().(*net.UDPAddr).Port
				transport = fmt.Sprintf("RTP/AVP;unicast;client_port=%d-%d;mode=record", port, port+1)
			}
			a := s.ask("SETUP", s.url+"/track1", nil, "Transport", transport)
			require.Equal(t, 200, a.Status, a.Reason)
			assert.NotEmpty(t, a.Header.Get("Session"))
			got, err := rtspmsg.ParseTransport(a.Header.Get("Transport"))
			require.NoError(t, err)
			require.Equal(t, 200, s.ask("RECORD", s.url, nil).Status)
			for i := range int64(5) {
				if udp == nil {
					for _, b := range s.packets(i, 4) {
						_, err := s.conn.Write(b)
						require.NoError(t, err)
					}
					continue
				}
				for _, b := range s.packets(i, 0xff) {
					_, err := udp.WriteToUDP(b, &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1), Port: got.ServerPort[0]})
					require.NoError(t, err)
				}
			}
			k := s.eventually("frames come", func(k desk.Kept) bool { return len(k.Video) >= 4 && k.Session != nil })
			f := k.Session.Facts()
			assert.Equal(t, map[string]string{"interleaved": "rtsp/tcp", "UDP": "rtsp/udp"}[name], f.Transport)
			assert.Equal(t, s.conn.LocalAddr().String(), f.From)
			assert.Equal(t, 200, s.ask("GET_PARAMETER", s.url, nil).Status, "a sign of life")
			assert.Equal(t, 200, s.ask("TEARDOWN", s.url, nil).Status)
			k = s.eventually("it ends", func(k desk.Kept) bool { return len(k.Ended) == 1 })
			assert.Equal(t, fault.PublisherLeft, fault.As(k.Ended[0]).Kind.Code)
		})
	}
}

func TestRecordThatStops(t *testing.T) {
	t.Parallel()
	s := publisherTo(t)
	require.Equal(t, 200, s.ask("ANNOUNCE", s.url+"?key=right", description()).Status)
	require.Equal(t, 200, s.ask("SETUP", s.url+"/track1", nil, "Transport", "RTP/AVP/TCP;unicast;interleaved=0-1;mode=record").Status)
	require.Equal(t, 200, s.ask("RECORD", s.url, nil).Status)
	for _, b := range s.packets(1, 0) {
		_, err := s.conn.Write(b)
		require.NoError(t, err)
	}
	k := s.eventually("it ends", func(k desk.Kept) bool { return len(k.Ended) == 1 })
	assert.Equal(t, fault.PublisherStalled, fault.As(k.Ended[0]).Kind.Code)
}

func TestAnnouncementsThatCannotBe(t *testing.T) {
	t.Parallel()
	for name, tt := range map[string]struct {
		body string
		want int
	}{
		"no description":  {"", 400},
		"no video":        {"v=0\r\ns=x\r\nt=0 0\r\nm=audio 0 RTP/AVP 0\r\n", 415},
		"video of others": {"v=0\r\ns=x\r\nt=0 0\r\nm=video 0 RTP/AVP 96\r\na=rtpmap:96 VP6/90000\r\n", 415},
	} {
		s := publisherTo(t)
		assert.Equal(t, tt.want, s.ask("ANNOUNCE", s.url+"?key=right", []byte(tt.body)).Status, name)
	}
}
