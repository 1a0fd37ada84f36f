package api

import (
	"context"
	"net/http"
	"net/netip"
	"strings"
)

// addressed puts the address of the client into a request, where a trusted proxy has told
// it. The addresses in X-Forwarded-For are read from the end, as long as they are of
// trusted proxies themselves: what stands before the first other one is only claimed.
func (a *API) addressed(next http.Handler) http.Handler {
	if len(a.cfg.TrustedProxies) == 0 {
		return next
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if at := a.forwarded(r); at.IsValid() {
			r = r.Clone(context.WithValue(r.Context(), proxiedKey{}, true))
			r.RemoteAddr = netip.AddrPortFrom(at, 0).String()
		}
		next.ServeHTTP(w, r)
	})
}

func (a *API) forwarded(r *http.Request) (client netip.Addr) {
	from, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil || !a.trusts(from.Addr().Unmap()) {
		return client
	}
	list := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(list) - 1; i >= 0; i-- {
		at, err := netip.ParseAddr(strings.TrimSpace(list[i]))
		if err != nil {
			return client
		}
		client = at.Unmap()
		if !a.trusts(client) {
			return client
		}
	}
	return client
}

func (a *API) trusts(at netip.Addr) bool {
	for _, p := range a.cfg.TrustedProxies {
		if p.Contains(at) {
			return true
		}
	}
	return false
}
