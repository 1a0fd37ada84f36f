package api_test

import (
	"context"
	"image/color"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/core/httpauth"
	"webostrum/testkit/pictures"
	"webostrum/testkit/webcam"
)

// addMotionJPEG adds a feed of a camera that sends Motion JPEG.
func (w *world) addMotionJPEG(name string) *webcam.Camera {
	w.t.Helper()
	picture := pictures.JPEG(64, 48, color.RGBA{R: 200})
	c := webcam.Serve(w.t, func(conn net.Conn, r *http.Request) {
		if r.URL.Path != "/video" {
			webcam.Say(conn, "HTTP/1.1 200 OK\r\nContent-Length: 7\r\n\r\nsize=ok")
			return
		}
		webcam.Film(conn, 20*time.Millisecond, picture)
	})
	_, err := client.New(w.url, w.engineer).AddFeed(context.Background(), apitypes.NewFeed{Name: name, FeedSettings: apitypes.Defaults(c.URL)})
	require.NoError(w.t, err)
	return c
}

const still = "/media/yard/still.jpg"

// offers returns the challenges that somebody without a sign-in gets.
func (w *world) offers(path string) []httpauth.Challenge {
	w.t.Helper()
	res, _ := w.do("GET", path, "", nil)
	require.Equal(w.t, 401, res.StatusCode)
	return httpauth.ParseChallenges(res.Header.Values("WWW-Authenticate"))
}

func TestBasicAndDigest(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	offers := w.offers(still)
	var schemes []string
	for _, c := range offers {
		schemes = append(schemes, c.Scheme+" "+c.Algorithm)
	}
	require.Equal(t, []string{"digest SHA-256", "digest MD5", "basic ", "bearer "}, schemes, "the strongest first")
	for _, offer := range offers[:3] {
		for secret, want := range map[string]int{password: 200, "wrong-" + password: 401} {
			c := httpauth.Client{User: "guest", Password: secret}
			_, err := c.Challenged([]string{offer.Header()})
			require.NoError(t, err)
			res, body := w.do("GET", still, "", nil, "Authorization", c.Authorization("GET", still, "abc"))
			assert.Equal(t, want, res.StatusCode, "%s %s: %s", offer.Scheme, offer.Algorithm, body)
			if want == 401 {
				assert.Contains(t, body, "sign-in-refused")
			}
		}
	}
}

func TestDigestIsForOneAddressAndOneWhile(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	c := httpauth.Client{User: "guest", Password: password}
	_, err := c.Challenged([]string{w.offers(still)[0].Header()})
	require.NoError(t, err)
	for _, other := range []string{still + "?size=32x", "/media/yard/mjpeg"} {
		res, _ := w.do("GET", other, "", nil, "Authorization", c.Authorization("GET", still, "abc"))
		assert.Equal(t, 401, res.StatusCode, "an answer for another address")
	}
	foreign := httpauth.Challenge{Scheme: "digest", Realm: "webostrum", Nonce: "made-elsewhere", Algorithm: "MD5", QOP: "auth"}
	c = httpauth.Client{User: "guest", Password: password}
	_, err = c.Challenged([]string{foreign.Header()})
	require.NoError(t, err)
	res, _ := w.do("GET", still, "", nil, "Authorization", c.Authorization("GET", still, "abc"))
	assert.Equal(t, 401, res.StatusCode, "a nonce that is not ours")
}

func TestPlainSignInOpensMediaAlone(t *testing.T) {
	t.Parallel()
	w := start(t)
	basic := func(user, secret string) string {
		r, _ := http.NewRequest("GET", "/", nil)
		r.SetBasicAuth(user, secret)
		return r.Header.Get("Authorization")
	}
	res, _ := w.do("GET", "/api/v1/feeds", "", nil, "Authorization", basic("engineer", password))
	assert.Equal(t, 401, res.StatusCode, "no page of another site may use it to change anything")

	w.addMotionJPEG("yard")
	res, _ = w.do("GET", "/media/nowhere/still.jpg", "", nil, "Authorization", basic("guest", password))
	assert.Equal(t, 403, res.StatusCode, "no more than of a feed that is not theirs")
	res, _ = w.do("GET", still, "", nil, "Sec-Fetch-Mode", "no-cors")
	assert.Equal(t, []string{`Bearer realm="webostrum"`}, res.Header.Values("WWW-Authenticate"), "no box that asks for a password within a page")

	for range 4 {
		res, _ = w.do("GET", still, "", nil, "Authorization", basic("guest", "guess"))
		require.Equal(t, 401, res.StatusCode)
	}
	res, _ = w.do("GET", still, "", nil, "Authorization", basic("guest", password))
	assert.Equal(t, 429, res.StatusCode, "guessing is slowed down")
	assert.NotEmpty(t, res.Header.Get("Retry-After"))
}

func TestLinks(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	w.addFeed("gate", false)
	c, ctx := client.New(w.url, w.engineer), context.Background()
	l, err := c.AddLink(ctx, "yard", apitypes.NewLink{Name: "wall-panel"})
	require.NoError(t, err)
	res, _ := w.do("GET", l.Media+"still.jpg", "", nil)
	assert.Equal(t, 200, res.StatusCode)
	res, _ = w.do("GET", strings.Replace(l.Media, "yard", "gate", 1)+"still.jpg", "", nil)
	assert.Equal(t, 403, res.StatusCode, "it opens one feed")
	res, _ = w.do("GET", "/media/yard/link/GUESSED/still.jpg", "", nil)
	assert.Equal(t, 404, res.StatusCode)
	_, err = c.AddLink(ctx, "yard", apitypes.NewLink{Name: "wall-panel"})
	assert.ErrorContains(t, err, "already")
	list, err := c.Links(ctx, "yard")
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, l.Text, list[0].Text, "it can be shown again")
	require.NoError(t, c.RemoveLink(ctx, "yard", "wall-panel"))
	res, _ = w.do("GET", l.Media+"still.jpg", "", nil)
	assert.Equal(t, 410, res.StatusCode)
}

func TestAccounts(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addMotionJPEG("yard")
	c, ctx := client.New(w.url, w.engineer), context.Background()
	_, err := c.AddAccount(ctx, apitypes.NewAccount{Name: "panel", Role: "viewer", Password: "short"})
	require.Error(t, err)
	a, err := c.AddAccount(ctx, apitypes.NewAccount{Name: "panel", Role: "viewer", Password: "long-enough"})
	require.NoError(t, err)
	assert.Equal(t, "viewer", a.Role)
	_, err = c.AddAccount(ctx, apitypes.NewAccount{Name: "panel", Password: "long-enough"})
	assert.ErrorContains(t, err, "already")
	see := func(secret string) int {
		r, _ := http.NewRequest("GET", "/", nil)
		r.SetBasicAuth("panel", secret)
		res, _ := w.do("GET", still, "", nil, "Authorization", r.Header.Get("Authorization"))
		return res.StatusCode
	}
	assert.Equal(t, 200, see("long-enough"))
	require.NoError(t, c.SetPassword(ctx, "panel", "another-heron"))
	assert.Equal(t, 401, see("long-enough"))
	assert.Equal(t, 200, see("another-heron"))
	list, err := c.Accounts(ctx)
	require.NoError(t, err)
	assert.Len(t, list, 3)
	require.NoError(t, c.RemoveAccount(ctx, "panel"))
	assert.Equal(t, 401, see("another-heron"))
	assert.ErrorContains(t, c.RemoveAccount(ctx, "panel"), "no account")
	assert.ErrorContains(t, c.RemoveAccount(ctx, "engineer"), "cannot be removed")
	assert.Error(t, client.New(w.url, w.viewer).RemoveAccount(ctx, "guest"), "viewers change nothing")
}
