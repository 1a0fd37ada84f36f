package netif_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/netif"
)

func TestSameNetwork(t *testing.T) {
	for _, tt := range []struct {
		a, b string
		same bool
	}{
		{"127.0.0.1", "127.200.0.9", true}, // that of the loopback interface
		{"203.0.113.7", "203.0.113.200", true},
		{"203.0.113.7", "198.51.100.7", false},
		{"203.0.113.7", "::ffff:203.0.113.9", true},
		{"2001:db8::7", "2001:db8::ff:9", true},
		{"2001:db8::7", "2001:db8:0:1::7", false},
		{"camera.example", "203.0.113.7", false},
		{"203.0.113.7", "", false},
		{"0.0.0.1", "::1", false},
	} {
		assert.Equal(t, tt.same, netif.SameNetwork(tt.a, tt.b), "%s and %s", tt.a, tt.b)
	}
}
