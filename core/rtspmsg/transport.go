package rtspmsg

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Transport is one transport specification (RFC 2326, 12.39).
type Transport struct {
	Profile     string // "RTP/AVP" or "RTP/AVP/TCP"
	Interleaved [2]int // channels; -1 when not given
	ClientPort  [2]int // 0 when not given
	ServerPort  [2]int
	Source      string
	Multicast   bool
	Destination string // group, of multicast
	Port        [2]int // there
	SSRC        uint32
	HasSSRC     bool
}

// TCP says whether data is interleaved with the messages.
func (t Transport) TCP() bool { return strings.HasSuffix(t.Profile, "/TCP") }

// ParseTransport reads the first specification of a Transport header. Unknown
// parameters are left out.
func ParseTransport(header string) (Transport, error) {
	first, _, _ := strings.Cut(header, ",")
	parts := strings.Split(first, ";")
	t := Transport{Profile: strings.ToUpper(strings.TrimSpace(parts[0])), Interleaved: [2]int{-1, -1}}
	if !strings.HasPrefix(t.Profile, "RTP/") {
		return t, fmt.Errorf("%w: transport %.60q", ErrMalformed, header)
	}
	for _, p := range parts[1:] {
		name, value, _ := strings.Cut(strings.TrimSpace(p), "=")
		var err error
		switch strings.ToLower(name) {
		case "interleaved":
			t.Interleaved, err = pair(value, 0xff)
		case "client_port":
			t.ClientPort, err = pair(value, 0xffff)
		case "server_port":
			t.ServerPort, err = pair(value, 0xffff)
		case "source":
			t.Source = value
		case "multicast":
			t.Multicast = true
		case "destination":
			t.Destination = value
		case "port":
			t.Port, err = pair(value, 0xffff)
		case "ssrc":
			// Some cameras pad it with blanks or write it in decimal; a wrong one is
			// only not used.
			if n, e := strconv.ParseUint(strings.TrimSpace(value), 16, 32); e == nil {
				t.SSRC, t.HasSSRC = uint32(n), true
			}
		}
		if err != nil {
			return t, err
		}
	}
	return t, nil
}

// pair reads "a-b", or "a" alone for a and the next.
func pair(text string, limit int) ([2]int, error) {
	a, b, two := strings.Cut(strings.TrimSpace(text), "-")
	first, err := strconv.Atoi(a)
	second := first + 1
	if err == nil && two {
		second, err = strconv.Atoi(b)
	}
	if err != nil || first < 0 || second < 0 || first > limit || second > limit {
		return [2]int{}, fmt.Errorf("%w: numbers %.20q", ErrMalformed, text)
	}
	return [2]int{first, second}, nil
}

// String writes the specification for a play session.
func (t Transport) String() string {
	var b strings.Builder
	b.WriteString(t.Profile + map[bool]string{false: ";unicast", true: ";multicast"}[t.Multicast])
	if t.Destination != "" {
		b.WriteString(";destination=" + t.Destination)
	}
	if t.Port[0] > 0 {
		fmt.Fprintf(&b, ";port=%d-%d", t.Port[0], t.Port[1])
	}
	if t.TCP() {
		fmt.Fprintf(&b, ";interleaved=%d-%d", t.Interleaved[0], t.Interleaved[1])
	}
	if t.ClientPort[0] > 0 {
		fmt.Fprintf(&b, ";client_port=%d-%d", t.ClientPort[0], t.ClientPort[1])
	}
	if t.ServerPort[0] > 0 {
		fmt.Fprintf(&b, ";server_port=%d-%d", t.ServerPort[0], t.ServerPort[1])
	}
	if t.HasSSRC {
		fmt.Fprintf(&b, ";ssrc=%08X", t.SSRC)
	}
	return b.String()
}

const defaultTimeout = time.Minute

// ParseSession reads a Session header: the identifier and how long the session
// lives without a sign of life, 60 s when it does not say (12.37).
func ParseSession(header string) (id string, timeout time.Duration) {
	id, rest, _ := strings.Cut(header, ";")
	timeout = defaultTimeout
	if _, value, ok := strings.Cut(strings.ToLower(rest), "timeout="); ok {
		value, _, _ = strings.Cut(value, ";")
		if n, err := strconv.Atoi(strings.TrimSpace(value)); err == nil && n > 0 && n <= 86400 {
			timeout = time.Duration(n) * time.Second
		}
	}
	return strings.TrimSpace(id), timeout
}
