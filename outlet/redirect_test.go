package outlet

import (
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
)

// TestThePasswordGoesToItsServerAlone: another port of the same host may be somebody else's.
func TestThePasswordGoesToItsServerAlone(t *testing.T) {
	other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		t.Errorf("%s %s came, with %q", r.Method, r.URL, r.Header.Get("Authorization"))
	}))
	defer other.Close()
	var got []string
	named := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, password, _ := r.BasicAuth()
		got = append(got, r.URL.Path+" "+password)
		switch r.URL.Path {
		case "/dav/away.m3u8":
			http.Redirect(w, r, other.URL+"/stolen", http.StatusTemporaryRedirect)
		case "/dav/moved.m3u8":
			http.Redirect(w, r, "/dav/here.m3u8", http.StatusTemporaryRedirect)
		}
	}))
	defer named.Close()
	p, err := placeOf(named.URL+"/dav", "someuser", "opensesame", "")
	require.NoError(t, err)
	err = p.put(t.Context(), "away.m3u8", "", []byte("list"))
	assert.Equal(t, fault.OutletFailed, fault.As(err).Kind.Code)
	assert.ErrorContains(t, err, "points to another server")
	require.NoError(t, p.put(t.Context(), "moved.m3u8", "", []byte("list")))
	assert.Equal(t, []string{"/dav/away.m3u8 opensesame", "/dav/moved.m3u8 opensesame", "/dav/here.m3u8 opensesame"}, got)
}
