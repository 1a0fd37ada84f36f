package access

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestPasses(t *testing.T) {
	t.Parallel()
	pass := NewPass("key", "gate", noon.Add(time.Hour))
	assert.True(t, OpensPass(pass, "key", "gate", noon))
	assert.False(t, OpensPass(pass, "key", "gate", noon.Add(time.Hour)), "it has ended")
	assert.False(t, OpensPass(pass, "another", "gate", noon), "the feed got another key")
	assert.False(t, OpensPass(pass, "key", "yard", noon), "it is for another feed")
	later := NewPass("key", "gate", noon.Add(2*time.Hour))
	assert.False(t, OpensPass(later[:len("pass.xxxxxx")]+pass[len("pass.xxxxxx"):], "key", "gate", noon.Add(90*time.Minute)), "its time cannot be changed")
	for _, text := range []string{"", "pass.", "pass.1", "pass.zzzzzzzzzzzzzzzzzzzzz.x", "key", pass[:len(pass)-1], "pass.." + pass} {
		assert.False(t, OpensPass(text, "key", "gate", noon), text)
	}
	ends, ok := PassEnds(pass)
	assert.True(t, ok)
	assert.Equal(t, noon.Add(time.Hour).Unix(), ends.Unix())
}
