package httpauth_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/httpauth"
)

// The example of RFC 7616, section 3.9.1.
const (
	rfcRealm  = "http-auth@example.org"
	rfcNonce  = "7ypf/xlj9XXwfDPEoM4URrv/xwf94BcCAzFZH4GiTo0v"
	rfcOpaque = "FQhe/qaU925kfnzjCev0ciny7QMkPqMAFRtzCUYo5tdS"
	rfcCnonce = "f2/wE4q74E6zIJEtWaHKaf5wv/H5QzzpXusqGemxURZJ"
)

func rfcChallenge(algorithm string) string {
	return `Digest realm="` + rfcRealm + `", qop="auth, auth-int", algorithm=` + algorithm + `, nonce="` + rfcNonce + `", opaque="` + rfcOpaque + `"`
}

func TestExamplesOfRFC7616(t *testing.T) {
	for algorithm, response := range map[string]string{
		"MD5":     "8ca523f5e9506fed4657c9700eebdbec",
		"SHA-256": "753927fa0e85d155564e2e272a28d1802ca10daf4496794697cf8db5856cb6c1",
	} {
		c := httpauth.Client{User: "Mufasa", Password: "Circle of Life"}
		again, err := c.Challenged([]string{rfcChallenge(algorithm)})
		require.NoError(t, err)
		assert.True(t, again)
		got := c.Authorization("GET", "/dir/index.html", rfcCnonce)
		assert.Contains(t, got, `response="`+response+`"`, algorithm)
		assert.Contains(t, got, "nc=00000001")
	}
}

// The example of RFC 2617, section 3.5, without qop: RFC 2069.
func TestWithoutQOP(t *testing.T) {
	c := httpauth.Client{User: "Mufasa", Password: "CircleOfLife"}
	_, err := c.Challenged([]string{`Digest realm="testrealm@host.com", nonce="dcd98b7102dd2f0e8b11d0f600bfb0c093", opaque="5ccc069c403ebaf9f0171e9517f40e41"`})
	require.NoError(t, err)
	got := c.Authorization("GET", "/dir/index.html", "x")
	assert.Contains(t, got, `response="1949323746fe6a43ef61f9606e7febea"`)
	assert.NotContains(t, got, "nc=")
}

func TestStrongestChallengeIsTaken(t *testing.T) {
	tests := []struct {
		name   string
		offers []string
		want   string
	}{
		{"in one header", []string{`Basic realm="a", Digest realm="b", nonce="n", algorithm=SHA-256`}, "algorithm=SHA-256"},
		{"in several", []string{`Digest realm="b", nonce="n"`, `Digest realm="b", nonce="n", algorithm=SHA-256`}, "algorithm=SHA-256"},
		{"unknown algorithm", []string{`Digest realm="b", nonce="n", algorithm=SHA-512-256`, `Basic realm="a"`}, "Basic "},
		{"quoted comma", []string{`Digest realm="a, b", nonce="n"`}, `realm="a, b"`},
		{"scheme alone", []string{`Negotiate`, `Basic realm="x"`}, "Basic dTpw"},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := httpauth.Client{User: "u", Password: "p"}
			_, err := c.Challenged(tt.offers)
			require.NoError(t, err)
			assert.Contains(t, c.Authorization("DESCRIBE", "rtsp://h/a", "x"), tt.want)
		})
	}
	c := httpauth.Client{User: "u"}
	_, err := c.Challenged([]string{"Negotiate"})
	assert.ErrorIs(t, err, httpauth.ErrNoScheme)
}

func TestRefusedTwiceIsRefused(t *testing.T) {
	c := httpauth.Client{User: "u", Password: "p"}
	offer := []string{`Digest realm="r", nonce="one"`}
	again, err := c.Challenged(offer)
	require.NoError(t, err)
	require.True(t, again)
	c.Authorization("OPTIONS", "*", "x")
	again, err = c.Challenged(offer)
	require.NoError(t, err)
	assert.False(t, again, "the same challenge after an answer: the password is wrong")
	again, _ = c.Challenged([]string{`Digest realm="r", nonce="two", stale=true`})
	assert.True(t, again, "only the nonce has gone stale")
}

func TestCheck(t *testing.T) {
	for _, ch := range []httpauth.Challenge{
		{Scheme: "basic", Realm: "r"},
		{Scheme: "digest", Realm: "r", Nonce: "n"},
		{Scheme: "digest", Realm: "r", Nonce: "n", QOP: "auth", Algorithm: "SHA-256"},
		{Scheme: "digest", Realm: "r", Nonce: "n", QOP: "auth", Algorithm: "MD5-sess"},
	} {
		c := httpauth.Client{User: "u", Password: `p"w`}
		_, err := c.Challenged([]string{ch.Header()})
		require.NoError(t, err)
		a := c.Authorization("PLAY", "rtsp://h/a", "cn")
		assert.True(t, ch.Check(a, "PLAY", "u", `p"w`), ch.Header())
		assert.False(t, ch.Check(a, "PLAY", "u", "other"), ch.Header())
		assert.False(t, ch.Check(a, "PLAY", "other", `p"w`), ch.Header())
		assert.False(t, ch.Check("", "PLAY", "u", `p"w`), ch.Header())
	}
}

func FuzzChallenges(f *testing.F) {
	f.Add(rfcChallenge("MD5"))
	f.Add(`Basic realm="a\"b", Digest nonce=x`)
	f.Fuzz(func(t *testing.T, header string) {
		for _, c := range httpauth.ParseChallenges([]string{header}) {
			_ = c.Check(header, "GET", "u", "p")
		}
		c := httpauth.Client{User: "u", Password: "p"}
		if _, err := c.Challenged([]string{header}); err == nil {
			if a := c.Authorization("GET", "/", "x"); a == "" {
				t.Fatal("a challenge was taken and not answered")
			}
		}
	})
}

// FuzzParseAnswer has any text be read, and none be right.
func FuzzParseAnswer(f *testing.F) {
	f.Add("Basic dTpw")
	f.Add(`Digest username="u", realm="r", nonce="n", uri="/", response="00", qop=auth, nc=00000001, cnonce="c"`)
	f.Fuzz(func(t *testing.T, text string) {
		a := httpauth.ParseAnswer(text)
		for _, c := range []httpauth.Challenge{{Scheme: "digest", Realm: "r", Nonce: "n", QOP: "auth"}, {Scheme: "basic", Realm: "r", Algorithm: "SHA-256"}} {
			if c.Answers(a, "GET", "no hash is this") {
				t.Errorf("%q opens %s", text, c.Scheme)
			}
		}
	})
}
