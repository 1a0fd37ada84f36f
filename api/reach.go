package api

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/portmap"
	"webostrum/netif"
	"webostrum/router"
	"webostrum/station"
)

// Door is a port beside those of HTTP and WebRTC, which may be open only while it is used.
type Door struct {
	For    string // what comes by it
	UDP    bool
	Listen string
	Port   int
	Open   bool
	Why    string // why not
}

// Who outside needs a port.
const (
	forViewers    = "viewers"
	forEngineers  = "engineers"
	forPublishers = "publishers"
)

// either is who needs a port that has the console, too.
func either(viewers bool) string {
	if viewers {
		return forViewers
	}
	return forEngineers
}

const mostDays = 14 // that a certificate may end in before it is told

// showReach says which ports there are and what a router has to pass on.
func (a *API) showReach(context.Context, *struct{}) (*struct{ Body apitypes.Reach }, error) {
	out := apitypes.Reach{Outside: a.outside(), Inside: insideAddresses(), Ports: a.reachPorts()}
	out.Notes = a.reachNotes(out)
	if a.cfg.Router != nil {
		rules := ruleView(a.cfg.Router.State())
		out.Rules = &rules
	}
	return &struct{ Body apitypes.Reach }{out}, nil
}

// insideAddresses are this machine's in its networks.
func insideAddresses() []string {
	list := []string{}
	for _, ip := range netif.Addresses() {
		list = append(list, ip.String())
	}
	return list
}

// inside is the address that a router's rule points to; empty when there is none.
func inside() string {
	if way := netif.Way(); way != "" {
		return way
	}
	if list := insideAddresses(); len(list) > 0 {
		return list[0]
	}
	return ""
}

func (a *API) reachPorts() []apitypes.ReachPort {
	list := []apitypes.ReachPort{}
	add := func(what string, udp bool, listen string, port int, open bool, why, whom string) {
		p := apitypes.ReachPort{For: what, Protocol: "TCP", Listen: listen, Port: port, Open: open, Why: why, Who: reachNetwork, Whom: whom}
		if udp {
			p.Protocol = "UDP"
		}
		if reachMachineOnly(listen) {
			p.Who = reachMachine
		} else if to := inside(); to != "" && port > 0 {
			p.Rule = fmt.Sprintf("%s %d to %s, port %d", p.Protocol, a.outsidePort(port), to, port)
		}
		list = append(list, p)
	}
	f := a.cfg.Front
	if tcp, ok := a.cfg.Listen.(*net.TCPAddr); ok {
		what := "Console, API, pages and media over HTTP"
		add(what, false, tcp.String(), tcp.Port, true, "", either(f.ViewersListen == "" && f.HTTPSPort == 0))
	}
	if f.ViewersListen != "" {
		add("Viewers' pages and media over HTTP, no console", false, f.ViewersListen, portText(f.ViewersListen), true, "", forViewers)
	}
	if f.HTTPSPort > 0 {
		add("All of it over HTTPS", false, f.HTTPSListen, f.HTTPSPort, true, "", either(f.ViewersListen == ""))
	}
	if a.cfg.WebRTC != nil {
		listen := a.cfg.WebRTC.Listens()
		add("WebRTC", true, listen, a.cfg.WebRTC.Port(), true, "", forViewers)
		add("WebRTC, where UDP does not come through", false, listen, a.cfg.WebRTC.Port(), true, "", forViewers)
	}
	if a.cfg.Doors != nil {
		for _, d := range a.cfg.Doors() {
			add(d.For, d.UDP, d.Listen, d.Port, d.Open, d.Why, forPublishers)
		}
	}
	for _, f := range a.station.List() {
		s := f.Status()
		if u, err := url.Parse(s.Record.URL); err == nil && !s.Record.Pushed && (u.Scheme == "udp" || u.Scheme == "rtp") {
			add("Transport stream of "+s.Record.Name, true, u.Host, portText(u.Host), s.Condition.State != station.StateOff, "", forPublishers)
		}
	}
	return list
}

// outsidePort is the port that a router passes on to one of ours: another only where the
// outside address says so.
func (a *API) outsidePort(port int) int {
	o, f := a.cfg.Front.Outside, a.cfg.Front
	if o == nil {
		return port
	}
	ours := portText(f.ViewersListen)
	if tcp, ok := a.cfg.Listen.(*net.TCPAddr); ok && ours == 0 {
		ours = tcp.Port
	}
	if o.Scheme == "https" && f.HTTPSPort > 0 {
		ours = f.HTTPSPort
	}
	if port == ours {
		return portOf(o)
	}
	return port
}

func portText(listen string) int {
	_, text, err := net.SplitHostPort(listen)
	port, numberErr := strconv.Atoi(text)
	if err != nil || numberErr != nil {
		return 0
	}
	return port
}

// reachMachineOnly says whether what listens there is for this machine alone.
func reachMachineOnly(listen string) bool {
	host, _, err := net.SplitHostPort(listen)
	if err != nil || host == "" {
		return false
	}
	ip, err := netip.ParseAddr(host)
	return host == "localhost" || err == nil && ip.IsLoopback()
}

// reachNotes says what stands in the way.
func (a *API) reachNotes(r apitypes.Reach) []string {
	notes := []string{}
	if r.Outside == "" {
		notes = append(notes, "The service is not told what viewers outside come by: start it with --outside and the router's name or address. Snippets and links use it then.")
	}
	if len(r.Ports) > 0 && !slices.ContainsFunc(r.Ports, func(p apitypes.ReachPort) bool { return p.Who != reachMachine }) {
		notes = append(notes, "Everything listens to this machine alone (127.0.0.1): start the service with --listen :7600 to be reached from elsewhere.")
	}
	if len(r.Inside) == 0 {
		notes = append(notes, "This machine has no address in any network.")
	}
	if a.cfg.Certs != nil {
		now := time.Now()
		switch s := a.cfg.Certs.State(now); {
		case s.Trouble != nil:
			notes = append(notes, "HTTPS: "+s.Trouble.Error()+".")
		case !s.Ends.IsZero() && s.Ends.Before(now.AddDate(0, 0, mostDays)):
			notes = append(notes, "HTTPS: the certificate ends on "+s.Ends.UTC().Format(time.DateOnly)+".")
		}
	} else if a.cfg.Front.Outside == nil || a.cfg.Front.Outside.Scheme != "https" {
		notes = append(notes, "There is no HTTPS: pages of sites on https:// cannot show these feeds, and phones give their cameras to no page. --https-listen or a proxy in front has it.")
	}
	if o := a.cfg.Front.Outside; o != nil {
		if ip, err := netip.ParseAddr(o.Hostname()); err == nil && reachOf(o.Hostname()) != reachOutside {
			notes = append(notes, "The outside address "+ip.String()+" is one of the inside: nobody outside gets there.")
		}
	}
	if rules := r.Rules; rules != nil && rules.Note != "" {
		notes = append(notes, rules.Note)
	}
	return notes
}

func (a *API) reachOperations(h huma.API) {
	const ok, created = http.StatusOK, http.StatusCreated
	huma.Register(h, operation("GET", "/reach", "show-reach", "Where the service can be reached, and what a router has to pass on", needsReader, ok), a.showReach)
	huma.Register(h, operation("POST", "/reach/checks", "add-reach-check", "Make a check of the ways in for a device elsewhere", needsEngineer, created), a.addCheck)
	huma.Register(h, operation("GET", "/reach/checks/{code}", "show-reach-check", "What devices found", needsEngineer, ok), a.showCheck)
	huma.Register(h, operation("POST", "/reach/rules", "ask-router", "Ask the router to pass ports on", needsEngineer, ok), a.askRouter)
	huma.Register(h, operation("DELETE", "/reach/rules", "withdraw-rules", "Have the router pass nothing on any more", needsEngineer, ok), a.withdrawRules)
}

// askRouter asks for what viewers outside need.
func (a *API) askRouter(ctx context.Context, _ *struct{}) (*struct{ Body apitypes.RuleList }, error) {
	if a.cfg.Router == nil {
		return nil, answerFor(fault.New(fault.RouterOff, nil, ""))
	}
	list := ruleView(a.cfg.Router.Ask(ctx, a.WantedRules()))
	what := "the router was asked to pass ports on"
	if list.Note != "" {
		what += ": " + list.Note
	}
	a.by(ctx).Note("", station.EventChange, what)
	return &struct{ Body apitypes.RuleList }{list}, nil
}

// WantedRules are the ports that viewers outside need.
func (a *API) WantedRules() (list []router.Wanted) {
	for _, p := range a.reachPorts() {
		if p.Whom != forViewers || p.Rule == "" {
			continue
		}
		w := router.Wanted{Protocol: portmap.TCP, Port: uint16(p.Port), Outside: uint16(a.outsidePort(p.Port)), For: p.For}
		if p.Protocol == "UDP" {
			w.Protocol = portmap.UDP
		}
		list = append(list, w)
	}
	return list
}

func (a *API) withdrawRules(ctx context.Context, _ *struct{}) (*struct{ Body apitypes.RuleList }, error) {
	if a.cfg.Router == nil {
		return nil, answerFor(fault.New(fault.RouterOff, nil, ""))
	}
	list := ruleView(a.cfg.Router.Withdraw(ctx))
	a.by(ctx).Note("", station.EventChange, "the router was asked to pass nothing on any more")
	return &struct{ Body apitypes.RuleList }{list}, nil
}

func ruleView(s router.State) apitypes.RuleList {
	list := apitypes.RuleList{By: s.By, Note: s.Note(), Rules: []apitypes.Rule{}}
	if s.Router.IsValid() {
		list.Router = s.Router.String()
	}
	if s.Outside.IsValid() {
		list.Outside = s.Outside.String()
	}
	for _, r := range s.Rules {
		v := apitypes.Rule{Protocol: "TCP", Outside: int(r.Given), Inside: int(r.Port), For: r.For, Ends: r.Ends.UTC()}
		if r.Protocol == portmap.UDP {
			v.Protocol = "UDP"
		}
		if r.Trouble != nil {
			v.Trouble = r.Trouble.Error()
		}
		list.Rules = append(list.Rules, v)
	}
	return list
}
