// Package browser drives a headless browser: to measure what viewers see, to test
// pages, and to take pictures of them.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// Page is a tab of a headless Chromium of its own.
type Page struct {
	tab context.Context
}

// ErrNone is returned when no browser is installed that can be driven.
var ErrNone = errors.New("no Chromium is installed here")

// names are what programs of that engine are called.
var names = []string{"chromium", "chromium-browser", "google-chrome", "google-chrome-stable", "microsoft-edge"}

func find() (string, error) {
	for _, name := range names {
		if path, err := exec.LookPath(name); err == nil {
			return path, nil
		}
	}
	return "", ErrNone
}

// FakeCamera are flags by which a browser has cameras and a microphone that are not there, and
// gives them to every page that asks. The second of the three sees depth, and no pictures.
var FakeCamera = []string{"use-fake-ui-for-media-stream", "use-fake-device-for-media-stream=device-count=3,fps=30"}

// Open starts a headless browser with an empty profile and a window of so many
// pixels, and with flags besides the usual ones, such as "name" or "name=value"; the function
// that is returned ends it. The error is ErrNone when there is none.
func Open(ctx context.Context, width, height int, flags ...string) (*Page, func(), error) {
	path, err := find()
	if err != nil {
		return nil, nil, err
	}
	profile, err := os.MkdirTemp("", "webostrum-browser-")
	if err != nil {
		return nil, nil, err
	}
	opts := []chromedp.ExecAllocatorOption{
		chromedp.ExecPath(path), chromedp.UserDataDir(profile), chromedp.WindowSize(width, height),
	}
	for _, flag := range []string{
		"disable-gpu", "disable-quic", "no-first-run", "disable-background-networking",
		"disable-component-update", "disable-sync", "hide-scrollbars", "mute-audio",
	} {
		opts = append(opts, chromedp.Flag(flag, true))
	}
	for _, flag := range flags {
		if name, value, ok := strings.Cut(flag, "="); ok {
			opts = append(opts, chromedp.Flag(name, value))
		} else {
			opts = append(opts, chromedp.Flag(name, true))
		}
	}
	if os.Geteuid() == 0 {
		opts = append(opts, chromedp.Flag("no-sandbox", true)) // it starts in no other way then
	}
	opts = append(opts, chromedp.Flag("headless", "new"), chromedp.Flag("autoplay-policy", "no-user-gesture-required"))
	alloc, stopAlloc := chromedp.NewExecAllocator(ctx, opts...)
	tab, stopTab := chromedp.NewContext(alloc)
	stop := func() {
		stopTab()
		stopAlloc()
		_ = os.RemoveAll(profile)
	}
	p := &Page{tab}
	err = p.Open("about:blank")
	if err == nil {
		err = chromedp.Do(tab, chromedp.EmulateViewport(int64(width), int64(height)))
	}
	if err != nil {
		stop()
		return nil, nil, fmt.Errorf("the browser does not start: %w", err)
	}
	return p, stop, nil
}

// Open goes to an address and waits for the page to load.
func (p *Page) Open(url string) error { return chromedp.Do(p.tab, chromedp.Navigate(url)) }

// Text evaluates a JavaScript expression and returns its value as text.
func (p *Page) Text(expression string) (string, error) {
	return chromedp.Run(p.tab, chromedp.Evaluate[string]("String("+expression+")"))
}

// Number evaluates a JavaScript expression that is a number.
func (p *Page) Number(expression string) (float64, error) {
	return chromedp.Run(p.tab, chromedp.Evaluate[float64]("Number("+expression+")"))
}

// Run runs JavaScript statements.
func (p *Page) Run(statements string) error {
	_, err := chromedp.Run(p.tab, chromedp.Evaluate[bool]("(() => {"+statements+"; return true })()"))
	return err
}

// Until asks again and again until a JavaScript expression is true. A page
// that is being loaded counts as not yet.
func (p *Page) Until(expression string, within time.Duration) error {
	ctx, cancel := context.WithTimeout(p.tab, within)
	defer cancel()
	var last error
	ticker := time.NewTicker(askEvery)
	defer ticker.Stop()
	for {
		var ok bool
		if ok, last = chromedp.Run(ctx, chromedp.Evaluate[bool]("Boolean("+expression+")")); ok && last == nil {
			return nil
		}
		select {
		case <-ticker.C:
		case <-ctx.Done():
			return fmt.Errorf("%s did not come true within %v (%w)", expression, within, errors.Join(ctx.Err(), last))
		}
	}
}

const askEvery = 50 * time.Millisecond

// SignIn sends a token with every request of the page.
func (p *Page) SignIn(token string) error {
	return chromedp.Do(p.tab, chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		if _, err := cdp.Call(ctx, t, network.Enable, network.EnableParams{}); err != nil {
			return err
		}
		headers := network.Headers{"Authorization": "Bearer " + token}
		_, err := cdp.Call(ctx, t, network.SetExtraHTTPHeaders, network.SetExtraHTTPHeadersParams{Headers: headers})
		return err
	}))
}

// Type puts text into the field that a CSS selector finds.
func (p *Page) Type(selector, text string) error {
	return chromedp.Do(p.tab, chromedp.SendKeys(selector, text))
}

// Keys presses keys where the focus is.
func (p *Page) Keys(keys string) error { return chromedp.Do(p.tab, chromedp.KeyEvent(keys)) }

// Press clicks the button with this text, once it can be pressed.
func (p *Page) Press(label string) error {
	find := fmt.Sprintf(`[...document.querySelectorAll("button, a")].find(b => !b.disabled && b.textContent.trim() === %q)`, label)
	if err := p.Until(find, 10*time.Second); err != nil {
		return err
	}
	return p.Run(find + ".click()")
}

// Before has a script run in every page before its own.
func (p *Page) Before(script string) error {
	return chromedp.Do(p.tab, chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: script})
		return err
	}))
}

// Picture returns what the page shows, as PNG.
func (p *Page) Picture() ([]byte, error) { return chromedp.Run(p.tab, chromedp.CaptureScreenshot()) }

// Phone makes the window that of a phone, with dark colours wanted.
func (p *Page) Phone() error {
	const width, height, scale = 390, 844, 2
	dark := chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
			Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: "dark"}},
		})
		return err
	})
	return chromedp.Do(p.tab, dark, chromedp.EmulateViewport(width, height, chromedp.EmulateScale(scale)))
}
