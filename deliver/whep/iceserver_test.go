package whep_test

import (
	"testing"

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
		assert.Equal(t, want, s.Link())
	}
	for text, why := range map[string]string{
		"": "write it like", "http://x": "write it like", "turn:": "write it like", "turn:turn.example": "needs a user", "turn:crag@turn.example": "needs a user",
		"stun:a:b@stun.example": "takes no user", "stun:x>; rel=evil": "write it like",
	} {
		_, err := whep.ParseICEServer(text)
		assert.ErrorContains(t, err, why, text)
	}
}
