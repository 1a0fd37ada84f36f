package whep_test

import (
	"crypto/hmac"
	"crypto/sha1"
	"encoding/base64"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/deliver/whep"
)

func TestICEServers(t *testing.T) {
	for text, want := range map[string]string{
		"stun:stun.example:3478":                             `<stun:stun.example:3478>; rel="ice-server"`,
		"turn:crag:p@ss:w\"d@turn.example:443?transport=tcp": `<turn:turn.example:443?transport=tcp>; rel="ice-server"; username="crag"; credential="p@ss:w\"d"; credential-type="password"`,
		"turns:crag:secret@turn.example":                     `<turns:turn.example>; rel="ice-server"; username="crag"; credential="secret"; credential-type="password"`,
	} {
		s, err := whep.ParseICEServer(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, s.At(time.Now()).Link())
	}
	for text, why := range map[string]string{
		"": "write it like", "http://x": "write it like", "turn:": "write it like", "turn:turn.example": "needs a shared secret", "turn:crag:@turn.example": "needs a shared secret",
		"stun:a:b@stun.example": "takes no user", "stun:x>; rel=evil": "write it like",
	} {
		_, err := whep.ParseICEServer(text)
		assert.ErrorContains(t, err, why, text)
	}
}

// TestTURNPasswordsThatEnd are checked as a TURN server with the same secret does.
func TestTURNPasswordsThatEnd(t *testing.T) {
	s, err := whep.ParseICEServer("turn:north-face@turn.example:3478")
	require.NoError(t, err)
	told := s.At(time.Unix(1_800_000_000, 0))
	assert.Equal(t, "turn:turn.example:3478", told.URL)
	assert.Equal(t, "1800043200", told.Username, "twelve hours later")
	m := hmac.New(sha1.New, []byte("north-face"))
	m.Write([]byte(told.Username))
	assert.Equal(t, base64.StdEncoding.EncodeToString(m.Sum(nil)), told.Credential)
	assert.NotContains(t, told.Link(), "north-face")
}
