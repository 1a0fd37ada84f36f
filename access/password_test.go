package access

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWeakPasswords(t *testing.T) {
	t.Parallel()
	for _, weak := range []string{"password", "12345678", "        ", "qwertyuiop", "Password1", "letmein123", "aaaaaaaaaaaa", "engineer", "webostrum1", "abcdefgh", "winch-room1"} {
		assert.NotEmpty(t, Weak(weak, "winch-room"), weak)
	}
	for _, strong := range []string{"correct-horse", "seven-otters-at-dawn", "another-otter", "long-enough", "k3mw-7tqa-x2pd", "ü8ñ-Ωλ-ж2", strings.Repeat("moss lantern ", 19)} {
		assert.Empty(t, Weak(strong, "winch-room"), strong)
	}
}
