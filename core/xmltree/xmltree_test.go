package xmltree_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/xmltree"
)

func TestParse(t *testing.T) {
	n, err := xmltree.Parse([]byte(`<?xml version="1.0"?><s:Envelope xmlns:s="x"><s:BODY a:Token="7"> <V>one &amp; two</V><v>three</v></s:BODY></s:Envelope>`))
	require.NoError(t, err)
	assert.Equal(t, "one & two", n.Value("Body", "v"))
	assert.Len(t, n.First("body").All("V"), 2)
	assert.Equal(t, "7", n.First("Body").Attribute("token"))
	assert.Nil(t, n.First("body", "absent", "further"))
	assert.Empty(t, n.Value("absent"))
	assert.Empty(t, n.First("absent").All("v"))
	assert.Empty(t, n.First("absent").Attribute("v"))
	assert.Equal(t, "&lt;a&gt; &amp; b", xmltree.Escape("<a> & b"))
}

func TestHostile(t *testing.T) {
	for name, tt := range map[string]struct {
		text string
		want error
	}{
		"a bomb of entities": {`<!DOCTYPE l [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><l>&b;</l>`, xmltree.ErrDocType},
		"a file":             {`<!DOCTYPE l [<!ENTITY a SYSTEM "file:///etc/passwd">]><l>&a;</l>`, xmltree.ErrDocType},
		"deep":               {strings.Repeat("<a>", 100_000), xmltree.ErrTooLarge},
		"wide":               {"<a>" + strings.Repeat("<b/>", 30_000) + "</a>", xmltree.ErrTooLarge},
		"long":               {"<a>" + strings.Repeat("x", xmltree.MostBytes) + "</a>", xmltree.ErrTooLarge},
		"nothing":            {"", xmltree.ErrEmpty},
	} {
		_, err := xmltree.Parse([]byte(tt.text))
		assert.ErrorIs(t, err, tt.want, name)
	}
	for _, text := range []string{"<a>", "<a></b>", "</a>", "<", "<a", "\xff\xfe<a/>"} {
		_, err := xmltree.Parse([]byte(text))
		assert.Error(t, err, text)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(`<a b="c"><d>e</d></a>`))
	f.Add([]byte(`<!DOCTYPE a><a/>`))
	f.Fuzz(func(t *testing.T, data []byte) {
		if n, err := xmltree.Parse(data); err == nil && n == nil {
			t.Fatal("neither a tree nor an error")
		}
	})
}
