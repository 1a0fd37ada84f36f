package mjpeg_test

import (
	"fmt"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/jpeg"
	"webostrum/ingest/mjpeg"
	"webostrum/ingest/source"
	"webostrum/testkit/webcam"
)

// TestPicturesWithoutTheirEnd come from cameras that leave out the end marker, with the
// lengths of their parts and without.
func TestPicturesWithoutTheirEnd(t *testing.T) {
	for name, length := range map[string]string{"with lengths": "Content-Length: %d\r\n", "without": ""} {
		t.Run(name, func(t *testing.T) {
			c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
				webcam.Say(conn, head)
				for n := range 40 {
					picture := strings.TrimSuffix(jpg(n), "\xff\xd9")
					headers := length
					if length != "" {
						headers = fmt.Sprintf(length, len(picture))
					}
					webcam.Say(conn, part("cut", "\r\n", headers, picture))
				}
				webcam.Linger(conn)
			})
			got, facts, _ := play(t, 10, source.Config{URL: c.URL})
			require.Len(t, got, 10)
			for _, s := range got {
				h, err := jpeg.Parse(s.Data)
				require.NoError(t, err)
				assert.Equal(t, 64, h.Width)
				assert.True(t, strings.HasSuffix(string(s.Data), "\xff\xd9"))
				assert.NotContains(t, string(s.Data), "--cut")
			}
			if length != "" {
				assert.Zero(t, facts.Stats.Dropped)
			}
		})
	}
}

// TestOnePictureByAnyName: text/plain and application/octet-stream that hold one JPEG.
func TestOnePictureByAnyName(t *testing.T) {
	for _, kind := range []string{"text/plain", "application/octet-stream", ""} {
		for _, length := range []bool{true, false} {
			c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
				webcam.Say(conn, "HTTP/1.1 200 OK\r\nContent-Type: "+kind+"\r\n")
				if length {
					webcam.Say(conn, fmt.Sprintf("Content-Length: %d\r\n", len(jpg(1))))
				}
				webcam.Say(conn, "\r\n", jpg(1))
			})
			_, _, err := play(t, 0, source.Config{URL: c.URL})
			require.ErrorIs(t, err, mjpeg.ErrSinglePicture, "%q %t", kind, length)
		}
	}
}

// TestACameraThatTakesItsTime is waited for as long as its feed says.
func TestACameraThatTakesItsTime(t *testing.T) {
	c := webcam.Serve(t, func(conn net.Conn, _ *http.Request) {
		time.Sleep(1500 * time.Millisecond) // the camera's own pace
		webcam.Film(conn, 20*time.Millisecond, []byte(jpg(1)))
	})
	_, _, err := play(t, 1, source.Config{URL: c.URL, AnswerTimeout: time.Second})
	assert.ErrorContains(t, err, "answers too late")
	got, _, _ := play(t, 1, source.Config{URL: c.URL, AnswerTimeout: 10 * time.Second})
	assert.Len(t, got, 1)
}
