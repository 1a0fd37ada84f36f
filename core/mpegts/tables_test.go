package mpegts_test

import (
	_ "embed"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/mpegts"
)

// writtenTables are a program association and two program maps that libdvbpsi wrote: programs
// 11 (H.264, AAC) and 12 (H.265, MPEG-1 audio), each with a private stream and with so many
// descriptors that its map takes two packets, and an entry for the network's table.
//
//go:embed testdata/tables.ts
var writtenTables []byte

func TestTablesOfAnotherWriter(t *testing.T) {
	for number, want := range map[uint16][]mpegts.About{
		0:  {{Kind: "video", Codec: "H.264", Used: true}, {Kind: "audio", Codec: "AAC", Used: true}},
		11: {{Kind: "video", Codec: "H.264", Used: true}, {Kind: "audio", Codec: "AAC", Used: true}},
		12: {{Kind: "video", Codec: "H.265", Used: true}, {Kind: "audio", Codec: "MPEG-1 audio"}},
	} {
		g := receive(number)
		g.write(writtenTables, size)
		list := g.r.Streams()
		require.Len(t, list, len(want), number)
		for i, a := range list {
			if !a.Used {
				assert.NotEmpty(t, a.Why, "it is said why %s is left out", a.Codec)
				a.Why = ""
			}
			assert.Equal(t, want[i], a, number)
		}
		assert.Zero(t, g.r.Stats().Damaged)
	}
	g := receive(13)
	g.write(writtenTables, size)
	require.ErrorIs(t, g.r.Trouble(), mpegts.ErrProgram)
	assert.Contains(t, g.r.Trouble().Error(), "11")
	assert.Contains(t, g.r.Trouble().Error(), "12")
}
