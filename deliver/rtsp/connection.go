package rtsp

import (
	"context"
	"math/rand/v2"
	"net"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"github.com/pion/srtp/v3"

	"webostrum/core/httpauth"
	"webostrum/core/rtspmsg"
	"webostrum/wait"
)

// part is one medium that a viewer has set up.
type part struct {
	medium
	out    sender
	wire   *wire         // that all viewers share; nil for packets of its own
	secure *srtp.Context // nil for what is sent in the clear
}

// connection is one viewer: one connection, one session at most.
type connection struct {
	server    *Server
	conn      net.Conn
	reader    *rtspmsg.Reader
	challenge httpauth.Challenge
	uses      int

	writing sync.Mutex // one message or picture at a time
	sent    atomic.Uint64

	entrance *entrance // that a gate has opened; nil without one
	session  string
	parts    []*part
	playing  context.CancelFunc
	wg       sync.WaitGroup
}

func newConnection(s *Server, conn net.Conn) *connection {
	return &connection{server: s, conn: conn, reader: rtspmsg.NewReader(conn), challenge: s.cfg.Challenge}
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
		if m.Method == "ANNOUNCE" && c.server.cfg.Announce != nil && c.playing == nil && len(c.parts) == 0 {
			c.server.cfg.Announce(c.server.ctx, Handover{c.conn, c.reader, m})
			return
		}
		policy := c.server.cfg.policy()
		if !wait.For(c.server.ctx, policy.AnswerAfter) {
			return
		}
		answer := c.handle(m, policy)
		answer.Header.Set("CSeq", m.Header.Get("CSeq"))
		answer.Header.Set("Server", c.server.cfg.Name)
		if !c.write(answer.Append(nil)) || m.Method == "TEARDOWN" || answer.Status == 401 && policy.CloseRefused {
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
	for _, p := range c.parts {
		p.out.close()
		if p.wire != nil {
			c.server.giveUp(p.wire)
		}
	}
	c.leave()
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

func (c *connection) handle(m *rtspmsg.Message, policy Policy) *rtspmsg.Message {
	if m.Method == "OPTIONS" {
		a := answer(200, "OK")
		a.Header.Set("Public", "OPTIONS, DESCRIBE, SETUP, PLAY, GET_PARAMETER, TEARDOWN")
		return a
	}
	stream, number, refused := c.enter(m, policy)
	if refused != nil {
		return refused
	}
	switch m.Method {
	case "DESCRIBE":
		return describe(m.URL, stream, policy.Information, c.server.cfg.SRTPKey)
	case "SETUP":
		return c.setUp(m, stream, number)
	case "PLAY":
		if len(c.parts) == 0 || c.playing != nil {
			return answer(455, "Method Not Valid in This State")
		}
		if refused := c.count(); refused != nil {
			return refused
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
func (c *connection) signIn(m *rtspmsg.Message, refuse bool) *rtspmsg.Message {
	cfg := &c.server.cfg
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

func (c *connection) setUp(m *rtspmsg.Message, stream *Stream, number int) (a *rtspmsg.Message) {
	list := stream.media()
	t, err := rtspmsg.ParseTransport(m.Header.Get("Transport"))
	if err != nil || c.playing != nil || number > len(list) || len(c.parts) >= len(list) {
		return answer(400, "Bad Request")
	}
	t.SSRC, t.HasSSRC = rand.Uint32(), true
	p := &part{medium: list[number-1]}
	if c.entrance != nil {
		p.wire = c.server.wireOf(p.medium)
		t.SSRC = p.wire.ssrc
		defer func() {
			if a.Status != 200 {
				c.server.giveUp(p.wire)
			}
		}()
	}
	if key := c.server.cfg.SRTPKey; key != nil {
		if p.secure, err = openSecure(key); err != nil {
			return answer(500, "Internal Server Error")
		}
	}
	switch {
	case t.TCP() && !c.server.cfg.NoTCP:
		if t.Interleaved[0] < 0 {
			t.Interleaved = [2]int{2 * len(c.parts), 2*len(c.parts) + 1}
		}
		p.out = &tcpSender{c: c, channels: t.Interleaved}
	case t.Multicast && c.server.cfg.Group != nil:
		u, port, err := newGroupSender(c.conn, c.server.cfg.Group)
		if err != nil {
			return answer(500, "Internal Server Error")
		}
		p.out, t.Destination, t.Port = u, c.server.cfg.Group.String(), port
	case !t.TCP() && !t.Multicast && !c.server.cfg.NoUDP && t.ClientPort[0] > 0:
		u, err := newUDPSender(c.conn, t.ClientPort)
		if err != nil {
			return answer(500, "Internal Server Error")
		}
		p.out, t.ServerPort = u, u.ports()
	default:
		return answer(461, "Unsupported Transport")
	}
	if c.session == "" {
		c.session = strconv.FormatUint(rand.Uint64(), 36)
	}
	p.out.use(t.SSRC)
	c.parts = append(c.parts, p)
	a = answer(200, "OK")
	a.Header.Set("Transport", t.String())
	a.Header.Set("Session", c.session+";timeout=60")
	return a
}
