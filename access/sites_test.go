package access_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/access"
)

func TestParseSite(t *testing.T) {
	t.Parallel()
	for text, want := range map[string]string{
		"example.org":               "example.org",
		" Example.ORG/ ":            "example.org",
		"*.example.org":             "*.example.org",
		"https://example.org:8443":  "https://example.org:8443",
		"https://example.org:443":   "https://example.org",
		"http://example.org:80/":    "http://example.org",
		"bücher.example":            "xn--bcher-kva.example",
		"https://*.例え.テスト":          "https://*.xn--r8jz45g.xn--zckzah",
		"localhost:5173":            "localhost:5173",
		"192.0.2.7:8080":            "192.0.2.7:8080",
		"http://[2001:DB8::1]:8080": "http://[2001:db8::1]:8080",
	} {
		s, err := access.ParseSite(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, s.String(), text)
		again, err := access.ParseSite(s.String())
		require.NoError(t, err, text)
		assert.Equal(t, s, again, "it is read as it is written")
	}
	for text, why := range map[string]string{
		"": "is empty", "*": "every site", "example.org/page": "has a path", "https://example.org?x": "has a path",
		"ftp://example.org": "neither http nor https", "a.*.org": "elsewhere than at its beginning", "*.org": "every host below",
		"example.org:0": "port", "example.org:70000": "port", "example.org:x": "port", "user@example.org": "not a host",
		"exa mple.org": "not a host", "https://": "not a host", "[::1": "not a host", "example..org": "not a host", "'self'": "not a host", "a;b": "not a host",
		"-bad-.example": "not a host", strings.Repeat("a", 300): "longer than",
	} {
		_, err := access.ParseSite(text)
		require.ErrorIs(t, err, access.ErrSite, text)
		assert.ErrorContains(t, err, why, text)
	}
	_, err := access.ParseSites(make([]string, 65))
	assert.ErrorContains(t, err, "more than the 64")
}

func sites(t *testing.T, texts ...string) access.Sites {
	t.Helper()
	s, err := access.ParseSites(texts)
	require.NoError(t, err)
	return s
}

func TestSitesHave(t *testing.T) {
	t.Parallel()
	s := sites(t, "example.org", "*.parks.example", "https://secure.example:8443", "[::1]:80")
	for origin, want := range map[string]bool{
		"http://example.org": true, "https://example.org": true, "https://EXAMPLE.org:443": true, "http://example.org:8080": false,
		"https://www.example.org": false, "https://a.parks.example": true, "https://a.b.parks.example": true, "https://parks.example": false,
		"https://notparks.example": false, "https://secure.example:8443": true, "http://secure.example:8443": false, "https://secure.example": false,
		"null": false, "": false, "file://example.org": false, "https://example.org.evil.example": false, "::": false,
		"https://example.org/some/page?x=1": true, // a Referer
	} {
		assert.Equal(t, want, s.Has(origin), origin)
	}
}

func TestAncestors(t *testing.T) {
	t.Parallel()
	assert.Empty(t, access.Sites(nil).Ancestors())
	assert.Equal(t, "'self' http://example.org https://example.org https://*.parks.example:8443", sites(t, "example.org", "https://*.parks.example:8443").Ancestors())
}

func TestAllow(t *testing.T) {
	t.Parallel()
	const own = "cams.example:7600"
	s := sites(t, "example.org")
	for name, tt := range map[string]struct {
		asker access.Asker
		want  bool
	}{
		"a page of the site, by script":          {access.Asker{Origin: "https://example.org", FetchSite: "cross-site"}, true},
		"a page of the site, by an image":        {access.Asker{Referer: "https://example.org/", FetchSite: "cross-site"}, true},
		"the same where no metadata is sent":     {access.Asker{Referer: "http://example.org/page"}, true},
		"a page elsewhere":                       {access.Asker{Origin: "https://evil.example", FetchSite: "cross-site"}, false},
		"an image elsewhere":                     {access.Asker{Referer: "https://evil.example/"}, false},
		"a page elsewhere that claims a Referer": {access.Asker{Origin: "https://evil.example", Referer: "https://example.org/"}, false},
		"a page that hides where it is":          {access.Asker{FetchSite: "cross-site"}, false},
		"another port of this host that hides":   {access.Asker{FetchSite: "same-site"}, false},
		"a sandboxed page":                       {access.Asker{Origin: "null", FetchSite: "cross-site"}, false},
		"the service's own page":                 {access.Asker{Origin: "http://" + own, FetchSite: "same-origin"}, true},
		"the same behind a proxy that ends TLS":  {access.Asker{Referer: "https://" + own + "/watch/gate"}, true},
		"somebody who typed the address":         {access.Asker{FetchSite: "none", FetchDest: "document"}, true},
		"somebody who follows a link":            {access.Asker{Referer: "https://evil.example/", FetchSite: "cross-site", FetchDest: "document"}, true},
		"a program":                              {access.Asker{}, true},
		"a segment, by WebKit's own HLS":         {access.Asker{FetchSite: "cross-site", FetchDest: "video", Part: true}, true},
		"a segment, by a page elsewhere":         {access.Asker{Origin: "https://evil.example", FetchSite: "cross-site", Part: true}, false},
		"a Referer that is no address":           {access.Asker{Referer: "http://%zz"}, false},
	} {
		tt.asker.Host = own
		assert.Equal(t, tt.want, s.Allow(tt.asker), name)
		assert.True(t, access.Sites(nil).Allow(tt.asker), name)
	}
}

func FuzzParseSite(f *testing.F) {
	for _, s := range []string{"example.org", "*.example.org", "https://[::1]:1", "http://a:b@c", "xn--", "\x00", "é.example"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		s, err := access.ParseSite(text)
		if err != nil {
			return
		}
		again, err := access.ParseSite(s.String())
		require.NoError(t, err, "%q was read as %q", text, s)
		assert.Equal(t, s, again)
		assert.NotContains(t, access.Sites{s}.Ancestors(), ";", "it cannot end the directive")
		assert.NotRegexp(t, `[\s'"]`, s.String())
	})
}
