// Package reach says in words what comes of trying to reach the service from somewhere:
// which way works, which does not, why not as far as it can be told from there, and what
// to do about it.
package reach

import (
	"fmt"
	"net/netip"
	"strings"
	"time"
)

// Trial is one way in that is tried.
type Trial string

// The trials, in the order in which they are made.
const (
	HTTP       Trial = "http"
	HTTPS      Trial = "https"
	HLS        Trial = "hls"
	Fragments  Trial = "fragments"
	MotionJPEG Trial = "motion-jpeg"
	WebRTCUDP  Trial = "webrtc-udp"
	WebRTCTCP  Trial = "webrtc-tcp"
)

// Trials are all of them.
var Trials = []Trial{HTTP, HTTPS, HLS, Fragments, MotionJPEG, WebRTCUDP, WebRTCTCP}

// Name is what people call it.
func (t Trial) Name() string {
	return map[Trial]string{
		HTTP: "HTTP", HTTPS: "HTTPS", HLS: "HLS", Fragments: "Live fragments", MotionJPEG: "Motion JPEG", WebRTCUDP: "WebRTC over UDP", WebRTCTCP: "WebRTC over TCP",
	}[t]
}

// Outcome is what came of a trial, as far as it can be told where it was made.
type Outcome string

// The outcomes.
const (
	Works       Outcome = "works"
	Refused     Outcome = "refused"      // the connection was refused at once
	Silent      Outcome = "silent"       // nothing came back
	Other       Outcome = "other"        // something answers, and it is not the service
	Untrusted   Outcome = "untrusted"    // the certificate is not trusted, or does not fit the name
	Unclear     Outcome = "unclear"      // a browser that fails at once does not say whether it was refused or does not trust
	Mixed       Outcome = "mixed"        // a page that came over HTTPS may not try plain HTTP
	HeldBack    Outcome = "held-back"    // an answer that goes on is held back on its way
	InsideOnly  Outcome = "inside-only"  // only addresses inside are offered
	NameUnknown Outcome = "name-unknown" // the name leads nowhere
	Off         Outcome = "off"          // it is switched off
	NotTried    Outcome = "not-tried"    // there is nothing to try it with
	Failed      Outcome = "failed"       // in some other way
)

// Outcomes are all of them.
var Outcomes = []Outcome{Works, Refused, Silent, Other, Untrusted, Unclear, Mixed, HeldBack, InsideOnly, NameUnknown, Off, NotTried, Failed}

// Place is where the service is, and who tried.
type Place struct {
	Host string // that was tried
	Port int    // outside; 0 where it is not known

	Inside     string // address of the service's machine in its network; empty when it is not known
	InsidePort int    // that it listens on; 0 when it is not known
	Listens    string // why nothing listens there; empty where it listens

	Address   netip.Addr // of the host, as it was found where it was tried; invalid when it is not known
	Client    netip.Addr // who tried, as the service saw it; invalid when it did not
	Arrived   bool       // a connection of this trial was seen at the service
	Handshake string     // what the service saw go wrong in TLS; empty for nothing
	Detail    string     // what else is known
	OwnRoot   bool       // the service signs its certificates itself
}

// Finding is a trial's outcome in words.
type Finding struct {
	Sentence string
	Remedy   string // what to do; empty when it works
}

// carrier is what providers share among their customers (RFC 6598).
var carrier = netip.MustParsePrefix("100.64.0.0/10")

// CarrierShared says whether an address is behind a provider's translation: nobody outside
// can open a connection to it.
func CarrierShared(a netip.Addr) bool { return carrier.Contains(a.Unmap()) }

// Inner says whether an address leads nowhere from the outside.
func Inner(a netip.Addr) bool {
	a = a.Unmap()
	return a.IsPrivate() || a.IsLoopback() || a.IsLinkLocalUnicast() || a.IsUnspecified() || CarrierShared(a)
}

// Explain says what an outcome means and what to do.
func Explain(t Trial, o Outcome, p Place) Finding {
	if f, ok := byAddress(o, p); ok {
		return f
	}
	switch o {
	case Works:
		return works(t, p)
	case Refused:
		return refused(t, p)
	case Silent:
		return silent(t, p)
	case Other:
		return Finding{
			fmt.Sprintf("Something else answers at %s.", p.where()),
			fmt.Sprintf("The router's rule for %s points to another machine, the router shows its own page there, or another program has taken the port. %s", p.rule(t), p.pointsTo(t)),
		}
	case Untrusted:
		return untrusted(p)
	case Unclear:
		return unclear(t, p)
	case Mixed:
		return Finding{"This page came over HTTPS, and browsers let such a page try nothing over plain HTTP.", "Open the check by its http:// address to try it. Viewers who come over HTTPS do not need it."}
	case HeldBack:
		return Finding{
			"The answer arrives, but what goes on is held back on its way.",
			"Something in between collects answers before it passes them on: switch buffering off for /media/ in the proxy in front (proxy_buffering off; in nginx). HLS works all the same.",
		}
	case InsideOnly:
		return Finding{
			"The service offers WebRTC at addresses that are only known inside its network.",
			"Start it with --webrtc-address and the router's outside address, and have the router pass on " + p.rule(t) + ".",
		}
	case NameUnknown:
		return Finding{fmt.Sprintf("The name %s leads nowhere.", p.Host), "Check it for typing errors, and that its record in the DNS is there and has the router's outside address; a new one may take an hour."}
	case Off:
		return Finding{t.Name() + " is switched off here.", offRemedy(t)}
	case NotTried:
		return Finding{t.Name() + " was not tried: no feed is live that gives it.", "Switch a feed on, or choose another one for the check."}
	}
	return Finding{t.Name() + " failed: " + firstOf(p.Detail, "no more is known") + ".", "Try again; when it stays so, look at the service's events and log."}
}

func offRemedy(t Trial) string {
	switch t {
	case HTTPS:
		return "Start the service with --https-listen and a certificate, or put a proxy with HTTPS in front; browsers give cameras, and much else, to pages over HTTPS alone."
	case WebRTCUDP, WebRTCTCP:
		return "Start the service with --webrtc-listen to have it."
	}
	return "The feed does not give it: switch it on in the feed's settings."
}

// byAddress tells what the host's address alone says: no rule of a router helps against it.
func byAddress(o Outcome, p Place) (Finding, bool) {
	if o == Works || o == Off || o == NotTried || o == Mixed || !p.Address.IsValid() || p.Address.IsLoopback() {
		return Finding{}, false
	}
	inside := p.Client.IsValid() && Inner(p.Client) && !CarrierShared(p.Client)
	switch {
	case CarrierShared(p.Address):
		return Finding{
			fmt.Sprintf("%s leads to %s, an address that a provider shares among its customers (carrier-grade NAT).", p.Host, p.Address),
			"Nobody outside can open a connection to it, whatever the router's rules. Ask the provider for a public address, use IPv6, or a tunnel or server of your own outside.",
		}, true
	case Inner(p.Address) && !inside:
		return Finding{
			fmt.Sprintf("%s is %s, an address of the inside: it leads to the service only from within its network.", p.Host, p.Address),
			"Give viewers outside the router's outside address or a name for it, and tell the service by --outside.",
		}, true
	}
	return Finding{}, false
}

func works(t Trial, p Place) Finding {
	f := Finding{Sentence: t.Name() + " works from here."}
	if p.Client.IsValid() && Inner(p.Client) && !p.Client.IsLoopback() && !CarrierShared(p.Client) {
		f.Remedy = "This device is inside the network, at " + p.Client.String() + ": it does not say what comes of it outside. Switch its Wi-Fi off and try again."
	}
	return f
}

func refused(t Trial, p Place) Finding {
	if p.Listens != "" {
		return notListening(p)
	}
	return Finding{
		fmt.Sprintf("The connection to %s was refused at once.", p.where()),
		fmt.Sprintf("A machine answers, but nothing listens there: the router has no rule for %s and refuses it itself, or the rule points to another machine or port. %s", p.rule(t), p.pointsTo(t)),
	}
}

func notListening(p Place) Finding {
	return Finding{fmt.Sprintf("The service itself does not listen on port %d: %s.", p.InsidePort, p.Listens), "End the other program or give the service another port, then make the router's rule fit."}
}

func silent(t Trial, p Place) Finding {
	if p.Listens != "" {
		return notListening(p)
	}
	if t == WebRTCUDP {
		return Finding{
			"No packet came through by UDP.",
			fmt.Sprintf("The router's rule for %s is missing, switched off, for TCP alone, or points to another machine; or this device's network lets no UDP out. %s Viewers fall back to TCP, with more delay over poor connections.", p.rule(t), p.pointsTo(t)),
		}
	}
	if p.Arrived {
		return Finding{
			fmt.Sprintf("The connection to %s arrived at the service, and its answers did not come back.", p.where()),
			"Check that the service's machine has this router as its way out (default gateway), and no firewall between them drops answers.",
		}
	}
	return Finding{
		fmt.Sprintf("Nothing came back from %s.", p.where()),
		fmt.Sprintf("The router's or the provider's firewall drops it: the rule for %s is missing, not switched on, or points to an address that no machine has. %s", p.rule(t), p.pointsTo(t)),
	}
}

func untrusted(p Place) Finding {
	f := Finding{Sentence: fmt.Sprintf("%s answers, and this device does not trust its certificate.", p.where())}
	if p.Detail != "" {
		f.Sentence = fmt.Sprintf("%s answers, and this device does not trust its certificate: %s.", p.where(), p.Detail)
	}
	if p.OwnRoot {
		f.Remedy = "The service signs its certificates itself: open /trust on this device and follow it, or use a certificate of a public authority (--acme)."
	} else {
		f.Remedy = "Check with \"webostrum check\" whether the certificate has ended, is for this name, and comes with its whole chain."
	}
	return f
}

// unclear is what a browser tells of HTTPS: nothing. What the service saw tells more.
func unclear(t Trial, p Place) Finding {
	switch {
	case p.Handshake != "":
		p.Detail = ""
		return untrusted(p)
	case p.Arrived && p.OwnRoot:
		return untrusted(p)
	}
	return refused(t, p)
}

// where is what was tried, for people.
func (p Place) where() string {
	if p.Port == 0 {
		return p.Host
	}
	if strings.Contains(p.Host, ":") {
		return fmt.Sprintf("[%s]:%d", p.Host, p.Port)
	}
	return fmt.Sprintf("%s:%d", p.Host, p.Port)
}

// rule names the rule that a router needs.
func (p Place) rule(t Trial) string {
	protocol := "TCP"
	if t == WebRTCUDP {
		protocol = "UDP"
	}
	port := p.Port
	if port == 0 {
		port = p.InsidePort
	}
	if port == 0 {
		return protocol
	}
	return fmt.Sprintf("%s port %d", protocol, port)
}

// pointsTo says where the rule has to point.
func (p Place) pointsTo(t Trial) string {
	if p.Inside == "" || p.InsidePort == 0 {
		return "It has to point to the service's machine."
	}
	protocol := "TCP"
	if t == WebRTCUDP {
		protocol = "UDP"
	}
	return fmt.Sprintf("It has to point to %s, %s port %d.", p.Inside, protocol, p.InsidePort)
}

func firstOf(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

// Sightings are when the service saw something of somebody last; zero for never.
type Sightings struct {
	HTTP, HTTPS time.Time // a connection
	Failed      time.Time // of a TLS handshake
	Why         string
}
