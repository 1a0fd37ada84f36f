package api

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// zeros is a file of some size without anything in it.
type zeros struct{}

func (zeros) ReadAt(p []byte, _ int64) (int, error) { clear(p); return len(p), nil }

// TestAFileEndsWithItsAccess in the middle, since a recording may take hours to be sent.
func TestAFileEndsWithItsAccess(t *testing.T) {
	t.Parallel()
	a := &API{grants: newGrants()}
	go a.grants.run(t.Context())
	var may atomic.Bool
	may.Store(true)
	const size = 1 << 40
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		content := io.NewSectionReader(zeros{}, 0, size)
		a.sendFile(&countingWriter{ResponseWriter: w}, r, sentFile{name: "x.mp4", content: content, within: time.Hour, may: may.Load})
	}))
	defer server.Close()
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, server.URL, nil)
	require.NoError(t, err)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	assert.EqualValues(t, size, res.ContentLength)
	_, err = io.CopyN(io.Discard, res.Body, 1<<20)
	require.NoError(t, err)
	may.Store(false)
	a.grants.changed()
	_, err = io.Copy(io.Discard, res.Body)
	require.Error(t, err)
	assert.NoError(t, ctx.Err(), "the service ended it, not the time")
}
