package portmap_test

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/portmap"
)

var (
	nonce = portmap.Nonce{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12}
	asked = portmap.Mapping{Protocol: portmap.UDP, Inside: 7601, Outside: 7601, Lifetime: time.Hour}
)

// pcpAnswer is a router's, written by hand after RFC 6887, 7.2 and 11.1.
var pcpAnswer = []byte{
	2, 0x81, 0, 0, // version, answer to MAP, reserved, success
	0, 0, 0x0E, 0x10, // lifetime 3600
	0, 0, 0, 9, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, // epoch, reserved
	1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, // nonce
	17, 0, 0, 0, // UDP
	0x1D, 0xB1, 0x1D, 0xB1, // 7601 both
	0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0xff, 0xff, 198, 51, 100, 7,
}

func TestPCP(t *testing.T) {
	t.Parallel()
	b := portmap.PCPRequest(asked, netip.MustParseAddr("192.168.1.20"), nonce)
	assert.Equal(t, []byte{
		2, 1, 0, 0, 0, 0, 0x0E, 0x10,
		0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0xff, 0xff, 192, 168, 1, 20, // this machine
		1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 17, 0, 0, 0, 0x1D, 0xB1, 0x1D, 0xB1,
		0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0xff, 0xff, 0, 0, 0, 0, // any outside
	}, b)
	m, err := portmap.ParsePCP(pcpAnswer, asked, nonce)
	require.NoError(t, err)
	assert.Equal(t, portmap.Mapping{Protocol: portmap.UDP, Inside: 7601, Outside: 7601, Lifetime: time.Hour, Address: netip.MustParseAddr("198.51.100.7")}, m)
}

// TestPCPAnswersThatAreNone covers routers that lie or are of before.
func TestPCPAnswersThatAreNone(t *testing.T) {
	t.Parallel()
	changed := func(at int, to byte) []byte {
		b := append([]byte(nil), pcpAnswer...)
		b[at] = to
		return b
	}
	parse := func(b []byte) error { _, err := portmap.ParsePCP(b, asked, nonce); return err }
	assert.ErrorIs(t, parse([]byte{0, 0x81, 0, 1, 0, 0, 0, 0}), portmap.ErrVersion, "NAT-PMP alone")
	assert.ErrorIs(t, parse(changed(3, 1)), portmap.ErrVersion)
	assert.ErrorIs(t, parse(changed(24, 9)), portmap.ErrOtherAnswer, "another nonce")
	assert.ErrorIs(t, parse(changed(41, 0)), portmap.ErrOtherAnswer, "another port")
	var refused *portmap.RefusedError
	require.ErrorAs(t, parse(changed(3, 12)), &refused)
	assert.ErrorContains(t, refused, "another router in between")
	for n := range pcpAnswer {
		assert.Error(t, parse(pcpAnswer[:n]), n)
	}
}

func TestNATPMP(t *testing.T) {
	t.Parallel()
	assert.Equal(t, []byte{0, 1, 0, 0, 0x1D, 0xB1, 0x1D, 0xB1, 0, 0, 0x0E, 0x10}, portmap.PMPMapRequest(asked))
	m, err := portmap.ParsePMPMap([]byte{0, 0x81, 0, 0, 0, 0, 0, 9, 0x1D, 0xB1, 0x1D, 0xB2, 0, 0, 0, 60}, asked)
	require.NoError(t, err)
	assert.Equal(t, portmap.Mapping{Protocol: portmap.UDP, Inside: 7601, Outside: 7602, Lifetime: time.Minute}, m)
	at, err := portmap.ParsePMPAddress([]byte{0, 0x80, 0, 0, 0, 0, 0, 9, 198, 51, 100, 7})
	require.NoError(t, err)
	assert.Equal(t, "198.51.100.7", at.String())
	_, err = portmap.ParsePMPMap([]byte{0, 0x81, 0, 2, 0, 0, 0, 9}, asked)
	assert.ErrorContains(t, err, "not allowed")
	_, err = portmap.ParsePMPMap([]byte{0, 0x82, 0, 0, 0, 0, 0, 9, 0x1D, 0xB1, 0x1D, 0xB2, 0, 0, 0, 60}, asked)
	assert.ErrorIs(t, err, portmap.ErrOtherAnswer)
	_, err = portmap.ParsePMPAddress([]byte{2, 0x80, 0, 0})
	assert.ErrorIs(t, err, portmap.ErrVersion)
}

// FuzzAnswers: whatever a router sends is an answer to what was asked, or an error.
func FuzzAnswers(f *testing.F) {
	f.Add(pcpAnswer)
	f.Add([]byte{0, 0x81, 0, 0, 0, 0, 0, 9, 0x1D, 0xB1, 0x1D, 0xB2, 0, 0, 0, 60})
	f.Fuzz(func(t *testing.T, b []byte) {
		if m, err := portmap.ParsePCP(b, asked, nonce); err == nil {
			assert.Equal(t, asked.Inside, m.Inside)
		}
		if m, err := portmap.ParsePMPMap(b, asked); err == nil {
			assert.Equal(t, asked.Inside, m.Inside)
		}
		_, _ = portmap.ParsePMPAddress(b)
	})
}
