package router

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"net/url"
	"time"

	"github.com/huin/goupnp/dcps/internetgateway2"

	"webostrum/core/portmap"
)

// connection is what a router's service for its connection to the outside can do.
type connection interface {
	AddPortMappingCtx(ctx context.Context, remote string, outside uint16, protocol string, inside uint16, client string, enabled bool, what string, lease uint32) error
	DeletePortMappingCtx(ctx context.Context, remote string, outside uint16, protocol string) error
	GetExternalIPAddressCtx(ctx context.Context) (string, error)
	GetSpecificPortMappingEntryCtx(ctx context.Context, remote string, outside uint16, protocol string) (inside uint16, client string, enabled bool, what string, lease uint32, err error)
}

// upnp speaks the UPnP Internet Gateway Device protocol.
type upnp struct {
	router   netip.Addr
	location string // of its description; empty searches

	conn  connection
	local string // this machine's address, as the router sees it
}

func (*upnp) name() string { return "UPnP" }

type found struct {
	conn     connection
	location *url.URL
}

func (u *upnp) open(ctx context.Context) (outside netip.Addr, err error) {
	for _, f := range u.search(ctx) {
		// Whoever hears the search can answer it: only the router that packets go to counts.
		if host, err := netip.ParseAddr(f.location.Hostname()); err != nil || host.Unmap() != u.router {
			continue
		}
		text, err := f.conn.GetExternalIPAddressCtx(ctx)
		if err != nil {
			continue
		}
		u.conn, u.local = f.conn, localTo(u.router)
		outside, _ = netip.ParseAddr(text) // routers without a connection say nothing
		return outside, nil
	}
	return outside, errors.New("no router was found by UPnP")
}

// search looks for all kinds of connection.
func (u *upnp) search(ctx context.Context) (list []found) {
	var at *url.URL
	if u.location != "" {
		parsed, err := url.Parse(u.location)
		if err != nil {
			return nil
		}
		at = parsed
	}
	if clients, err := connections2(ctx, at); err == nil {
		for _, c := range clients {
			list = append(list, found{c, c.Location})
		}
	}
	if clients, err := connections1(ctx, at); err == nil && len(list) == 0 {
		for _, c := range clients {
			list = append(list, found{c, c.Location})
		}
	}
	return list
}

func connections2(ctx context.Context, at *url.URL) (list []*internetgateway2.WANIPConnection2, err error) {
	if at != nil {
		return internetgateway2.NewWANIPConnection2ClientsByURLCtx(ctx, at)
	}
	list, _, err = internetgateway2.NewWANIPConnection2ClientsCtx(ctx)
	return list, err
}

func connections1(ctx context.Context, at *url.URL) (list []*internetgateway2.WANIPConnection1, err error) {
	if at != nil {
		return internetgateway2.NewWANIPConnection1ClientsByURLCtx(ctx, at)
	}
	list, _, err = internetgateway2.NewWANIPConnection1ClientsCtx(ctx)
	return list, err
}

// localTo is this machine's address as the router sees it. Nothing is sent.
func localTo(router netip.Addr) string {
	const discard = 9 // a port that nobody uses (RFC 863)
	conn, err := net.Dial("udp", netip.AddrPortFrom(router, discard).String())
	if err != nil {
		return ""
	}
	defer func() { _ = conn.Close() }()
	return conn.LocalAddr().(*net.UDPAddr).AddrPort().Addr().Unmap().String()
}

func (u *upnp) pass(ctx context.Context, w Wanted, life time.Duration) (portmap.Mapping, error) {
	protocol := map[portmap.Protocol]string{portmap.TCP: "TCP", portmap.UDP: "UDP"}[w.Protocol]
	m := portmap.Mapping{Protocol: w.Protocol, Inside: w.Port, Outside: w.outside(), Lifetime: life}
	if life == 0 {
		return m, u.conn.DeletePortMappingCtx(ctx, "", m.Outside, protocol)
	}
	local := u.local
	if local == "" {
		return m, errors.New("it is not known by which address the router sees this machine")
	}
	lease := uint32(life / time.Second)
	err := u.conn.AddPortMappingCtx(ctx, "", m.Outside, protocol, w.Port, local, true, "Webostrum: "+w.For, lease)
	if err != nil { // some take rules without an end alone
		err = u.conn.AddPortMappingCtx(ctx, "", m.Outside, protocol, w.Port, local, true, "Webostrum: "+w.For, 0)
	}
	if err != nil {
		return m, fmt.Errorf("the router refuses: %w", err)
	}
	// What it says of the rule now is what counts.
	inside, client, enabled, _, _, err := u.conn.GetSpecificPortMappingEntryCtx(ctx, "", m.Outside, protocol)
	switch {
	case err != nil:
		return m, fmt.Errorf("the router took the rule, and does not have it: %w", err)
	case client != local || inside != w.Port:
		return m, fmt.Errorf("the router took the rule, and passes port %d on to %s, port %d", m.Outside, client, inside)
	case !enabled:
		return m, errors.New("the router took the rule, and has it switched off")
	}
	return m, nil
}
