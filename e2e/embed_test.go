package e2e

import (
	"context"
	"fmt"
	"html"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
)

// site is a web server of somebody else's: another host name and another port than the
// service's. Its pages are what the request's path names.
type site struct {
	pages map[string]string
	host  string // as browsers call it
}

func newSite(t *testing.T, pages map[string]string) *site {
	t.Helper()
	s := &site{pages: pages}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, ok := s.pages[r.URL.Path]
		if !ok {
			http.NotFound(w, r)
			return
		}
		if strings.HasSuffix(r.URL.Path, ".js") {
			w.Header().Set("Content-Type", "text/javascript")
		} else {
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
		}
		_, _ = fmt.Fprint(w, body)
	}))
	t.Cleanup(server.Close)
	u, err := url.Parse(server.URL)
	require.NoError(t, err)
	s.host = "localhost:" + u.Port() // the service is at 127.0.0.1
	return s
}

func (s *site) url(path string) string { return "http://" + s.host + path }

func page(body string) string {
	return "<!doctype html><html lang=en><title>Somebody's page</title><body>" + body
}

// onAir is a service with a feed for everyone that is live.
func onAir(t *testing.T) *world {
	t.Helper()
	w := newWorld(t)
	w.film()
	w.addFeed()
	w.state("live")
	return w
}

// foreign are conditions on pages of another site.
const (
	framed    = `document.querySelector("iframe")`
	imageSeen = `document.querySelector("img").naturalWidth > 0`
	heard     = `JSON.stringify(window.seen)`
)

// watchedBy waits until so many watch by a method and have been sent something: a page
// cannot look into a frame of another origin, but the service counts its viewers.
func (w *world) watchedBy(method string, n int) {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	c := w.client()
	var list []apitypes.Viewer
	for {
		var err error
		list, err = c.Viewers(ctx, feed)
		count := 0
		for _, v := range list {
			if v.Method == method && v.Bytes > 0 {
				count++
			}
		}
		if err == nil && count == n {
			return
		}
		select {
		case <-ctx.Done():
			w.t.Fatalf("not %d viewers by %s: %+v", n, method, list)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

func (w *world) embedding(query url.Values) apitypes.Embedding {
	w.t.Helper()
	e, err := w.client().Embed(context.Background(), feed, query)
	require.NoError(w.t, err)
	return e
}

func (w *world) edit(change client.Patch) {
	w.t.Helper()
	_, err := w.client().EditFeed(context.Background(), feed, change)
	require.NoError(w.t, err)
}

// TestPagesOfAnotherSite show the feed by element, frame, image and video, where they may,
// and say so where they may not.
func TestPagesOfAnotherSite(t *testing.T) {
	t.Parallel()
	w := onAir(t)
	e := w.embedding(nil)
	still := strings.Replace(e.Image, "/mjpeg", "/still.jpg", 1)
	s := newSite(t, map[string]string{
		"/element": page(e.Element), "/frame": page(e.Iframe), "/image": page(e.Image), "/still": page(still), "/video": page(e.Video),
		"/module": page(`<webostrum-player feed="` + feed + `" prefer="simple"></webostrum-player><script type="module">import "` + e.Script + `"</script>`),
	})
	tab := openPage(t)
	show := func(path, condition string) {
		t.Helper()
		require.NoError(t, tab.Open(s.url(path)))
		require.NoError(t, tab.Until(condition, patience), path)
	}
	show("/element", playing)
	show("/module", player+`?.dataset.status === "playing" && `+player+`.dataset.method === "Motion JPEG"`)
	show("/image", imageSeen)
	show("/still", imageSeen)
	// Nothing brings a plain video back that was too slow for the playlist's first segment,
	// but loading the page again.
	var err error
	for range 6 {
		require.NoError(t, tab.Open(s.url("/video")))
		if err = tab.Until(`document.querySelector("video").currentTime > 0.5`, patience/6); err == nil {
			break
		}
	}
	require.NoError(t, err)
	require.NoError(t, tab.Open(s.url("/frame")))
	w.watchedBy("hls", 1)

	w.edit(client.Patch{"sites": []string{s.host}})
	show("/element", playing)
	show("/image", imageSeen)
	require.NoError(t, tab.Open("about:blank"))

	w.edit(client.Patch{"sites": []string{"https://elsewhere.example"}})
	const sentence = "This camera may not be shown on this site."
	show("/element", player+`?.dataset.status === "refused" && `+player+`.shadowRoot.textContent.includes("`+sentence+`")`)
	require.NoError(t, tab.Open(s.url("/image")))
	require.NoError(t, tab.Until(`document.querySelector("img").complete`, patience))
	assert.ErrorContains(t, tab.Until(imageSeen, time.Second), "did not come true")
	require.NoError(t, tab.Open(w.url("/watch/"+feed)))
	require.NoError(t, tab.Until(playing, patience), "its own pages show it all the same")
}

// TestPagesOfFrameworks: the element in a page of React and in one of Vue, as such pages
// use it.
func TestPagesOfFrameworks(t *testing.T) {
	t.Parallel()
	w := onAir(t)
	pages := map[string]string{}
	for _, name := range []string{"react", "vue"} {
		script, err := os.ReadFile("../web/dist-samples/" + name + ".js")
		require.NoError(t, err)
		pages["/"+name+".js"] = string(script)
		pages["/"+name] = page(`<div id="app" data-feed="` + feed + `"></div><script src="` + w.embedding(nil).Script + `" async></script><script type="module" src="/` + name + `.js"></script>`)
	}
	s := newSite(t, pages)
	tab := openPage(t)
	for _, name := range []string{"react", "vue"} {
		require.NoError(t, tab.Open(s.url("/"+name)))
		const caption = `document.querySelector("figcaption")?.textContent`
		require.NoError(t, tab.Until(caption+`?.startsWith("playing hls")`, patience), name)
		require.NoError(t, tab.Press("Pause"))
		require.NoError(t, tab.Until(caption+`.startsWith("paused")`, patience), name)
		require.NoError(t, tab.Press("Pause"))
		require.NoError(t, tab.Until(caption+`.startsWith("playing")`, patience), name)
	}
}

// TestFramesElsewhereAreRefusedPolitely: a page in the frame says so, and a page that
// frames an allowed page that frames the feed is refused by the browser.
func TestFramesElsewhereAreRefusedPolitely(t *testing.T) {
	t.Parallel()
	w := onAir(t)
	e := w.embedding(nil)
	s := newSite(t, map[string]string{"/frame": page(e.Iframe)})
	outer := newSite(t, map[string]string{"/outer": page(`<iframe src="` + s.url("/frame") + `" style="width:800px;height:500px"></iframe>`)})
	ask := func(referer string) (int, string) {
		req, err := http.NewRequest("GET", w.url("/embed/"+feed), nil)
		require.NoError(t, err)
		req.Header.Set("Referer", referer)
		req.Header.Set("Sec-Fetch-Dest", "iframe")
		req.Header.Set("Sec-Fetch-Site", "cross-site")
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer func() { _ = res.Body.Close() }()
		return res.StatusCode, res.Header.Get("Content-Security-Policy")
	}
	w.edit(client.Patch{"sites": []string{s.host}})
	status, policy := ask(s.url("/frame"))
	assert.Equal(t, 200, status)
	assert.Contains(t, policy, "frame-ancestors 'self' http://"+s.host+" https://"+s.host)
	status, policy = ask(outer.url("/outer"))
	assert.Equal(t, 403, status)
	assert.NotContains(t, policy, "frame-ancestors", "the sentence may be framed by whoever is refused")

	tab := openPage(t)
	require.NoError(t, tab.Open(s.url("/frame")))
	w.watchedBy("hls", 1)
	require.NoError(t, tab.Open("about:blank"))
	w.watchedBy("hls", 0)
	require.NoError(t, tab.Open(outer.url("/outer")))
	require.NoError(t, tab.Until(framed, patience))
	// The allowed page loads and its frame is blocked by the browser: nobody is counted
	// for as long as a player takes to begin.
	assert.ErrorContains(t, tab.Until(`window.never`, 4*time.Second), "did not come true")
	w.watchedBy("hls", 0)
}

// TestTheElementsSurface: what docs/player.md says of attributes, properties, methods and
// events.
func TestTheElementsSurface(t *testing.T) {
	t.Parallel()
	w := onAir(t)
	e := w.embedding(nil)
	s := newSite(t, map[string]string{"/": page(`<script src="` + e.Script + `" async></script>
		<webostrum-player feed="` + feed + `" start="press" poster="still" fit="cover" style="--webostrum-accent: rgb(1, 2, 3); width: 640px; height: 300px"></webostrum-player>
		<style>webostrum-player::part(title) { color: rgb(4, 5, 6) }</style>
		<script>window.seen = []; const p = document.querySelector("webostrum-player");
		for (const kind of ["statechange", "methodchange"]) p.addEventListener(kind, (e) => seen.push(e.detail.state ?? e.detail.method));</script>`)})
	tab := openPage(t)
	require.NoError(t, tab.Open(s.url("/")))
	require.NoError(t, tab.Until(player+`.state === "paused" && `+player+`.paused && `+player+`.method === null`, patience), "it waits to be pressed")
	require.NoError(t, tab.Until(player+`.shadowRoot.querySelector("video").poster.includes("still.jpg")`, patience))
	w.watchedBy("hls", 0)
	require.NoError(t, tab.Run(player+`.shadowRoot.querySelector(".begin").click()`))
	require.NoError(t, tab.Until(player+`.state === "playing" && `+player+`.method === "hls" && !`+player+`.paused`, patience))
	require.NoError(t, tab.Until(player+`.delay > 0`, patience))
	for expression, want := range map[string]string{
		`getComputedStyle(` + player + `.shadowRoot.querySelector("video")).objectFit`:    "cover",
		`getComputedStyle(` + player + `.shadowRoot.querySelector("[part=title]")).color`: "rgb(4, 5, 6)",
		player + `.muted`: "true", player + `.volume`: "1",
		player + `.feed`: feed,
	} {
		got, err := tab.Text(expression)
		require.NoError(t, err)
		assert.Equal(t, want, got, expression)
	}
	require.NoError(t, tab.Run(player+`.takeStill().then(async (b) => { const i = await createImageBitmap(b); window.still = [b.type, i.width].join(" ") })`))
	require.NoError(t, tab.Until(`window.still === "image/jpeg 1280"`, patience))
	require.NoError(t, tab.Run(player+`.pause()`))
	require.NoError(t, tab.Until(player+`.state === "paused"`, patience))
	w.watchedBy("hls", 0)
	require.NoError(t, tab.Run(player+`.goLive()`))
	require.NoError(t, tab.Until(player+`.state === "playing"`, patience))
	require.NoError(t, tab.Run(player+`.setAttribute("prefer", "simple")`))
	require.NoError(t, tab.Until(player+`.method === "motion-jpeg" && `+player+`.state === "playing"`, patience))
	require.NoError(t, tab.Run(player+`.pause()`))
	require.NoError(t, tab.Until(player+`.state === "paused" && !`+player+`.shadowRoot.querySelector("video").hidden && `+player+`.shadowRoot.querySelector("video").poster.startsWith("data:image/jpeg")`, patience), "a picture stays: that of Motion JPEG where the browser gives it out, else one from before")
	require.NoError(t, tab.Run(player+`.play()`))
	require.NoError(t, tab.Until(player+`.state === "playing"`, patience))
	require.NoError(t, tab.Run(player+`.setAttribute("controls", "none")`))
	require.NoError(t, tab.Until(player+`.shadowRoot.querySelector(".bar").hidden`, patience))
	events, err := tab.Text(heard)
	require.NoError(t, err)
	for _, want := range []string{"paused", "waiting", "playing", "hls", "motion-jpeg"} {
		assert.Contains(t, events, want)
	}
}

// TestALinkEndsWhileSomebodyWatches by each delivery; the player says so.
func TestALinkEndsWhileSomebodyWatches(t *testing.T) {
	t.Parallel()
	w := onAir(t)
	ctx := context.Background()
	w.edit(client.Patch{"audience": client.Patch{"who": "links"}})
	for method, prefer := range map[string]string{"hls": "reach", "webrtc": "delay", "motion-jpeg": "simple"} {
		l, err := w.client().AddLink(ctx, feed, apitypes.NewLink{Name: "end-" + method})
		require.NoError(t, err)
		q := url.Values{"link": {l.Name}, "prefer": {prefer}}
		s := newSite(t, map[string]string{"/": page(w.embedding(q).Element)})
		tab := openPage(t)
		require.NoError(t, tab.Open(s.url("/")))
		require.NoError(t, tab.Until(player+`?.state === "playing" && `+player+`.method === "`+method+`"`, patience), method)
		list, err := w.client().Viewers(ctx, feed)
		require.NoError(t, err)
		require.NotEmpty(t, list)
		assert.Equal(t, "link "+l.Name, list[len(list)-1].By)
		require.NoError(t, w.client().RemoveLink(ctx, feed, l.Name))
		require.NoError(t, tab.Until(player+`.state === "refused" && `+player+`.shadowRoot.textContent.includes("This link has ended.")`, patience), method)
	}
	soon := time.Now().Add(2500 * time.Millisecond)
	l, err := w.client().AddLink(ctx, feed, apitypes.NewLink{Name: "short", LinkSettings: apitypes.LinkSettings{Ends: &soon}})
	require.NoError(t, err)
	res, err := http.Get(w.url(l.Media + "mjpeg"))
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	require.Equal(t, 200, res.StatusCode)
	done := make(chan struct{})
	go func() { defer close(done); _, _ = res.Body.Read(make([]byte, 1)); drain(res) }()
	select {
	case <-done:
	case <-time.After(patience):
		t.Fatal("what a link opened goes on after the link's end")
	}
	assert.False(t, time.Now().Before(soon), "and not before")
}

func drain(res *http.Response) {
	buf := make([]byte, 1<<16)
	for {
		if _, err := res.Body.Read(buf); err != nil {
			return
		}
	}
}

// TestTheWall shows many feeds, pauses those that are not seen, and enlarges one.
func TestTheWall(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film()
	w.addFeed()
	w.add(newFeed("yard", w.cameraURL(), nil)) // for signed-in people
	w.state("live")
	link, err := w.client().AddLink(context.Background(), "yard", apitypes.NewLink{Name: "wall"})
	require.NoError(t, err)
	tab := openPage(t)
	require.NoError(t, tab.Open(w.url("/wall?feeds="+feed+",yard,none&links="+link.Text)))
	const status = `[...document.querySelectorAll("webostrum-player")].map(p => p.state).join()`
	require.NoError(t, tab.Until(status+` === "playing,playing"`, patience))
	refused, err := tab.Text(`[...document.querySelectorAll(".refused")].map(p => p.textContent).join("|")`)
	require.NoError(t, err)
	assert.Equal(t, 2, strings.Count(refused, "for people who have signed in"), refused)
	assert.NotContains(t, refused, "no feed of that name", "strangers are not told which feeds there are")
	require.NoError(t, tab.Run(`document.querySelector(".enlarge").click()`))
	require.NoError(t, tab.Until(status+` === "playing,paused"`, patience), "what is hidden loads nothing")
	require.NoError(t, tab.Until(`document.querySelector("webostrum-player").clientWidth === innerWidth`, patience))
	require.NoError(t, tab.Run(`document.querySelectorAll("webostrum-player")[1].setAttribute("prefer", "reach")`))
	still, err := tab.Text(status)
	require.NoError(t, err)
	assert.Equal(t, "playing,paused", still, "a change does not begin what is not seen")
	require.NoError(t, tab.Run(`dispatchEvent(new KeyboardEvent("keydown", {key: "Escape"}))`))
	require.NoError(t, tab.Until(status+` === "playing,playing"`, patience))

	require.NoError(t, tab.Open(w.url("/wall?feeds=yard")))
	require.NoError(t, tab.Until(`location.pathname === "/" && new URLSearchParams(location.search).get("next") === "/wall?feeds=yard"`, patience), "nothing may be seen: the sign-in")
}

// TestFromTheConsoleToAPage is what a new user does: choose, copy, paste, done.
func TestFromTheConsoleToAPage(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.film()
	w.add(newFeed(feed, w.cameraURL(), nil))
	w.state("live")
	tab := openPage(t)
	require.NoError(t, tab.SignIn(w.client().Token()))
	require.NoError(t, tab.Open(w.url("/feeds/"+feed)))
	require.NoError(t, tab.Press("Put it into a page"))
	const snippet = `document.querySelector("[data-snippet]")?.textContent`
	require.NoError(t, tab.Until(snippet+`?.includes("<iframe")`, patience))
	require.NoError(t, tab.Until(`document.body.textContent.includes("Only this machine gets to http://`+w.listen+`")`, patience), "an address that nobody else reaches is said")
	require.NoError(t, tab.Until(`document.body.textContent.includes("nobody is signed in here")`, patience), "so is that a link is needed")
	choose(t, tab, "Who may watch", "make a link")
	require.NoError(t, tab.Until(`document.activeElement?.closest("form")?.textContent.includes("What it is for")`, patience))
	require.NoError(t, tab.Keys("town-hall"))
	require.NoError(t, tab.Press("Make the link"))
	require.NoError(t, tab.Until(snippet+`.includes("/link/")`, patience))
	text, err := tab.Text(snippet)
	require.NoError(t, err)
	s := newSite(t, map[string]string{"/": page(text)})
	stranger := openPage(t)
	require.NoError(t, stranger.Open(s.url("/")))
	w.watchedBy("hls", 2) // the preview, and the page

	out, code := w.cli("embed", "--link", "town-hall", "--as", "iframe", feed)
	assert.Zero(t, code, out)
	assert.Contains(t, out, html.UnescapeString(text), "the command line prints the same")
}

// choose opens a select of a form and takes the option that holds a text.
func choose(t *testing.T, tab interface {
	Until(string, time.Duration) error
	Run(string) error
}, label, option string) {
	t.Helper()
	box := fmt.Sprintf(`[...document.querySelectorAll("[role=combobox]")].find(e => e.closest(".MuiFormControl-root").textContent.startsWith(%q))`, label)
	require.NoError(t, tab.Until(box, patience))
	require.NoError(t, tab.Run(box+`.dispatchEvent(new MouseEvent("mousedown", {bubbles: true, button: 0}))`))
	item := fmt.Sprintf(`[...document.querySelectorAll("[role=option]")].find(e => e.textContent.includes(%q))`, option)
	require.NoError(t, tab.Until(item, patience))
	require.NoError(t, tab.Run(item+`.click()`))
}

// TestPreviewsOfPages: editors that take an address, and whoever shows a preview of one.
func TestPreviewsOfPages(t *testing.T) {
	t.Parallel()
	w := onAir(t)
	tab := openPage(t)
	require.NoError(t, tab.Open(w.url("/watch/"+feed)))
	require.NoError(t, tab.Run(`fetch(document.querySelector("link[type='application/json+oembed']").href + "&maxwidth=400").then(r => r.json()).then(o => { window.oembed = o })`))
	require.NoError(t, tab.Until(`window.oembed?.width === 400 && window.oembed.height === 225 && window.oembed.html.includes("/embed/`+feed+`")`, patience))
	require.NoError(t, tab.Until(`document.querySelector("meta[property='og:title']").content === "Lower station"`, patience))
	require.NoError(t, tab.Run(`const i = new Image(); i.src = document.querySelector("meta[property='og:image']").content; i.onload = () => { window.preview = i.naturalWidth }`))
	require.NoError(t, tab.Until(`window.preview === 640`, patience))
	w.edit(client.Patch{"audience": client.Patch{"who": "signed-in"}})
	res, err := http.Get(w.url("/oembed?url=" + url.QueryEscape(w.url("/watch/"+feed))))
	require.NoError(t, err)
	_ = res.Body.Close()
	assert.Equal(t, 401, res.StatusCode)
}
