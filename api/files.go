package api

import (
	"context"
	"io"
	"net/http"
	"time"

	"webostrum/deliver/problem"
)

// sentFile is a file that is sent for as long as its receiver may have it.
type sentFile struct {
	name     string    // that tells its kind, where no header does
	modified time.Time // zero for not known
	content  io.ReadSeeker
	within   time.Duration
	until    time.Time   // when the receiver's access ends by itself; zero for never
	may      func() bool // whether the receiver may still have it
}

// sendFile answers with a file, or the ranges of it that were asked for.
func (a *API) sendFile(w http.ResponseWriter, r *http.Request, f sentFile) {
	ctx, cancel := context.WithCancel(r.Context())
	defer cancel()
	rc := http.NewResponseController(w)
	_ = rc.SetWriteDeadline(time.Now().Add(f.within))
	done, err := a.grants.hold(f.until, f.may, func() { cancel(); _ = rc.SetWriteDeadline(time.Now()) })
	if err != nil {
		problem.Write(w, err)
		return
	}
	defer done()
	http.ServeContent(w, r.WithContext(ctx), f.name, f.modified, f.content)
}
