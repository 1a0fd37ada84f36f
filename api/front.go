package api

import (
	"context"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"webostrum/core/fault"
	"webostrum/deliver/problem"
)

// Front is how the service is come to.
type Front struct {
	Outside   *url.URL // address that viewers outside come by; nil when it is not known
	Base      string   // path that everything is under, such as /cameras; empty for none
	Names     []string // host names that it answers to, besides that of Outside; none means all
	HTTPSPort int      // of its own HTTPS; 0 for none

	HTTPSListen, ViewersListen string // addresses that are listened on; empty for none

	Redirect bool          // whether plain HTTP is sent on to HTTPS
	HSTS     time.Duration // that browsers are told to come by HTTPS alone (RFC 6797); 0 for not at all
}

// at is a path of the service's as pages write it.
func (a *API) at(path string) string { return a.cfg.Front.Base + path }

// fronted looks at how a request has come before anything else does.
func (a *API) fronted(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !a.ourHost(r.Host) {
			problem.Write(w, fault.New(fault.HostForeign, nil, ""))
			return
		}
		secure := a.secure(r)
		if a.cfg.Front.HSTS > 0 && secure {
			w.Header().Set("Strict-Transport-Security", "max-age="+strconv.Itoa(int(a.cfg.Front.HSTS.Seconds())))
		}
		if a.cfg.Front.Redirect && !secure && a.redirects(w, r) {
			return
		}
		next.ServeHTTP(w, a.unbased(r))
	})
}

// unbased takes the base path off a request. A proxy in front may have done so already, and
// inside it need not be written.
func (a *API) unbased(r *http.Request) *http.Request {
	base := a.cfg.Front.Base
	rest, ok := strings.CutPrefix(r.URL.Path, base)
	if base == "" || !ok || rest != "" && rest[0] != '/' {
		return r
	}
	u := *r.URL
	u.Path, u.RawPath = "/"+strings.TrimPrefix(rest, "/"), ""
	if raw, ok := strings.CutPrefix(r.URL.RawPath, base); ok && raw != "" {
		u.RawPath = raw
	}
	r = r.Clone(r.Context())
	r.URL = &u
	return r
}

// ourHost says whether a request is for this service by the name that it gives. Addresses
// are: no page of another site can have its name lead here and be asked for by an address.
func (a *API) ourHost(hostPort string) bool {
	f := a.cfg.Front
	if len(f.Names) == 0 {
		return true
	}
	host := strings.TrimSuffix(strings.ToLower(strings.Trim(hostOnly(hostPort), "[]")), ".")
	if _, err := netip.ParseAddr(host); err == nil || host == "localhost" || host == "" {
		return true
	}
	same := func(name string) bool { return strings.EqualFold(name, host) }
	return slices.ContainsFunc(f.Names, same) || f.Outside != nil && same(f.Outside.Hostname())
}

// stays are paths that are answered over plain HTTP whatever else is sent on: probes, what
// tells whether a port is reached, and how the authority is come to be trusted.
var stays = []string{"/healthz", "/readyz", "/reach", "/trust"}

// redirects sends a request on to HTTPS. Programs on this machine stay, and so does what
// must be had without.
func (a *API) redirects(w http.ResponseWriter, r *http.Request) bool {
	host := hostOnly(r.Host)
	if reachOf(host) == reachMachine || a.cfg.Front.HTTPSPort == 0 {
		return false
	}
	p := a.unbased(r).URL.Path
	for _, s := range stays {
		if p == s || strings.HasPrefix(p, s+"/") {
			return false
		}
	}
	to := url.URL{Scheme: "https", Host: net.JoinHostPort(strings.Trim(host, "[]"), strconv.Itoa(a.httpsPort(host))), Path: r.URL.Path, RawPath: r.URL.RawPath, RawQuery: r.URL.RawQuery}
	if to.Port() == "443" {
		to.Host = strings.TrimSuffix(to.Host, ":443")
	}
	w.Header().Set("Cache-Control", "no-store")
	http.Redirect(w, r, to.String(), http.StatusPermanentRedirect)
	return true
}

// httpsPort is the port of HTTPS as whoever comes by a host reaches it: outside, a router
// may have given it another number.
func (a *API) httpsPort(host string) int {
	o := a.cfg.Front.Outside
	if o == nil || o.Scheme != "https" || !strings.EqualFold(o.Hostname(), host) {
		return a.cfg.Front.HTTPSPort
	}
	return portOf(o)
}

// portOf is the port of an address.
func portOf(u *url.URL) int {
	if port, err := strconv.Atoi(u.Port()); err == nil {
		return port
	}
	if u.Scheme == "https" {
		return 443
	}
	return 80
}

type viewersKey struct{}

// viewersOnly says whether a request has come by the address that is for viewers alone.
func viewersOnly(r *http.Request) bool {
	only, _ := r.Context().Value(viewersKey{}).(bool)
	return only
}

// shownToViewers are the rooms that the viewers' address has.
var shownToViewers = []string{"watch", "embed", "wall", "media", "player", "oembed", "reach", "trust", "healthz"}

// Viewers serves pages and media to viewers, and nothing of console and API: nobody signs
// in there, and what is sent of a sign-in is not looked at.
func (a *API) Viewers() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked := a.unbased(r).URL.Path
		room, _, _ := strings.Cut(strings.TrimPrefix(asked, "/"), "/")
		if !slices.Contains(shownToViewers, room) || path.Clean(asked) != strings.TrimSuffix(asked, "/") {
			problem.Write(w, fault.New(fault.PageUnknown, nil, ""))
			return
		}
		r = r.Clone(context.WithValue(r.Context(), viewersKey{}, true))
		r.Header.Del("Authorization")
		r.Header.Del("Cookie")
		a.ServeHTTP(w, r)
	})
}
