package e2e

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/client"
)

// TestAPictureAllAroundIsTurned by dragging, keys and the wheel, whatever plays it; and a flat
// view that is cut out of it is shown flat.
func TestAPictureAllAroundIsTurned(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x320", "--rate", "10", "--keyframes", "1s")
	w.addFeed()
	w.edit(client.Patch{"lens": client.Patch{"projection": "equirectangular"}})
	out, code := w.cli("rendition", "add", feed, "west", "--size", "320x180", "--view", "-90,0,80")
	require.Zero(t, code, out)
	page := openPage(t)
	const canvas = player + `.shadowRoot.querySelector("canvas.around")`
	// middle is the colour of what is in the middle of the view, or of some place of the video.
	const paint = `((from, x, y) => { const c = document.createElement("canvas"); c.width = c.height = 1; const d = c.getContext("2d"); const w = from.videoWidth || from.width, h = from.videoHeight || from.height; d.drawImage(from, x * w - 2, y * h - 2, 4, 4, 0, 0, 1, 1); const p = d.getImageData(0, 0, 1, 1).data; return [...p].slice(0, 3); })`
	near := func(pan float64) string { // whether the view's middle is what the picture shows at a pan
		return fmt.Sprintf(`(() => { const v = %s, c = %s; let seen; const gl = c.getContext("webgl"); const a = %s(v, 0.5 + %g / 360, 0.5); const px = new Uint8Array(4); gl.readPixels(c.width >> 1, c.height >> 1, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, px); return Math.max(...a.map((x, i) => Math.abs(x - px[i]))) < 40; })()`, video, canvas, paint, pan)
	}
	for _, by := range []string{"fragments", "hls"} {
		require.NoError(t, page.Open(w.url("/watch/"+feed+"?by="+by)))
		require.NoError(t, page.Before(`HTMLCanvasElement.prototype.getContext = ((get) => function (kind, o) { return get.call(this, kind, { ...o, preserveDrawingBuffer: true }); })(HTMLCanvasElement.prototype.getContext)`))
		require.NoError(t, page.Open(w.url("/watch/"+feed+"?by="+by)))
		require.NoError(t, page.Until(playing+" && "+canvas+" !== null", patience))
		require.NoError(t, page.Until(near(0), patience), "%s: ahead", by)
		drag := fmt.Sprintf(`const c = %s, r = c.getBoundingClientRect(); const at = (kind, x) => c.dispatchEvent(new PointerEvent(kind, { clientX: r.left + x, clientY: r.top + 50, pointerId: 1, button: 0, bubbles: true })); c.setPointerCapture = () => {}; at("pointerdown", r.width * 0.9); at("pointermove", r.width * 0.4); at("pointerup", r.width * 0.4);`, canvas)
		require.NoError(t, page.Run(drag))
		require.NoError(t, page.Until(fmt.Sprintf("Math.abs(%s.looks.pan - 45) < 1", player), patience), "half of 90 degrees to the right")
		require.NoError(t, page.Until(near(45), patience), "%s: and that is what is seen", by)
		require.NoError(t, page.Run(player+`.shadowRoot.querySelector("section").focus()`))
		require.NoError(t, page.Run(player+`.shadowRoot.querySelector("section").dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowLeft", bubbles: true, composed: true }))`))
		require.NoError(t, page.Until(fmt.Sprintf("Math.abs(%s.looks.pan - 39) < 1", player), patience))
		require.NoError(t, page.Run(canvas+`.dispatchEvent(new WheelEvent("wheel", { deltaY: -100, cancelable: true }))`))
		require.NoError(t, page.Until(fmt.Sprintf("%s.looks.fov < 89", player), patience))
	}
	require.NoError(t, page.Open(w.url("/watch/"+feed+"?rendition=west")))
	require.NoError(t, page.Until(playing+" && "+canvas+" === null && "+width+" === 320", patience), "what was cut out is flat")
	out, code = w.cli("feed", "edit", feed, "--projection", "flat")
	require.Zero(t, code, out)
	out, code = w.cli("rendition", "add", feed, "north", "--view", "0,0,80")
	assert.NotZero(t, code)
	assert.Contains(t, out, "flat")
}
