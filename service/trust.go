package service

import (
	"net/url"
	"slices"
	"strings"

	"webostrum/certs"
)

// unnamed is a name that the service is come to by and a certificate is not for; empty when
// it is for all.
func unnamed(has, names []string, outside *url.URL) string {
	want := slices.Clone(names)
	if outside != nil && outside.Scheme == "https" {
		want = append(want, outside.Hostname())
	}
	for _, name := range want {
		if !slices.ContainsFunc(has, func(h string) bool { return fits(h, name) }) {
			return name
		}
	}
	return ""
}

// fits says whether a certificate's name is for a host, with a star for its first label
// (RFC 9525, 6.3).
func fits(name, host string) bool {
	if strings.EqualFold(name, host) {
		return true
	}
	rest, star := strings.CutPrefix(name, "*.")
	_, after, ok := strings.Cut(host, ".")
	return star && ok && strings.EqualFold(rest, after)
}

// ownFingerprint is that of the service's own authority; empty without one.
func ownFingerprint(source certs.Source) string {
	own, ok := source.(*certs.Own)
	if !ok {
		return ""
	}
	return certs.Fingerprint(own.Root())
}
