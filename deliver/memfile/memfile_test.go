package memfile_test

import (
	"bytes"
	"io"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/deliver/memfile"
)

func TestReadersHaveTheirOwnPlace(t *testing.T) {
	parts := [][]byte{bytes.Repeat([]byte("a"), 1000), bytes.Repeat([]byte("b"), 300_000), []byte("c")}
	whole := bytes.Join(parts, nil)
	b := memfile.Keep(parts)
	assert.Equal(t, int64(len(whole)), b.Size())
	var wg sync.WaitGroup
	for range 8 {
		wg.Go(func() {
			r, err := b.Open()
			if !assert.NoError(t, err) {
				return
			}
			got, err := io.ReadAll(r)
			assert.NoError(t, err)
			assert.True(t, bytes.Equal(whole, got))
			assert.NoError(t, r.Close())
		})
	}
	wg.Wait()
	r, err := b.Open()
	require.NoError(t, err)
	_, err = r.Seek(-2, io.SeekEnd)
	require.NoError(t, err)
	tail, err := io.ReadAll(r)
	require.NoError(t, err)
	assert.Equal(t, "bc", string(tail))
	require.NoError(t, r.Close())
}
