// Package discover finds cameras: by WS-Discovery and mDNS on the networks that this machine
// is on, and, where somebody asks for that, by trying the addresses of a private network.
//
// Nothing is sent that was not asked for: a search runs once, on the interfaces that it is
// given, and ends by itself.
package discover

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"
)

const (
	mostHosts     = 2000 // that are told of
	mostOfOne     = 16   // addresses of one host
	mostPacket    = 64 << 10
	mostAnswers   = 20_000 // packets that are looked at
	mostInterface = 32
)

// The ways in which something is found.
const (
	ByWSDiscovery = "WS-Discovery"
	ByMDNS        = "mDNS"
	ByONVIF       = "ONVIF"
	ByRTSP        = "RTSP"
)

// Found is a host that answered. What is empty is not known.
type Found struct {
	Host     string // IP address
	ID       string // URN that stays when the address changes
	Name     string
	Hardware string
	Location string
	Device   string   // address of its ONVIF device service, on Host
	Streams  []string // rtsp addresses, on Host
	Pages    []string // http addresses, on Host
	Ways     []string // what answered
	Odd      string   // what is wrong with what it says, as a sentence
}

// Config says where to search.
type Config struct {
	Interfaces []string // by name; empty for all
	Length     time.Duration
	Sweep      []netip.Prefix // whose addresses are tried; see CheckSweep
	Ports      []uint16       // that are tried there; empty for the usual ones
}

// Search searches until Length is over or ctx ends, and calls found from one goroutine at
// a time: once for each host, and again when more is known of it. Notes are sentences on
// what could not be done.
func Search(ctx context.Context, cfg Config, found func(Found)) (notes []string, err error) {
	for _, p := range cfg.Sweep {
		if err := CheckSweep(p); err != nil {
			return nil, err
		}
	}
	interfaces, err := chosen(cfg.Interfaces)
	if err != nil {
		return nil, err
	}
	c := &collection{tell: found, hosts: map[string]*Found{}}
	listening, cancel := context.WithTimeout(ctx, cfg.Length)
	defer cancel()
	var going sync.WaitGroup
	for _, i := range interfaces {
		for _, ask := range []func(context.Context, net.Interface, netip.Addr, *collection) error{probe, browse} {
			going.Go(func() { c.note(i.Name, ask(listening, i.Interface, i.address, c)) })
		}
	}
	if len(cfg.Sweep) > 0 {
		going.Go(func() { sweep(ctx, cfg.Sweep, cfg.Ports, c) })
	}
	going.Wait()
	if len(interfaces) == 0 {
		c.notes = append(c.notes, "No interface of this machine has an IPv4 address to search from.")
	}
	return c.notes, ctx.Err()
}

// link is an interface that is searched on.
type link struct {
	net.Interface
	address netip.Addr
}

// ErrInterface is returned for a name that no interface has.
var ErrInterface = errors.New("there is no such interface")

// chosen are the interfaces of some names, or all, that are up and have an IPv4 address.
func chosen(names []string) (list []link, err error) {
	all, err := net.Interfaces()
	if err != nil {
		return nil, fmt.Errorf("the interfaces of this machine are not known: %w", err)
	}
	for _, name := range names {
		if !slices.ContainsFunc(all, func(i net.Interface) bool { return i.Name == name }) {
			return nil, fmt.Errorf("%w: %s", ErrInterface, name)
		}
	}
	for _, i := range all {
		if len(names) > 0 && !slices.Contains(names, i.Name) || i.Flags&net.FlagUp == 0 || len(list) == mostInterface {
			continue
		}
		addresses, err := i.Addrs()
		if err != nil {
			continue // it went away
		}
		for _, a := range addresses {
			if p, err := netip.ParsePrefix(a.String()); err == nil && p.Addr().Is4() {
				list = append(list, link{i, p.Addr()})
				break
			}
		}
	}
	return list, nil
}

// collection is what was found.
type collection struct {
	tell func(Found)

	mu      sync.Mutex
	hosts   map[string]*Found // guarded by mu
	answers int               // guarded by mu
	notes   []string          // guarded by mu
}

// more says whether another answer may be looked at.
func (c *collection) more() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.answers++
	return c.answers <= mostAnswers
}

func (c *collection) note(where string, err error) {
	if err == nil {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.notes = append(c.notes, fmt.Sprintf("On %s: %v.", where, err))
}

// add adds what is known of a host, and tells when it was more than before.
func (c *collection) add(f Found) {
	c.mu.Lock()
	defer c.mu.Unlock()
	key := f.Host
	known := c.hosts[key]
	if known != nil && f.ID != "" && known.ID != "" && known.ID != f.ID { // several devices behind one address
		key += " " + f.ID
		known = c.hosts[key]
	}
	if known == nil {
		if len(c.hosts) >= mostHosts {
			return
		}
		known = &Found{Host: f.Host}
		c.hosts[key] = known
	}
	changed := false
	if known.ID == "" && f.ID != "" { // what a device says of itself stands above what is announced of its host
		known.Name = ""
	}
	for _, text := range []struct{ to, from *string }{
		{&known.ID, &f.ID}, {&known.Name, &f.Name}, {&known.Hardware, &f.Hardware}, {&known.Location, &f.Location}, {&known.Device, &f.Device}, {&known.Odd, &f.Odd},
	} {
		if *text.to == "" && *text.from != "" {
			*text.to, changed = *text.from, true
		}
	}
	for _, list := range []struct {
		to   *[]string
		from []string
	}{{&known.Streams, f.Streams}, {&known.Pages, f.Pages}, {&known.Ways, f.Ways}} {
		for _, v := range list.from {
			if !slices.Contains(*list.to, v) && len(*list.to) < mostOfOne {
				*list.to, changed = append(*list.to, v), true
			}
		}
	}
	if changed {
		c.tell(known.clone())
	}
}

func (f *Found) clone() Found {
	g := *f
	g.Streams, g.Pages, g.Ways = slices.Clone(f.Streams), slices.Clone(f.Pages), slices.Clone(f.Ways)
	return g
}

// hostIn is a host as it stands in URLs.
func hostIn(address netip.Addr) string {
	if address.Is6() {
		return "[" + strings.ReplaceAll(address.String(), "%", "%25") + "]"
	}
	return address.String()
}
