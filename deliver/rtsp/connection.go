package rtsp

import (
	"context"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"math/rand/v2"
	"net"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"webostrum/core/h264"
	"webostrum/core/httpauth"
	"webostrum/core/rtspmsg"
)

const (
	trackPath   = "/track1"
	payloadType = 96
)

// connection is one viewer: one connection, one session at most.
type connection struct {
	server    *Server
	conn      net.Conn
	reader    *rtspmsg.Reader
	challenge httpauth.Challenge
	uses      int

	writing sync.Mutex // one message or picture at a time

	session string
	stream  *Stream
	out     sender
	playing context.CancelFunc
	wg      sync.WaitGroup
}

func newConnection(s *Server, conn net.Conn) *connection {
	c := &connection{server: s, conn: conn, reader: rtspmsg.NewReader(conn), challenge: s.cfg.Challenge}
	c.challenge.Nonce = freshNonce()
	return c
}

func (c *connection) serve() {
	defer c.end()
	for {
		_ = c.conn.SetReadDeadline(time.Now().Add(idleTimeout))
		m, _, _, err := c.reader.Next()
		if err != nil {
			return
		}
		if m == nil || m.Method == "" {
			continue // receiver reports of the viewer
		}
		answer := c.handle(m)
		answer.Header.Set("CSeq", m.Header.Get("CSeq"))
		answer.Header.Set("Server", "Morrow Crag Camera")
		if !c.write(answer.Append(nil)) || m.Method == "TEARDOWN" {
			return
		}
		if m.Method == "PLAY" && answer.Status == 200 {
			c.play()
		}
	}
}

func (c *connection) end() {
	if c.playing != nil {
		c.playing()
	}
	_ = c.conn.Close()
	c.wg.Wait()
	if c.out != nil {
		c.out.close()
	}
}

func (c *connection) write(b []byte) bool {
	c.writing.Lock()
	defer c.writing.Unlock()
	_ = c.conn.SetWriteDeadline(time.Now().Add(writeTimeout))
	_, err := c.conn.Write(b)
	return err == nil
}

func answer(status int, reason string) *rtspmsg.Message {
	return &rtspmsg.Message{Status: status, Reason: reason, Header: rtspmsg.Header{}}
}

func (c *connection) handle(m *rtspmsg.Message) *rtspmsg.Message {
	if m.Method == "OPTIONS" {
		a := answer(200, "OK")
		a.Header.Set("Public", "OPTIONS, DESCRIBE, SETUP, PLAY, GET_PARAMETER, TEARDOWN")
		return a
	}
	if a := c.signIn(m); a != nil {
		return a
	}
	u, err := url.Parse(m.URL)
	if err != nil {
		return answer(400, "Bad Request")
	}
	path := strings.TrimSuffix(strings.TrimSuffix(u.Path, "/"), trackPath)
	stream := c.server.cfg.Lookup(path)
	if stream == nil || stream.Track == nil {
		return answer(404, "Not Found")
	}
	switch m.Method {
	case "DESCRIBE":
		return describe(m.URL, stream)
	case "SETUP":
		return c.setUp(m, stream)
	case "PLAY":
		if c.out == nil || c.playing != nil {
			return answer(455, "Method Not Valid in This State")
		}
		a := answer(200, "OK")
		a.Header.Set("Session", c.session)
		a.Header.Set("Range", "npt=0.000-")
		return a
	case "GET_PARAMETER", "TEARDOWN":
		return answer(200, "OK")
	}
	return answer(501, "Not Implemented")
}

// signIn returns the refusal, or nil.
func (c *connection) signIn(m *rtspmsg.Message) *rtspmsg.Message {
	cfg := &c.server.cfg
	refuse := cfg.Tamper != nil && cfg.Tamper.RefuseSignIn()
	if cfg.User == "" && !refuse {
		return nil
	}
	c.challenge.Stale = false
	if c.challenge.Check(m.Header.Get("Authorization"), m.Method, cfg.User, cfg.Password) && !refuse {
		c.uses++
		if cfg.NonceUses == 0 || c.uses <= cfg.NonceUses {
			return nil
		}
		c.challenge.Nonce, c.challenge.Stale, c.uses = freshNonce(), true, 0
	}
	a := answer(401, "Unauthorized")
	a.Header.Set("WWW-Authenticate", c.challenge.Header())
	return a
}

func describe(base string, stream *Stream) *rtspmsg.Message {
	sets := stream.Track.H264
	sprops := []string{base64.StdEncoding.EncodeToString(sets.SPS)}
	for _, pps := range sets.PPS {
		sprops = append(sprops, base64.StdEncoding.EncodeToString(pps))
	}
	profile := ""
	if _, err := h264.ParseSPS(sets.SPS); err == nil {
		profile = hex.EncodeToString(sets.SPS[1:4])
	}
	a := answer(200, "OK")
	a.Header.Set("Content-Type", "application/sdp")
	a.Header.Set("Content-Base", strings.TrimSuffix(base, "/")+"/")
	a.Body = fmt.Appendf(nil, "v=0\r\no=- 1 1 IN IP4 0.0.0.0\r\ns=camera\r\nc=IN IP4 0.0.0.0\r\nt=0 0\r\n"+
		"a=control:*\r\nm=video 0 RTP/AVP %d\r\na=rtpmap:%d H264/%d\r\n"+
		"a=fmtp:%d packetization-mode=1;profile-level-id=%s;sprop-parameter-sets=%s\r\na=control:%s\r\n",
		payloadType, payloadType, stream.Track.ClockRate, payloadType, profile, strings.Join(sprops, ","), trackPath[1:])
	return a
}

func (c *connection) setUp(m *rtspmsg.Message, stream *Stream) *rtspmsg.Message {
	t, err := rtspmsg.ParseTransport(m.Header.Get("Transport"))
	if err != nil || c.playing != nil {
		return answer(400, "Bad Request")
	}
	t.SSRC, t.HasSSRC = rand.Uint32(), true
	switch {
	case t.TCP() && !c.server.cfg.NoTCP:
		if t.Interleaved[0] < 0 {
			t.Interleaved = [2]int{0, 1}
		}
		c.out = &tcpSender{c: c, channels: t.Interleaved}
	case !t.TCP() && !c.server.cfg.NoUDP && t.ClientPort[0] > 0:
		u, err := newUDPSender(c.conn, t.ClientPort)
		if err != nil {
			return answer(500, "Internal Server Error")
		}
		c.out, t.ServerPort = u, u.ports()
	default:
		return answer(461, "Unsupported Transport")
	}
	c.session, c.stream = strconv.FormatUint(rand.Uint64(), 36), stream
	c.out.use(t.SSRC)
	a := answer(200, "OK")
	a.Header.Set("Transport", t.String())
	a.Header.Set("Session", c.session+";timeout=60")
	return a
}
