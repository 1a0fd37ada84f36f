package api

import (
	"context"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"webostrum/apitypes"
	"webostrum/core/reach"
	"webostrum/netif"
)

// Who gets to an address.
const (
	reachMachine = "machine"
	reachNetwork = "network"
	reachOutside = "outside"
)

// reachOf says who gets to a host, as far as its name or address tells.
func reachOf(host string) string {
	name := strings.TrimSuffix(strings.ToLower(strings.Trim(host, "[]")), ".")
	ip, err := netip.ParseAddr(name)
	if err != nil {
		switch {
		case name == "localhost" || strings.HasSuffix(name, ".localhost"):
			return reachMachine
		case !strings.Contains(name, ".") || strings.HasSuffix(name, ".local") || strings.HasSuffix(name, ".internal") || strings.HasSuffix(name, ".home.arpa"):
			return reachNetwork
		}
		return reachOutside
	}
	switch ip = ip.Unmap(); {
	case ip.IsLoopback() || ip.IsUnspecified():
		return reachMachine
	case reach.Inner(ip):
		return reachNetwork
	}
	return reachOutside
}

// baseOf is the address that a request came by, without a slash at its end.
func (a *API) baseOf(r *http.Request) string {
	scheme := "http"
	if a.secure(r) {
		scheme = "https"
	}
	return scheme + "://" + r.Host + a.cfg.Front.Base
}

// secure says whether a request's browser came over HTTPS.
func (a *API) secure(r *http.Request) bool {
	return r.TLS != nil || a.cfg.Secure || a.forwardedHTTPS(r)
}

// outside is the address that viewers outside come by; empty when it is not known.
func (a *API) outside() string {
	o := a.cfg.Front.Outside
	if o == nil {
		return ""
	}
	return o.Scheme + "://" + o.Host + a.cfg.Front.Base
}

type proxiedKey struct{}

// forwardedHTTPS says whether a trusted proxy took a request in over HTTPS.
func (a *API) forwardedHTTPS(r *http.Request) bool {
	trusted, _ := r.Context().Value(proxiedKey{}).(bool)
	return trusted && strings.EqualFold(strings.TrimSpace(r.Header.Get("X-Forwarded-Proto")), "https")
}

// ownBase notes the address that an operation was asked by.
type ownBase struct{ request *http.Request }

// Resolve implements huma.Resolver.
func (b *ownBase) Resolve(ctx huma.Context) []error {
	b.request = humagin.Unwrap(ctx).Request
	return nil
}

func (a *API) listAddresses(_ context.Context, in *struct{ ownBase }) (*struct{ Body apitypes.AddressList }, error) {
	own := a.baseOf(in.request)
	out := apitypes.AddressList{Addresses: []apitypes.Address{{URL: own, Reach: reachOf(hostOnly(in.request.Host)), Own: true}}}
	if outside := a.outside(); outside != "" && outside != own {
		out.Addresses = append(out.Addresses, apitypes.Address{URL: outside, Reach: reachOf(a.cfg.Front.Outside.Hostname()), Outside: true})
	}
	for _, at := range a.others() {
		if at != own {
			out.Addresses = append(out.Addresses, apitypes.Address{URL: at, Reach: reachOfURL(at)})
		}
	}
	out.Addresses[0].Outside = own == a.outside()
	return &struct{ Body apitypes.AddressList }{out}, nil
}

// reachOfURL is reachOf for an address.
func reachOfURL(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return reachOutside
	}
	return reachOf(u.Hostname())
}

func hostOnly(hostPort string) string {
	if host, _, err := net.SplitHostPort(hostPort); err == nil {
		return host
	}
	return hostPort
}

const mostAddresses = 8

// others are the addresses of this machine that the service listens at, over HTTP.
func (a *API) others() (list []string) {
	tcp, ok := a.cfg.Listen.(*net.TCPAddr)
	if !ok {
		return nil
	}
	at := func(ip string) string {
		return "http://" + net.JoinHostPort(ip, strconv.Itoa(tcp.Port)) + a.cfg.Front.Base
	}
	if !tcp.IP.IsUnspecified() {
		return []string{at(tcp.IP.String())}
	}
	for _, ip := range netif.Addresses() {
		if len(list) < mostAddresses {
			list = append(list, at(ip.String()))
		}
	}
	return list
}
