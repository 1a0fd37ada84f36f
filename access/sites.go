package access

import (
	"errors"
	"fmt"
	"net/netip"
	"net/url"
	"strconv"
	"strings"

	"golang.org/x/net/idna"
)

// ErrSite is wrapped when a text is not a site.
var ErrSite = errors.New("not a site")

const (
	mostSites   = 64
	longestSite = 253
)

// Site is where pages are that may show a feed: an origin (RFC 6454), or all origins
// of a host, or of the hosts below one.
type Site struct {
	Scheme string // http or https; empty for both
	Host   string // in ASCII letters, lower case
	Port   string // empty for the scheme's own
	Below  bool   // the hosts below Host, and not Host itself
}

// Sites are the sites that may show something; none means all.
type Sites []Site

// ParseSites reads a list of sites.
func ParseSites(texts []string) (Sites, error) {
	if len(texts) > mostSites {
		return nil, fmt.Errorf("%w: %d sites are more than the %d that a list may have", ErrSite, len(texts), mostSites)
	}
	var s Sites
	for _, text := range texts {
		site, err := ParseSite(text)
		if err != nil {
			return nil, err
		}
		s = append(s, site)
	}
	return s, nil
}

// ParseSite reads a site: "example.org", "*.example.org", "https://example.org:8443".
// Names in other alphabets become what browsers send (RFC 5891).
func ParseSite(text string) (s Site, err error) {
	refuse := func(why string) (Site, error) { return Site{}, fmt.Errorf("%w: %q %s", ErrSite, text, why) }
	rest := strings.TrimSpace(text)
	switch {
	case rest == "":
		return refuse("is empty: write it like example.org or https://example.org:8443")
	case len(rest) > longestSite:
		return Site{}, fmt.Errorf("%w: a name of %d letters is longer than any host's", ErrSite, len(rest))
	case rest == "*":
		return refuse("is every site: leave the list empty for that")
	}
	if scheme, after, ok := strings.Cut(rest, "://"); ok {
		if s.Scheme = strings.ToLower(scheme); s.Scheme != "http" && s.Scheme != "https" {
			return refuse("has a scheme that is neither http nor https")
		}
		rest = after
	}
	rest = strings.TrimSuffix(rest, "/")
	if strings.ContainsAny(rest, "/?#") {
		return refuse("has a path: a site is a host with, at most, scheme and port; leave the rest off")
	}
	if strings.ContainsAny(rest, "@ \t\"'<>;,\\") {
		return refuse("is not a host")
	}
	if rest, s.Below = strings.CutPrefix(rest, "*."); strings.Contains(rest, "*") {
		return refuse("has a * elsewhere than at its beginning: *.example.org is what can be had")
	}
	if s.Host, s.Port, err = hostPort(rest); err != nil {
		return refuse(err.Error())
	}
	if s.Below && !strings.Contains(s.Host, ".") {
		return refuse("is every host below " + s.Host + ": name the domain, such as *.example.org")
	}
	if s.Port == defaultPort(s.Scheme) {
		s.Port = ""
	}
	return s, nil
}

func hostPort(text string) (host, port string, err error) {
	host = text
	if at := strings.LastIndexByte(text, ':'); at >= 0 && !strings.HasSuffix(text, "]") {
		host, port = text[:at], text[at+1:]
		if n, err := strconv.ParseUint(port, 10, 16); err != nil || n == 0 {
			return "", "", errors.New("has a port that is not 1 to 65535")
		}
	}
	if inner, ok := strings.CutPrefix(host, "["); ok {
		ip, err := netip.ParseAddr(strings.TrimSuffix(inner, "]"))
		if err != nil || ip.Zone() != "" {
			return "", "", errors.New("is not a host")
		}
		return "[" + ip.String() + "]", port, nil
	}
	ascii, err := hosts.ToASCII(host)
	if err == nil { // what comes out must be one, too: not every name that is mapped is
		_, err = hosts.ToASCII(ascii)
	}
	if err != nil || ascii == "" {
		return "", "", errors.New("is not a host that there can be")
	}
	return strings.ToLower(ascii), port, nil
}

// hosts reads names as browsers do, and refuses what DNS has no room for.
var hosts = idna.New(idna.MapForLookup(), idna.BidiRule(), idna.VerifyDNSLength(true), idna.StrictDomainName(true))

func defaultPort(scheme string) string {
	return map[string]string{"http": "80", "https": "443"}[scheme]
}

// String is how the site is written.
func (s Site) String() string {
	text := s.Host
	if s.Below {
		text = "*." + text
	}
	if s.Scheme != "" {
		text = s.Scheme + "://" + text
	}
	if s.Port != "" {
		text += ":" + s.Port
	}
	return text
}

// Strings are how sites are written.
func (s Sites) Strings() []string {
	list := make([]string, len(s))
	for i, site := range s {
		list[i] = site.String()
	}
	return list
}

// Has says whether an origin, as browsers send it, is one of the sites.
func (s Sites) Has(origin string) bool {
	u, err := url.Parse(origin)
	if err != nil || u.Host == "" {
		return false
	}
	for _, site := range s {
		if site.has(u) {
			return true
		}
	}
	return false
}

func (s Site) has(u *url.URL) bool {
	scheme := strings.ToLower(u.Scheme)
	if scheme != "http" && scheme != "https" || s.Scheme != "" && s.Scheme != scheme {
		return false
	}
	port := u.Port()
	if port == defaultPort(scheme) {
		port = ""
	}
	if port != s.Port {
		return false
	}
	host := strings.ToLower(u.Hostname())
	if strings.Contains(host, ":") {
		host = "[" + host + "]"
	}
	if s.Below {
		return strings.HasSuffix(host, "."+s.Host)
	}
	return host == s.Host
}

// Ancestors are the sites as sources of a Content-Security-Policy's frame-ancestors
// (CSP 3, 6.4.2.1); empty for all, which no source says: "*" leaves pages without an
// origin out.
func (s Sites) Ancestors() string {
	if len(s) == 0 {
		return ""
	}
	sources := []string{"'self'"}
	for _, site := range s {
		for _, scheme := range []string{"http", "https"} {
			if site.Scheme == "" || site.Scheme == scheme {
				site := site
				site.Scheme = scheme
				sources = append(sources, site.String())
			}
		}
	}
	return strings.Join(sources, " ")
}

// Asker is what a request says of the page that makes it.
type Asker struct {
	Host      string // that the request was made to
	Origin    string
	Referer   string
	FetchSite string // Sec-Fetch-Site (Fetch Metadata); browsers send it to HTTPS and to this machine
	FetchDest string // Sec-Fetch-Dest

	// Part says that it is asked for a part of something, whose name nobody knows who was
	// not let in to the whole: a segment. WebKit's own HLS does not say from where it asks
	// for those.
	Part bool
}

// Allow says whether a request comes from a page that may show what it asks for: one of
// the service's own, or of the sites. Somebody who opens an address by hand, and a
// program that is no browser, come from no page. A page that hides where it is may not.
func (s Sites) Allow(a Asker) bool {
	if len(s) == 0 || a.FetchDest == "document" || a.FetchSite == "same-origin" || a.FetchSite == "none" {
		return true
	}
	from := a.Origin
	if from == "" {
		from = a.Referer
	}
	if from == "" {
		return a.FetchSite == "" || a.Part
	}
	u, err := url.Parse(from)
	if err != nil {
		return false
	}
	return strings.EqualFold(u.Host, a.Host) || s.Has(from)
}
