package mjpeg

import (
	"bytes"
	"fmt"
	"hash/maphash"
	"net/http"
	"strconv"
	"time"

	"webostrum/core/media"
)

var seed = maphash.MakeSeed()

// Still sends one picture, with its age and what is needed to ask for it again
// only if it has changed (RFC 9110, section 13). fresh is for how long it may be
// used without asking, counted from when it was taken.
func Still(w http.ResponseWriter, r *http.Request, s *media.Sample, fresh time.Duration, public bool) {
	header := w.Header()
	header.Set("Content-Type", "image/jpeg")
	header.Set("Etag", fmt.Sprintf(`"%x-%x"`, s.Captured.UnixMilli(), maphash.Bytes(seed, s.Data)))
	header.Set("Age", strconv.Itoa(max(0, int(time.Since(s.Captured).Seconds()))))
	switch {
	case !public:
		header.Set("Cache-Control", "private, no-cache")
	case fresh > 0:
		header.Set("Cache-Control", "public, max-age="+strconv.Itoa(int(fresh.Seconds())))
	default:
		header.Set("Cache-Control", "public, no-cache")
	}
	_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(writeTimeout))
	http.ServeContent(w, r, "", s.Captured, bytes.NewReader(s.Data))
}
