package e2e

import (
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/browser"
)

const body = `document.body.textContent`

func has(text string) string { return body + `.includes(` + quote(text) + `)` }

func quote(s string) string { return `"` + s + `"` }

// signIn signs in through the page.
func signIn(t *testing.T, w *world, page *browser.Page) {
	t.Helper()
	m := regexp.MustCompile(`password\s+(\S+-\S+)`).FindStringSubmatch(w.service.Log())
	require.NotNil(t, m)
	require.NoError(t, page.Open(w.url("/")))
	require.NoError(t, page.Until(`document.querySelector("input[type=password]")`, patience))
	require.NoError(t, page.Type("input[type=password]", m[1]))
	require.NoError(t, page.Press("Sign in"))
	require.NoError(t, page.Until(has("Add a feed"), patience))
}

func TestConsole(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film("--size", "640x360", "--keyframes", "1s")
	page := openPage(t)
	signIn(t, w, page)
	shadow := player + ".shadowRoot"

	require.NoError(t, page.Press("Add a feed"))
	address, userField, secret := `input[placeholder^="rtsp://"]`, `input[autocomplete="off"]`, `input[autocomplete="new-password"]`
	require.NoError(t, page.Type(address, "rtsp://127.0.0.1:1/none"))
	require.NoError(t, page.Press("Look into the camera"))
	require.NoError(t, page.Until(has("nothing listens on that port"), patience), "the same sentence as everywhere")
	require.NoError(t, page.Until(has("camera-port-closed"), patience))
	clear := `const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set;
		const e = document.querySelector('` + address + `'); set.call(e, ""); e.dispatchEvent(new Event("input", { bubbles: true }));`
	require.NoError(t, page.Run(clear))
	require.NoError(t, page.Type(address, w.cameraURL()))
	require.NoError(t, page.Type(userField, user))
	require.NoError(t, page.Type(secret, password))
	require.NoError(t, page.Press("Look into the camera"))
	require.NoError(t, page.Until(has("It works"), patience))
	require.NoError(t, page.Until(has("640 × 360"), patience))

	name := `[...document.querySelectorAll("label")].find(l => l.textContent.startsWith("Name in addresses")).control`
	require.NoError(t, page.Run(name+`.id = "the-name"`))
	require.NoError(t, page.Type("#the-name", "Bad"))
	require.NoError(t, page.Press("Add this feed"))
	require.NoError(t, page.Until(has("small letters, digits and single hyphens"), patience), "the field is named")
	require.NoError(t, page.Run(`const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set;
		const e = document.getElementById("the-name"); set.call(e, ""); e.dispatchEvent(new Event("input", { bubbles: true }));`))
	require.NoError(t, page.Type("#the-name", feed))
	require.NoError(t, page.Press("Add this feed"))

	require.NoError(t, page.Until(`location.pathname === "/feeds/lower-station"`, patience))
	require.NoError(t, page.Until(playing, patience), "the player plays on the feed's page")
	require.NoError(t, page.Until(has("every "), patience))
	require.NoError(t, page.Until(`document.querySelector("svg.MuiChartsSurface-root, .MuiChartsSurface-root")`, patience), "a chart of what comes in")
	require.NoError(t, page.Until(has("live: Pictures are coming in."), patience), "its events")

	require.NoError(t, page.Press("Stop"))
	require.NoError(t, page.Until(has("switched off"), patience))
	require.NoError(t, page.Press("Start"))
	require.NoError(t, page.Until(playing, patience))

	w.tell("refuse", "on")
	w.tell("drop")
	require.NoError(t, page.Until(has("refused"), patience))
	require.NoError(t, page.Until(shadow+`.querySelector(".remedy").textContent.includes("Enter user and password again")`, patience), "says what to do next")
	require.NoError(t, page.Until(`![...document.querySelectorAll("[role=alert]")].some(a => a.textContent.includes("does not accept"))`, patience), "and says it once")
	require.NoError(t, page.Until(shadow+`.querySelector(".spinner").hidden`, patience), "nothing comes by waiting")
	w.tell("refuse", "off")
	require.NoError(t, page.Press("Try now"))
	require.NoError(t, page.Until(playing, patience))

	require.NoError(t, page.Press("Remove"))
	require.NoError(t, page.Until(has("Its address and its credentials are forgotten"), patience))
	require.NoError(t, page.Run(`[...document.querySelectorAll("[role=dialog] button")].find(b => b.textContent === "Remove").click()`))
	require.NoError(t, page.Until(has("Add a feed"), patience))
	secretShown, err := page.Text(body + `.includes("` + password + `")`)
	require.NoError(t, err)
	assert.Equal(t, "false", secretShown)
}

func TestPrivateWatchPageAsksToSignInAndComesBack(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	page := openPage(t)
	require.NoError(t, page.Open(w.url("/watch/nothing")))
	require.NoError(t, page.Until(`new URLSearchParams(location.search).get("next") === "/watch/nothing"`, patience), "strangers are not told which feeds there are")
	m := regexp.MustCompile(`password\s+(\S+-\S+)`).FindStringSubmatch(w.service.Log())
	require.NotNil(t, m)
	require.NoError(t, page.Until(`document.querySelector("input[type=password]")`, patience))
	require.NoError(t, page.Type("input[type=password]", m[1]))
	require.NoError(t, page.Press("Sign in"))
	require.NoError(t, page.Until(has("There is no feed of that name"), patience))
}
