package whep

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/pion/webrtc/v4"
)

// ErrFragment is wrapped when a viewer's change of its ICE cannot be used.
var ErrFragment = errors.New("whep: the change cannot be used")

const (
	ufragLine     = "a=ice-ufrag:"
	passwordLine  = "a=ice-pwd:"
	candidateLine = "a=candidate:"
	lineEnd       = "\r\n"
	gatherEvery   = 10 * time.Millisecond
)

// attribute returns what the first line that begins so says.
func attribute(sdp, line string) string {
	for l := range strings.Lines(sdp) {
		if value, ok := strings.CutPrefix(strings.TrimSpace(l), line); ok {
			return value
		}
	}
	return ""
}

// Restart takes a viewer's new ICE credentials, as a fragment of a session
// description (RFC 8840, 9), and answers with a fragment of ours. What is played goes
// on meanwhile.
func (s *Session) Restart(ctx context.Context, fragment string) (answer string, err error) {
	s.restarting.Lock()
	defer s.restarting.Unlock()
	ufrag, password := attribute(fragment, ufragLine), attribute(fragment, passwordLine)
	if ufrag == "" || password == "" {
		return "", fmt.Errorf("%w: it has no ice-ufrag and ice-pwd", ErrFragment)
	}
	before := s.Tag()
	offer := renewed(s.pc.RemoteDescription().SDP, ufrag, password)
	if err := s.pc.SetRemoteDescription(webrtc.SessionDescription{Type: webrtc.SDPTypeOffer, SDP: offer}); err != nil {
		return "", fmt.Errorf("%w: %w", ErrFragment, err)
	}
	local, err := s.pc.CreateAnswer(nil)
	if err != nil {
		return "", err
	}
	if err := s.pc.SetLocalDescription(local); err != nil {
		return "", err
	}
	return s.gathered(ctx, before)
}

// Tag names the session's present ICE credentials: the entity-tag by which a viewer
// says which of them its change is for (RFC 9725, 4.3.1).
func (s *Session) Tag() string { return attribute(s.pc.LocalDescription().SDP, ufragLine) }

// renewed is the viewer's description with other ICE credentials.
func renewed(sdp, ufrag, password string) string {
	var b strings.Builder
	for l := range strings.Lines(sdp) {
		l = strings.TrimSpace(l)
		switch {
		case strings.HasPrefix(l, ufragLine):
			l = ufragLine + ufrag
		case strings.HasPrefix(l, passwordLine):
			l = passwordLine + password
		case strings.HasPrefix(l, candidateLine):
			continue // they come to us
		}
		b.WriteString(l + lineEnd)
	}
	return b.String()
}

// gathered waits for our addresses under new credentials, and writes them as a
// fragment.
func (s *Session) gathered(ctx context.Context, before string) (string, error) {
	ticker := time.NewTicker(gatherEvery)
	defer ticker.Stop()
	for {
		sdp := s.pc.LocalDescription().SDP
		ufrag := attribute(sdp, ufragLine)
		if ufrag != before && strings.Contains(sdp, candidateLine) && s.pc.ICEGatheringState() == webrtc.ICEGatheringStateComplete {
			return fragmentOf(sdp), nil
		}
		select {
		case <-ticker.C:
		case <-ctx.Done():
			return "", ctx.Err()
		}
	}
}

// fragmentOf takes out of a description what a restart needs.
func fragmentOf(sdp string) string {
	var b strings.Builder
	b.WriteString(ufragLine + attribute(sdp, ufragLine) + lineEnd + passwordLine + attribute(sdp, passwordLine) + lineEnd)
	medium := false
	for l := range strings.Lines(sdp) {
		l = strings.TrimSpace(l)
		if strings.HasPrefix(l, "m=") {
			if medium {
				break // all media go the same way
			}
			medium = true
		}
		if medium && (strings.HasPrefix(l, "m=") || strings.HasPrefix(l, "a=mid:") || strings.HasPrefix(l, candidateLine) || l == "a=end-of-candidates") {
			b.WriteString(l + lineEnd)
		}
	}
	return b.String()
}
