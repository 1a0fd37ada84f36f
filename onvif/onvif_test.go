package onvif_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/onvif"
	"webostrum/sim/device"
)

func play(t *testing.T, q device.Quirks) *url.URL {
	t.Helper()
	u, err := url.Parse(playing(t, q).URL())
	require.NoError(t, err)
	return u
}

func playing(t *testing.T, q device.Quirks) *device.Device {
	t.Helper()
	d, err := device.New(device.Config{
		Listen: "127.0.0.1:0", ID: "urn:uuid:1", Name: "Passing loop", Hardware: "PL 2", User: "viewer", Password: "funicular", Quirks: q,
		Streams: []device.Stream{
			{Token: "1", Name: "main", Codec: "H264", Width: 1280, Height: 720, FrameRate: 25, Kilobits: 2000, Group: 50, URL: "rtsp://127.0.0.1:7654/main", Still: "http://127.0.0.1/still.jpg"},
			{Token: "2", Name: "small", Codec: "H264", Width: 640, Height: 360, FrameRate: 10, Kilobits: 300, Group: 20, URL: "rtsp://198.51.100.9:554/small"},
			{Token: "3", Name: "new", Codec: "H265", Width: 1280, Height: 720, FrameRate: 25, Kilobits: 1000, Group: 50},
		},
	})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- d.Run(ctx) }()
	t.Cleanup(func() {
		cancel()
		assert.NoError(t, <-done)
	})
	return d
}

func look(t *testing.T, u *url.URL, user, password string) (*onvif.Report, error) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	return onvif.Look(ctx, onvif.Config{URL: u, User: user, Password: password, AnswerTimeout: 5 * time.Second})
}

// TestQuirks: whatever a device does otherwise than it should, its streams are told.
func TestQuirks(t *testing.T) {
	t.Parallel()
	for name, tt := range map[string]struct {
		quirks device.Quirks
		notes  string
		old    bool
	}{
		"none":                  {},
		"wrong capitals":        {quirks: device.Quirks{Capitals: true}},
		"relative addresses":    {quirks: device.Quirks{Relative: true}},
		"another network":       {quirks: device.Quirks{OtherHost: "10.9.8.7"}, notes: "gives addresses of another host, 10.9.8.7"},
		"faults by 400":         {quirks: device.Quirks{Status400: true, OnlyOld: true}, old: true},
		"the older service":     {quirks: device.Quirks{OnlyOld: true}, old: true},
		"a clock that is fast":  {quirks: device.Quirks{Clock: 26 * time.Hour}, notes: "fast."},
		"a clock never set":     {quirks: device.Quirks{Clock: -20 * 365 * 24 * time.Hour}, notes: "slow."},
		"HTTP Digest":           {quirks: device.Quirks{HTTPDigest: true}},
		"slow":                  {quirks: device.Quirks{Slow: 50 * time.Millisecond}},
		"everything but a sign": {quirks: device.Quirks{Capitals: true, Relative: true, Status400: true, HTTPDigest: true, OnlyOld: true, Clock: time.Hour}, notes: "fast.", old: true},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			r, err := look(t, play(t, tt.quirks), "viewer", "funicular")
			require.NoError(t, err)
			assert.Equal(t, "Morrow Crag Workshop", r.Maker)
			assert.InDelta(t, tt.quirks.Clock.Seconds(), r.Offset.Seconds(), 2)
			notes := strings.Join(r.Notes, " ")
			assert.Contains(t, notes, tt.notes)
			if tt.notes == "" {
				assert.NotContains(t, notes, "clock")
			}
			want := 3
			if tt.old {
				want = 2 // it does not know of H.265
			}
			require.Len(t, r.Profiles, want)
			main := r.Profiles[0]
			assert.Equal(t, "main", main.Name)
			assert.Equal(t, [2]int{1280, 720}, [2]int{main.Width, main.Height})
			assert.Equal(t, "rtsp://127.0.0.1:7654/main", main.Stream)
			assert.Equal(t, "http://127.0.0.1/still.jpg", main.Still)
			assert.Equal(t, "rtsp://127.0.0.1:554/small", r.Profiles[1].Stream, "on the host that was asked, whatever it says")
		})
	}
}

func TestSignIns(t *testing.T) {
	t.Parallel()
	for name, q := range map[string]device.Quirks{"WS-Security": {}, "HTTP Digest": {HTTPDigest: true}, "by 400": {Status400: true}} {
		u := play(t, q)
		_, err := look(t, u, "viewer", "wrong")
		assert.Equal(t, fault.SignInRefused, codeOf(t, err), name)
		_, err = look(t, u, "", "")
		assert.Equal(t, fault.SignInMissing, codeOf(t, err), name)
	}
}

func codeOf(t *testing.T, err error) fault.Code {
	t.Helper()
	var f *fault.Error
	require.ErrorAs(t, err, &f)
	return f.Kind.Code
}

// TestWhatIsNoDevice: each gets its own sentence, and nothing hangs.
func TestWhatIsNoDevice(t *testing.T) {
	t.Parallel()
	elsewhere := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { t.Error("it was asked:", r.URL) }))
	t.Cleanup(elsewhere.Close)
	for name, tt := range map[string]struct {
		answer http.HandlerFunc
		want   fault.Code
	}{
		"a web page": {func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "<!DOCTYPE html><html></html>") }, fault.NotONVIF},
		"nothing":    {func(http.ResponseWriter, *http.Request) {}, fault.NotONVIF},
		"not found":  {http.NotFound, fault.PathUnknown},
		"a bomb": {func(w http.ResponseWriter, _ *http.Request) {
			fmt.Fprint(w, `<!DOCTYPE a [<!ENTITY b "bb">]><a>&b;</a>`)
		}, fault.NotONVIF},
		"without end": {func(w http.ResponseWriter, r *http.Request) { pour(w, r) }, fault.Refused},
		"another host": {func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, strings.Replace(elsewhere.URL, "127.0.0.1", "localhost", 1), http.StatusTemporaryRedirect)
		}, fault.Elsewhere},
		"no media service": {soapOf("<GetServicesResponse/>"), fault.Refused},
		"no profiles":      {soapOf("<GetServicesResponse><Service><Namespace>http://www.onvif.org/ver10/media/wsdl</Namespace><XAddr>/m</XAddr></Service></GetServicesResponse>"), fault.Refused},
		"a fault of itself": {func(w http.ResponseWriter, _ *http.Request) {
			fmt.Fprint(w, "<e><Body><Fault><faultcode>Broken</faultcode></Fault></Body></e>")
		}, fault.Refused},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := httptest.NewServer(tt.answer)
			t.Cleanup(s.Close)
			u, err := url.Parse(s.URL)
			require.NoError(t, err)
			_, err = look(t, u, "viewer", "funicular")
			assert.Equal(t, tt.want, codeOf(t, err), "%v", err)
		})
	}
}

// soapOf answers all that is asked of it with empty answers, but services with some.
func soapOf(services string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprintf(w, "<e><Body>%s<GetSystemDateAndTimeResponse/><GetDeviceInformationResponse/><GetProfilesResponse/></Body></e>", services)
	}
}

// pour sends until nobody reads.
func pour(w http.ResponseWriter, r *http.Request) {
	for r.Context().Err() == nil {
		if _, err := w.Write(make([]byte, 64<<10)); err != nil {
			return
		}
	}
}
