package reach_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/reach"
)

func at(text string) netip.Addr { return netip.MustParseAddr(text) }

var place = reach.Place{Host: "cams.example.org", Port: 443, Inside: "192.168.1.20", InsidePort: 7643, Address: at("198.51.100.7"), Client: at("203.0.113.9")}

// TestEachMistakeHasItsSentence tells the common mistakes apart.
func TestEachMistakeHasItsSentence(t *testing.T) {
	t.Parallel()
	with := func(change func(*reach.Place)) reach.Place {
		p := place
		change(&p)
		return p
	}
	for _, c := range []struct {
		trial    reach.Trial
		outcome  reach.Outcome
		place    reach.Place
		sentence string
		remedy   string
	}{
		{reach.HTTPS, reach.Works, place, "HTTPS works from here.", ""},
		{reach.HTTPS, reach.Works, with(func(p *reach.Place) { p.Client = at("192.168.1.44") }), "works", "inside the network, at 192.168.1.44"},
		{reach.HTTPS, reach.Refused, place, "cams.example.org:443 was refused at once", "the rule points to another machine or port. It has to point to 192.168.1.20, TCP port 7643."},
		{reach.HTTPS, reach.Refused, with(func(p *reach.Place) { p.Listens = "address already in use" }), "does not listen on port 7643: address already in use", "another port"},
		{reach.HTTPS, reach.Silent, place, "Nothing came back from cams.example.org:443", "not switched on"},
		{reach.HTTPS, reach.Silent, with(func(p *reach.Place) { p.Arrived = true }), "arrived at the service, and its answers did not come back", "default gateway"},
		{reach.HTTPS, reach.Silent, with(func(p *reach.Place) { p.Address = at("100.70.2.3") }), "shares among its customers", "public address"},
		{reach.HTTPS, reach.Silent, with(func(p *reach.Place) { p.Address = at("192.168.1.20") }), "an address of the inside", "--outside"},
		{reach.HTTPS, reach.Silent, with(func(p *reach.Place) { p.Address, p.Client = at("192.168.1.20"), at("192.168.1.44") }), "Nothing came back", "rule"},
		{reach.HTTPS, reach.Other, place, "Something else answers", "another program has taken the port"},
		{reach.HTTPS, reach.Untrusted, place, "does not trust its certificate", "has ended"},
		{reach.HTTPS, reach.Unclear, place, "was refused at once", "rule"},
		{reach.HTTPS, reach.Unclear, with(func(p *reach.Place) { p.Handshake, p.OwnRoot = "unknown certificate", true }), "does not trust its certificate", "/trust"},
		{reach.HTTP, reach.Mixed, place, "over plain HTTP", "http://"},
		{reach.HTTPS, reach.NameUnknown, place, "leads nowhere", "DNS"},
		{reach.HTTPS, reach.Off, place, "HTTPS is switched off here", "--https-listen"},
		{reach.WebRTCUDP, reach.Silent, place, "No packet came through by UDP", "for TCP alone"},
		{reach.WebRTCUDP, reach.InsideOnly, place, "only known inside", "--webrtc-address"},
		{reach.MotionJPEG, reach.HeldBack, place, "held back", "buffering"},
		{reach.HLS, reach.NotTried, place, "no feed is live", "another one"},
		{reach.HLS, reach.Failed, with(func(p *reach.Place) { p.Detail = "it is answered with 500" }), "answered with 500", "log"},
		{reach.HTTPS, reach.Silent, with(func(p *reach.Place) { p.Host, p.Port = "2001:db8::7", 7600 }), "[2001:db8::7]:7600", "rule"},
	} {
		f := reach.Explain(c.trial, c.outcome, c.place)
		assert.Contains(t, f.Sentence, c.sentence, "%s %s", c.trial, c.outcome)
		assert.Contains(t, f.Remedy, c.remedy, "%s %s", c.trial, c.outcome)
	}
}

// TestEveryOutcomeIsExplained, of every trial.
func TestEveryOutcomeIsExplained(t *testing.T) {
	t.Parallel()
	for _, trial := range reach.Trials {
		assert.NotEmpty(t, trial.Name())
		for _, o := range reach.Outcomes {
			f := reach.Explain(trial, o, reach.Place{Host: "h"})
			assert.NotEmpty(t, f.Sentence)
			if o != reach.Works {
				assert.NotEmpty(t, f.Remedy, "%s %s", trial, o)
			}
		}
	}
}

func TestInner(t *testing.T) {
	t.Parallel()
	for _, a := range []string{"10.1.1.1", "172.16.0.1", "192.168.0.1", "127.0.0.1", "::1", "fe80::1", "fd00::1", "100.64.0.1", "0.0.0.0", "::ffff:10.0.0.1"} {
		assert.True(t, reach.Inner(at(a)), a)
	}
	for _, a := range []string{"198.51.100.7", "2001:db8::1", "100.63.0.1"} {
		assert.False(t, reach.Inner(at(a)), a)
	}
	assert.True(t, reach.CarrierShared(at("100.127.255.1")))
	assert.False(t, reach.CarrierShared(at("100.128.0.1")))
}
