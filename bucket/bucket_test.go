package bucket_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/bucket"
)

func TestAddresses(t *testing.T) {
	b, err := bucket.Open("s3+http://127.0.0.1:9000/films/a/b/", "key", "secret")
	require.NoError(t, err)
	assert.Equal(t, []string{"films", "a/b", "a/b/x.mp4"}, []string{b.Name, b.Prefix, b.Key("x.mp4")})
	b, err = bucket.Open("s3+https://store.example.org/films", "", "")
	require.NoError(t, err)
	assert.Equal(t, "x.mp4", b.Key("x.mp4"))
	for _, wrong := range []string{"", "https://store.example.org/films", "s3+https://store.example.org", "s3+https://store.example.org/", "s3+file:///films", "s3+https://u:p@store.example.org/films", "s3+https://store.example.org/films?x", "s3+:// "} {
		_, err := bucket.Open(wrong, "", "")
		assert.ErrorContains(t, err, "s3+https://store.example.org/bucket/cameras", wrong)
	}
}
