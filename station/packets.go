package station

import (
	"fmt"
	"time"

	"webostrum/ingest/source"
)

// packetWatch says once in each session what a camera's packets show of it. Only the
// station's tick uses it.
type packetWatch struct {
	session     *source.Session
	late, other bool // said already
	dropped     uint64
}

// look takes what is known of the session now and returns what is to be said.
func (w *packetWatch) look(session *source.Session, facts source.Facts) (texts []string) {
	if w.session != session {
		*w = packetWatch{session: session}
	}
	if n := facts.Stats.Late; n > 0 && !w.late && facts.Transport == string(source.TCP) {
		w.late = true
		texts = append(texts, fmt.Sprintf("packets come out of order over TCP and are dropped, %d so far: try the transport udp, or restart the camera", n))
	}
	if n := facts.Stats.Other; n > 0 && !w.other {
		w.other = true
		texts = append(texts, fmt.Sprintf("packets come of a payload type that the camera does not announce and are dropped, %d so far", n))
	}
	return texts
}

// missing says whether pictures were left out since it was asked last.
func (w *packetWatch) missing(dropped uint64) bool {
	more := dropped > w.dropped
	w.dropped = dropped
	return more
}

// longConnecting is after how long without a frame a camera is asked for a keyframe.
const longConnecting = 3 * time.Second

// checkPackets warns of what the packets of the feed's session show.
func (f *Feed) checkPackets() {
	session := f.session.Load()
	if session == nil {
		if c := f.Condition(); c.State == StateConnecting && time.Since(c.Since) >= longConnecting {
			f.askKeyframe() // it may send one in minutes
		}
		return
	}
	facts := (*session).Facts()
	for _, text := range f.packets.look(session, facts) {
		f.warn("", text)
	}
	if f.packets.missing(facts.Stats.Dropped) {
		f.askKeyframe()
	}
}
