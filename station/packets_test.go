package station

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/ingest/source"
)

func TestPacketsAreSpokenOfOnceASession(t *testing.T) {
	var w packetWatch
	one, two := new(source.Session), new(source.Session)
	facts := source.Facts{Transport: string(source.TCP)}
	assert.Empty(t, w.look(one, facts))
	facts.Stats.Late = 3
	assert.Len(t, w.look(one, facts), 1)
	facts.Stats.Late, facts.Stats.Other = 9, 1
	assert.Len(t, w.look(one, facts), 1, "of the other kind alone")
	assert.Empty(t, w.look(one, facts))
	facts.Transport = string(source.UDP)
	assert.Len(t, w.look(two, facts), 1, "over UDP packets may overtake each other")
}
