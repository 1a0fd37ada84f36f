package api

import (
	"io"
	"net/http"
	"time"
)

// bodyWithin is how long a request's body may take. It holds where nothing reads the body
// as well, since the server reads what is left of it before it answers.
const bodyWithin = 10 * time.Second

// timedBody lifts the deadline of the connection once the body has come to its end, for
// what is answered may take longer.
type timedBody struct {
	io.ReadCloser
	control *http.ResponseController
}

func timeBody(w http.ResponseWriter, r *http.Request) {
	if r.ContentLength == 0 {
		return
	}
	control := http.NewResponseController(w)
	if control.SetReadDeadline(time.Now().Add(bodyWithin)) == nil {
		r.Body = &timedBody{r.Body, control}
	}
}

func (b *timedBody) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	if err == io.EOF {
		_ = b.control.SetReadDeadline(time.Time{})
	}
	return n, err
}
