package source

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestKeepAliveGoesOnToTheNextWay(t *testing.T) {
	all, few := map[string]bool{"GET_PARAMETER": true, "OPTIONS": true}, map[string]bool{"OPTIONS": true}
	var k KeepAlive
	assert.Equal(t, "GET_PARAMETER", k.Method(all))
	assert.Equal(t, "OPTIONS", k.Method(few))
	k.HungUp("GET_PARAMETER")
	assert.Equal(t, "OPTIONS", k.Method(all))
	k.HungUp("OPTIONS")
	assert.Empty(t, k.Method(all))
	k.HungUp("GET_PARAMETER")
	assert.Empty(t, k.Method(all), "it does not go back")

	var none *KeepAlive
	none.HungUp("OPTIONS")
	assert.Equal(t, "GET_PARAMETER", none.Method(all))
}
