package rtsp

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/core/httpauth"
	"webostrum/core/rtspmsg"
	"webostrum/core/sdp"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
)

const (
	introTimeout   = 10 * time.Second // from ANNOUNCE to RECORD
	publisherRealm = "webostrum"
	publicMethods  = "OPTIONS, ANNOUNCE, SETUP, RECORD, GET_PARAMETER, SET_PARAMETER, TEARDOWN"
)

// recording is a publisher's connection: it announces what it sends (RFC 2326, 10.3), sets
// media up and records.
type recording struct {
	*Session
	desk      push.Desk
	first     *rtspmsg.Message
	challenge httpauth.Challenge
	place     push.Place // nil before it was let in
	media     []*medium  // of the description: the picture, and the audio if there is any
	session   string
	base      string // URL that was announced
}

// Record serves a publisher that has sent ANNOUNCE, until it is over.
func Record(ctx context.Context, desk push.Desk, conn net.Conn, reader *rtspmsg.Reader, announce *rtspmsg.Message) {
	r := &recording{
		desk: desk, first: announce, session: rand.Text()[:16],
		challenge: httpauth.Challenge{Scheme: "digest", Realm: publisherRealm, Nonce: rand.Text(), Algorithm: "MD5", QOP: "auth"},
		Session:   &Session{control: &control{conn: conn, reader: reader, timeout: introTimeout, auth: &httpauth.Client{}}, way: source.TCP},
	}
	r.requested = r.request
	defer r.close()
	_ = conn.SetDeadline(time.Now().Add(introTimeout))
	ready, err := r.introduction(ctx)
	if r.place != nil {
		defer r.place.Leave()
	}
	if err != nil || !ready {
		return
	}
	_ = conn.SetDeadline(time.Time{})
	if err := r.place.Run(ctx, r.play); err != nil {
		_ = r.answer(r.first, refusalOf(err)) // in vain, as a rule: it is gone
	}
}

// introduction answers requests up to RECORD; ready is false when the publisher goes before.
func (r *recording) introduction(ctx context.Context) (ready bool, err error) {
	for m := r.first; ; {
		if m != nil && m.Method != "" {
			a := r.prepare(ctx, m)
			if err := r.answer(m, a); err != nil {
				return false, err
			}
			if m.Method == "RECORD" && a.Status == http.StatusOK {
				return true, nil
			}
			if m.Method == "TEARDOWN" {
				return false, nil
			}
		}
		if m, _, _, err = r.control.reader.Next(); err != nil {
			return false, err
		}
	}
}

// prepare handles a request before RECORD.
func (r *recording) prepare(ctx context.Context, m *rtspmsg.Message) *rtspmsg.Message {
	switch m.Method {
	case "ANNOUNCE":
		return r.announce(ctx, m)
	case "SETUP":
		return r.setUpMedium(m)
	case "RECORD":
		if len(r.streams) == 0 || r.streams[0] != r.media[0].stream {
			return answered(455, "Method Not Valid in This State")
		}
		return answered(200, "OK")
	}
	return r.usual(m)
}

// usual answers what may come at any time.
func (r *recording) usual(m *rtspmsg.Message) *rtspmsg.Message {
	switch m.Method {
	case "OPTIONS", "GET_PARAMETER", "SET_PARAMETER", "TEARDOWN":
		a := answered(200, "OK")
		a.Header.Set("Public", publicMethods)
		return a
	}
	return answered(501, "Not Implemented")
}

// announce lets the publisher in, and reads what it is about to send.
func (r *recording) announce(ctx context.Context, m *rtspmsg.Message) *rtspmsg.Message {
	u, err := url.Parse(m.URL)
	if err != nil || r.media != nil {
		return answered(400, "Bad Request")
	}
	if r.place == nil {
		q := push.Request{Feed: strings.Trim(u.Path, "/"), Protocol: push.RTSP, Address: r.control.conn.RemoteAddr().String(), Knows: r.knows(m, u)}
		if r.place, err = r.desk.Admit(ctx, q); err != nil {
			r.place = nil
			return r.refuse(err)
		}
	}
	desc, err := sdp.Parse(m.Body)
	if err != nil {
		return answered(400, "Bad Request")
	}
	picture, audio, err := r.choose(desc)
	if err != nil {
		return answered(415, "Unsupported Media Type")
	}
	r.media, r.base = []*medium{picture}, strings.TrimSuffix(m.URL, "/")
	if audio != nil {
		r.media = append(r.media, audio)
	}
	r.server = m.Header.Get("User-Agent")
	return answered(200, "OK")
}

// knows says whether a request shows that its sender knows a key: as the password of its
// sign-in, whatever the user, or in the query of the address. Nil shows none.
func (r *recording) knows(m *rtspmsg.Message, u *url.URL) func(string) bool {
	if key := u.Query().Get("key"); key != "" {
		return func(want string) bool { return subtle.ConstantTimeCompare([]byte(key), []byte(want)) == 1 }
	}
	given := httpauth.ParseAnswer(m.Header.Get("Authorization"))
	challenge := r.challenge
	switch given.Scheme {
	case "basic":
		challenge = httpauth.Challenge{Scheme: "basic", Realm: publisherRealm}
	case "digest":
		if given.Nonce != challenge.Nonce {
			return nil // an answer to another challenge: it gets ours
		}
	default:
		return nil
	}
	return func(want string) bool {
		return challenge.Answers(given, m.Method, httpauth.Secret(challenge.Algorithm, given.User, challenge.Realm, want))
	}
}

// refuse answers who is not let in; who has shown no key is asked for one.
func (r *recording) refuse(err error) *rtspmsg.Message {
	a := refusalOf(err)
	if a.Status == http.StatusUnauthorized {
		basic := httpauth.Challenge{Scheme: "basic", Realm: publisherRealm}
		a.Header["Www-Authenticate"] = []string{r.challenge.Header(), basic.Header()}
	}
	return a
}

// refusalOf is a fault as an answer.
func refusalOf(err error) *rtspmsg.Message {
	f := fault.As(err)
	status := f.Kind.Status
	switch status {
	case http.StatusUnauthorized, http.StatusForbidden, http.StatusServiceUnavailable:
	default:
		status = http.StatusForbidden
	}
	return answered(status, strings.TrimSuffix(f.Kind.Sentence, "."))
}

func answered(status int, reason string) *rtspmsg.Message {
	return &rtspmsg.Message{Status: status, Reason: reason, Header: rtspmsg.Header{}}
}

// answer sends an answer to a request.
func (r *recording) answer(to, a *rtspmsg.Message) error {
	a.Header.Set("CSeq", to.Header.Get("CSeq"))
	a.Header.Set("Server", userAgent)
	if a.Header.Get("Session") == "" && r.media != nil {
		a.Header.Set("Session", r.session)
	}
	r.control.mu.Lock()
	defer r.control.mu.Unlock()
	return r.control.writeLocked(a.Append(nil))
}

// setUpMedium takes the way by which a medium comes.
func (r *recording) setUpMedium(m *rtspmsg.Message) *rtspmsg.Message {
	at := r.mediumOf(m.URL)
	t, err := rtspmsg.ParseTransport(m.Header.Get("Transport"))
	switch {
	case at == nil:
		return answered(404, "Not Found")
	case err != nil || at.ready():
		return answered(400, "Bad Request")
	case t.Multicast:
		return answered(461, "Unsupported Transport")
	case t.TCP():
		if t.Interleaved[0] < 0 {
			t.Interleaved = [2]int{2 * len(r.streams), 2*len(r.streams) + 1}
		}
		at.channels = t.Interleaved
	default:
		pair, err := listenPair(r.control.conn.LocalAddr())
		if err != nil || t.ClientPort[0] == 0 {
			return answered(461, "Unsupported Transport")
		}
		ip := r.control.conn.RemoteAddr().(*net.TCPAddr).IP
		pair.peerRTP, pair.peerRTCP = &net.UDPAddr{IP: ip, Port: t.ClientPort[0]}, &net.UDPAddr{IP: ip, Port: t.ClientPort[1]}
		at.udp, t.ServerPort, r.way = pair, pair.ports(), source.UDP
	}
	if at == r.media[0] {
		r.streams = append([]*stream{at.stream}, r.streams...)
	} else {
		r.streams = append(r.streams, at.stream)
	}
	a := answered(200, "OK")
	a.Header.Set("Transport", t.String())
	return a
}

// ready says whether the way of a medium is known.
func (m *medium) ready() bool { return m.udp != nil || m.channels[1] > 0 }

// mediumOf is the medium that a URL names by its control; the only one where there is one.
func (r *recording) mediumOf(address string) *medium {
	address = strings.TrimSuffix(address, "/")
	for _, m := range r.media {
		if sdp.Resolve(r.base, m.control) == address || m.control != "" && strings.HasSuffix(address, "/"+m.control) {
			return m
		}
	}
	if len(r.media) == 1 {
		return r.media[0]
	}
	return nil
}

// play implements push.Play.
func (r *recording) play(ctx context.Context, cfg source.Config) (uint64, error) {
	cfg.Settle()
	r.cfg = cfg
	if err := r.receive(r.media[0]); err != nil {
		return cfg.FirstEpoch, push.Fault(err)
	}
	if len(r.media) > 1 && r.media[1].ready() {
		r.receiveAudio(r.media[1])
	} else {
		cfg.AudioTrack(nil)
	}
	stop := context.AfterFunc(ctx, func() { _ = r.control.conn.SetReadDeadline(time.Unix(1, 0)) })
	defer stop()
	err := r.run(ctx)
	return r.nextEpoch(), push.Fault(err)
}

// request answers a request while the publisher sends.
func (r *recording) request(m *rtspmsg.Message) error {
	if err := r.answer(m, r.usual(m)); err != nil {
		return err
	}
	if m.Method == "TEARDOWN" || m.Method == "PAUSE" {
		return fault.New(fault.PublisherLeft, nil, "")
	}
	return nil
}
