package api

import (
	"cmp"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/reach"
)

// waysTo are the addresses of the service by HTTP and HTTPS as whoever asks may reach them;
// empty where there is none.
func (a *API) waysTo(r *http.Request) (plain, secure string) {
	f := a.cfg.Front
	host := hostOnly(r.Host)
	at := func(scheme, host string, port int) string {
		return scheme + "://" + net.JoinHostPort(strings.Trim(host, "[]"), strconv.Itoa(port)) + f.Base
	}
	if tcp, ok := a.cfg.Listen.(*net.TCPAddr); ok {
		plain = at("http", host, tcp.Port)
		if port := portText(f.ViewersListen); port > 0 && reachOf(host) == reachOutside {
			plain = at("http", host, port)
		}
	}
	if f.HTTPSPort > 0 {
		secure = at("https", host, f.HTTPSPort)
	}
	if o := f.Outside; o != nil { // what viewers outside come by is what matters
		if o.Scheme == "https" {
			secure = at("https", o.Hostname(), portOf(o))
		} else {
			plain = at("http", o.Hostname(), portOf(o))
		}
	}
	if own := a.baseOf(r); a.secure(r) {
		secure = own
	} else {
		plain = own
	}
	return plain, secure
}

// finding puts a device's result into words, with what the service itself has seen.
func (a *API) finding(r *http.Request, in apitypes.ReachResult) (f apitypes.ReachFinding, ok bool) {
	t, o := reach.Trial(in.Trial), reach.Outcome(in.Outcome)
	if !slices.Contains(reach.Trials, t) || !slices.Contains(reach.Outcomes, o) {
		return f, false
	}
	lasted := time.Duration(min(max(in.Millis, 0), float64(longestTrial.Milliseconds()))) * time.Millisecond
	p := a.place(r, t, time.Now().Add(-lasted-trialSlack))
	p.Detail = strings.ToValidUTF8(in.Detail[:min(len(in.Detail), longestDetail)], "")
	p.Address, _ = netip.ParseAddr(cmp.Or(in.Address, strings.Trim(p.Host, "[]"))) // names tell nothing
	said := reach.Explain(t, o, p)
	return apitypes.ReachFinding{Trial: in.Trial, Name: t.Name(), Outcome: in.Outcome, Millis: in.Millis, Sentence: said.Sentence, Remedy: said.Remedy}, true
}

// place is where a trial of somebody, which began then, led to.
func (a *API) place(r *http.Request, t reach.Trial, begun time.Time) reach.Place {
	plain, secure := a.waysTo(r)
	p := reach.Place{Inside: inside(), OwnRoot: a.own() != nil, Host: hostOnly(r.Host)}
	if from, err := netip.ParseAddr(access.HostOf(r.RemoteAddr)); err == nil {
		p.Client = from.Unmap()
		p.Arrived, p.Handshake = a.reach.sightings(p.Client, t, begun)
	}
	way := a.baseOf(r)
	switch t {
	case reach.HTTP:
		way = plain
		if tcp, ok := a.cfg.Listen.(*net.TCPAddr); ok {
			p.InsidePort = tcp.Port
		}
		if port := portText(a.cfg.Front.ViewersListen); port > 0 && strings.HasSuffix(plain, ":"+strconv.Itoa(port)+a.cfg.Front.Base) {
			p.InsidePort = port
		}
	case reach.HTTPS:
		way, p.InsidePort = secure, a.cfg.Front.HTTPSPort
	case reach.WebRTCUDP, reach.WebRTCTCP:
		if a.cfg.WebRTC != nil {
			p.Port, p.InsidePort = a.cfg.WebRTC.Port(), a.cfg.WebRTC.Port()
		}
		return p
	}
	if u, err := url.Parse(way); err == nil && u.Host != "" {
		p.Host, p.Port = u.Hostname(), portOf(u)
	}
	return p
}
