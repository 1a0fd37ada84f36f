package snippet_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"webostrum/core/snippet"
)

func whole() snippet.Options {
	return snippet.Options{
		Base: "https://cams.example.org", Feed: "lower-station", Link: "AAEtext_", Title: "Lower station", Prefer: "delay", Rendition: "small",
		Audio: true, Start: "press", Controls: "none", Fit: "cover", Poster: "still", Width: 640, Height: 360,
	}
}

func TestAddresses(t *testing.T) {
	t.Parallel()
	o := whole()
	assert.Equal(t, "https://cams.example.org/embed/lower-station/link/AAEtext_?audio=on&controls=none&fit=cover&poster=still&prefer=delay&rendition=small&start=press", o.Page())
	assert.Equal(t, "https://cams.example.org/media/lower-station/link/AAEtext_/whep", o.Media("whep"))
	assert.Equal(t, "https://cams.example.org/player/player.js", o.Script())
	plain := snippet.Options{Base: "http://h:7600", Feed: "gate"}
	assert.Equal(t, "http://h:7600/embed/gate", plain.Page())
	assert.Equal(t, "http://h:7600/watch/gate", plain.Watch())
	plain.Within = 2.5
	assert.Equal(t, "http://h:7600/watch/gate?within=2.5", plain.Watch())
}

func TestHTML(t *testing.T) {
	t.Parallel()
	o := whole()
	assert.Equal(t, `<script src="https://cams.example.org/player/player.js" async></script>
<webostrum-player feed="lower-station" link="AAEtext_" label="Lower station" prefer="delay" rendition="small" audio="on" start="press" controls="none" fit="cover" poster="still" style="display:block;width:640px;height:360px;max-width:100%;border:0"></webostrum-player>`, o.Element())
	assert.Equal(t, `<img src="https://cams.example.org/media/lower-station/link/AAEtext_/still.jpg?size=640x" alt="Lower station" referrerpolicy="origin" style="display:block;width:640px;height:360px;max-width:100%;border:0">`, o.Image(true))
	assert.Contains(t, o.Video(), `src="https://cams.example.org/media/lower-station/link/AAEtext_/hls/small.m3u8"`)
	o.Width, o.Height, o.Ratio = 0, 0, [2]int{4, 3}
	assert.Contains(t, o.Iframe(), `style="display:block;width:100%;aspect-ratio:4/3;border:0"`)
	o.Width = 320
	assert.Contains(t, o.Iframe(), `style="display:block;width:min(320px, 100%);aspect-ratio:4/3;border:0"`)
}

// FuzzHTML: whatever stands in the options, nothing but the elements that are meant comes
// out, and their attributes say what was asked.
func FuzzHTML(f *testing.F) {
	f.Add("Lower station", "AAE", "delay")
	f.Add(`"><script>alert(1)</script>`, `" onload="x`, "'>")
	f.Add("&quot;", "\x00", "</iframe>")
	f.Fuzz(func(t *testing.T, title, link, prefer string) {
		if strings.ContainsAny(title+link+prefer, "\x00\r") { // HTML has another way of writing these
			return
		}
		o := snippet.Options{Base: "https://cams.example.org", Feed: "gate", Title: title, Link: link, Prefer: prefer}
		for text, name := range map[string]string{o.Iframe(): "iframe", o.Image(false): "img", o.Video(): "video"} {
			list, err := html.ParseFragment(strings.NewReader(text), nil)
			require.NoError(t, err)
			found := 0
			var walk func(*html.Node)
			walk = func(n *html.Node) {
				switch n.Data {
				case "html", "head", "body":
				case name:
					found++
					for _, a := range n.Attr {
						assert.NotEqual(t, "onload", a.Key)
						if a.Key == "title" || a.Key == "alt" || a.Key == "aria-label" {
							assert.Equal(t, strings.ToValidUTF8(title, "\uFFFD"), strings.ToValidUTF8(a.Val, "\uFFFD"))
						}
					}
				default:
					t.Fatalf("%q came out as %q", text, n.Data)
				}
				for c := n.FirstChild; c != nil; c = c.NextSibling {
					walk(c)
				}
			}
			for _, n := range list {
				walk(n)
			}
			assert.Equal(t, 1, found, text)
		}
	})
}
