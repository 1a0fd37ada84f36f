package main

import (
	"bytes"
	"compress/gzip"
	"crypto/hmac"
	"crypto/sha256"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"webostrum/access"
	"webostrum/web"
)

// checkingLinks measures what the text of a link costs, beside the HMAC alone.
func checkingLinks() ([]result, error) {
	secret := bytes.Repeat([]byte{7}, access.SecretLen)
	links := &access.Links{}
	links.AddKey(1, secret)
	const count = 10_000
	for id := int64(1); id <= count; id++ {
		links.Put(&access.Link{ID: id, Feed: 1, Key: 1})
	}
	now := time.Now()
	text := links.Text(links.Get(count / 2))
	forged := "A" + text[1:len(text)-1] + "A"
	message := []byte("webostrum link 1\x00\x00\x01\x00\x00\x00\x00\x00\x01")
	mac := hmac.New(sha256.New, secret)
	var sum [sha256.Size]byte
	bare := testing.Benchmark(func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			mac.Reset()
			mac.Write(message)
			mac.Sum(sum[:0])
		}
	})
	var results []result
	for what, text := range map[string]string{"a link's text checked, one of 10,000": text, "a text that was made up": forged} {
		ours := testing.Benchmark(func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				_, _ = links.Open(text, 1, now)
			}
		})
		results = append(results, result{
			what, fmt.Sprintf("%d ns, %d allocations", ours.NsPerOp(), ours.AllocsPerOp()), fmt.Sprintf("%d ns, the HMAC alone", bare.NsPerOp()),
			fmt.Sprintf("%.2f", float64(ours.NsPerOp())/float64(bare.NsPerOp())), "no allocation",
		})
	}
	slices.SortFunc(results, func(a, b result) int { return strings.Compare(a.what, b.what) })
	return results, nil
}

const firstFrames = 7

// firstFrame is a page that tells how long it took from the script's being asked for to
// the first frame on show.
const firstFrame = `<!doctype html><title>page</title><body style="margin:0"><script>
	window.begun = performance.now();
	const s = document.createElement("script"); s.src = "SERVICE/player/player.js?" + Math.random();
	document.head.append(s);
	customElements.whenDefined("webostrum-player").then(() => {
		const p = document.createElement("webostrum-player");
		p.setAttribute("feed", "` + demoFeed + `"); p.setAttribute("prefer", "PREFER"); document.body.append(p);
		p.shadowRoot.querySelector("video").requestVideoFrameCallback(() => { window.first = performance.now() - window.begun });
	});
</script>`

// scriptToFrame measures the player's script: its size, and how soon there is a picture on
// a page of another origin, beside one of the service's own.
func scriptToFrame() ([]result, error) {
	script, err := web.Files().Open("player/player.js")
	if err != nil {
		return nil, err
	}
	defer func() { _ = script.Close() }()
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	var plain bytes.Buffer
	if _, err := plain.ReadFrom(script); err != nil {
		return nil, err
	}
	_, _ = z.Write(plain.Bytes()) // to memory
	_ = z.Close()
	const allowed = 60 << 10
	results := []result{{"the player's script, compressed", fmt.Sprintf("%d bytes", packed.Len()), fmt.Sprintf("%d bytes allowed", allowed), fmt.Sprintf("%.2f", float64(packed.Len())/allowed), "under 1"}}
	t, end, err := openTheatre()
	if err != nil {
		return nil, err
	}
	defer end()
	for prefer, name := range map[string]string{"reach": "HLS", "delay": "WebRTC"} {
		foreign, own, err := t.firstFrames(prefer)
		if err != nil {
			return nil, err
		}
		results = append(results, result{
			"from script to first frame on a page of another origin, " + name, fmt.Sprintf("%.0f ms", foreign), fmt.Sprintf("%.0f ms on a page of the service's own", own), fmt.Sprintf("%.2f", foreign/own), "about 1",
		})
	}
	slices.SortFunc(results, func(a, b result) int { return strings.Compare(a.what, b.what) })
	return results, nil
}

// firstFrames measures a few times by turns and returns the medians.
func (t *cinema) firstFrames(prefer string) (foreign, own float64, err error) {
	body := strings.NewReplacer("SERVICE", t.demo.Address, "PREFER", prefer).Replace(firstFrame)
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		_, _ = w.Write([]byte(body))
	}))
	defer site.Close()
	u, err := url.Parse(site.URL)
	if err != nil {
		return 0, 0, err
	}
	elsewhere := "http://" + net.JoinHostPort("localhost", u.Port())
	var ours, theirs []float64
	for range firstFrames {
		for page, list := range map[string]*[]float64{elsewhere: &ours, t.demo.Address + "/clock/time": &theirs} {
			if err := t.page.Open(page); err != nil {
				return 0, 0, err
			}
			if page != elsewhere { // the same script, in a page of the service's own
				if err := t.page.Run(between(body)); err != nil {
					return 0, 0, err
				}
			}
			if err := t.page.Until("window.first > 0", playsWithin); err != nil {
				return 0, 0, err
			}
			took, err := t.page.Number("window.first")
			if err != nil {
				return 0, 0, err
			}
			*list = append(*list, took)
		}
	}
	slices.Sort(ours)
	slices.Sort(theirs)
	return ours[firstFrames/2], theirs[firstFrames/2], nil
}

// between is the script of a page.
func between(page string) string {
	_, after, _ := strings.Cut(page, "<script>")
	script, _, _ := strings.Cut(after, "</script>")
	return script
}

const (
	wallOf  = 9
	wallFor = 20 * time.Second
)

// wall measures what a wall of nine takes of the processor in Chromium, beside nine times
// a page of one.
func wall() ([]result, error) {
	t, end, err := openTheatre()
	if err != nil {
		return nil, err
	}
	defer end()
	feeds := strings.TrimSuffix(strings.Repeat(demoFeed+",", wallOf), ",")
	one, err := t.takes("/embed/"+demoFeed, 1)
	if err != nil {
		return nil, err
	}
	nine, err := t.takes("/wall?feeds="+feeds, wallOf)
	if err != nil {
		return nil, err
	}
	if err := t.page.Run(`document.querySelector(".enlarge").click()`); err != nil {
		return nil, err
	}
	large, err := t.chromium(wallFor)
	if err != nil {
		return nil, err
	}
	share := func(cpu float64) string { return fmt.Sprintf("%.0f %% of a core", 100*cpu) }
	return []result{
		{"processor of Chromium: a wall of nine feeds, HLS 720p25", share(nine), share(wallOf*one) + ", nine times a page of one", fmt.Sprintf("%.2f", nine/(wallOf*one)), "under 1"},
		{"the same with one enlarged, the others paused", share(large), share(one) + ", a page of one", fmt.Sprintf("%.2f", large/one), "about 1"},
	}, nil
}

// takes opens a page of players and measures the browser while they play.
func (t *cinema) takes(path string, players int) (float64, error) {
	if err := t.page.Open(t.demo.Address + path); err != nil {
		return 0, err
	}
	if err := t.page.Until(fmt.Sprintf(`[...document.querySelectorAll("webostrum-player")].filter(p => p.state === "playing").length === %d`, players), playsWithin); err != nil {
		return 0, err
	}
	time.Sleep(settleFor)
	return t.chromium(wallFor)
}

// chromium is what the browser takes for a while, as a share of a core.
func (t *cinema) chromium(span time.Duration) (float64, error) {
	before, err := chromiumTime()
	if err != nil {
		return 0, err
	}
	begun := time.Now()
	time.Sleep(span)
	after, err := chromiumTime()
	return (after - before) / time.Since(begun).Seconds(), err
}

// chromiumTime is the processor time, in seconds, of all processes of Chromium that this
// program has started.
func chromiumTime() (seconds float64, err error) {
	stats, err := filepath.Glob("/proc/[0-9]*/stat")
	if err != nil {
		return 0, err
	}
	type process struct {
		parent int
		name   string
		ticks  float64
	}
	all := map[int]process{}
	for _, path := range stats {
		text, err := os.ReadFile(path)
		if err != nil {
			continue // it has ended
		}
		open, shut := bytes.IndexByte(text, '('), bytes.LastIndexByte(text, ')')
		fields := strings.Fields(string(text[shut+1:]))
		pid, _ := strconv.Atoi(strings.TrimSpace(string(text[:open])))
		parent, _ := strconv.Atoi(fields[1])
		user, _ := strconv.ParseFloat(fields[11], 64)
		system, _ := strconv.ParseFloat(fields[12], 64)
		all[pid] = process{parent, string(text[open+1 : shut]), user + system}
	}
	const ticks = 100 // a second, on every Linux
	for pid, p := range all {
		if !strings.HasPrefix(p.name, "chrom") {
			continue
		}
		for at := pid; at > 1; at = all[at].parent {
			if at == os.Getpid() {
				seconds += p.ticks / ticks
				break
			}
		}
	}
	return seconds, nil
}
