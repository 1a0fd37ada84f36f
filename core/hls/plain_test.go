package hls_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"webostrum/core/hls"
)

func TestAListForAServerOfFiles(t *testing.T) {
	const list = "#EXTM3U\n#EXT-X-TARGETDURATION:2\n#EXT-X-SERVER-CONTROL:CAN-BLOCK-RELOAD=YES\n#EXT-X-PART-INF:PART-TARGET=0.5\n#EXT-X-MAP:URI=\"a-init0.mp4\"\n#EXTINF:2,\na-1.m4s\n" +
		"#EXT-X-PART:DURATION=0.5,URI=\"a-2.0.m4s\"\n#EXTINF:2,\na-2.m4s\n#EXT-X-PRELOAD-HINT:TYPE=PART,URI=\"a-3.0.m4s\"\n#EXT-X-RENDITION-REPORT:URI=\"../b/list.m3u8\"\n"
	plain := hls.PlainList(list)
	assert.Equal(t, "#EXTM3U\n#EXT-X-TARGETDURATION:2\n#EXT-X-MAP:URI=\"a-init0.mp4\"\n#EXTINF:2,\na-1.m4s\n#EXTINF:2,\na-2.m4s\n", plain)
	assert.Equal(t, []string{"a-init0.mp4", "a-1.m4s", "a-2.m4s"}, hls.Files(plain))
	const multivariant = "#EXTM3U\n#EXT-X-MEDIA:TYPE=AUDIO,NAME=\"a,b\",URI=\"audio/list.m3u8\"\n#EXT-X-STREAM-INF:BANDWIDTH=1,AUDIO=\"audio\"\noriginal/list.m3u8\n#EXT-X-STREAM-INF:BANDWIDTH=2\noriginal/list.m3u8\n"
	assert.Equal(t, []string{"audio/list.m3u8", "original/list.m3u8"}, hls.Files(multivariant))
	assert.Equal(t, []string{"a.m4s"}, hls.Files("#EXT-X-MEDIA-SEQUENCE:4\n#EXT-X-MEDIA:TYPE=AUDIO\na.m4s\n"), "audio without a list of its own")
}
