package engines

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"time"

	"webostrum/wait"
)

const miniBrowser = "/usr/lib/x86_64-linux-gnu/webkit2gtk-4.1/MiniBrowser"

type webKit struct {
	*program
	base string // of the session
}

// WebKit starts WebKitGTK's small browser on a screen of its own. It does not always come
// up, and is started anew then.
func WebKit(ctx context.Context) (Tab, error) {
	const tries = 8
	var err error
	for range tries {
		var k *webKit
		if k, err = tryWebKit(ctx); err == nil {
			return k, nil
		}
		if errors.Is(err, ErrNone) || ctx.Err() != nil {
			break
		}
	}
	return nil, err
}

func tryWebKit(ctx context.Context) (*webKit, error) {
	if _, err := os.Stat(miniBrowser); err != nil {
		return nil, fmt.Errorf("%w: %s", ErrNone, miniBrowser)
	}
	screen, display, err := startScreen()
	if err != nil {
		return nil, err
	}
	endScreen := func() { _ = screen.Process.Kill(); _ = screen.Wait() }
	home, err := os.MkdirTemp("", "webostrum-webkit-")
	if err != nil {
		endScreen()
		return nil, err
	}
	address, err := freeAddress()
	if err != nil {
		endScreen()
		return nil, err
	}
	host, port, _ := net.SplitHostPort(address)
	env := []string{"DISPLAY=" + display, "GDK_BACKEND=x11", "WEBKIT_GST_ENABLE_HLS_SUPPORT=1", "WEBKIT_DISABLE_SANDBOX_THIS_IS_DANGEROUS=1", "NO_AT_BRIDGE=1"}
	p, said, err := start(home, env, "WebKitWebDriver", "--host="+host, "--port="+port)
	if err != nil {
		endScreen()
		return nil, err
	}
	go func() { _, _ = io.Copy(io.Discard, said) }() // ends with the program
	p.more = append(p.more, screen)
	k := &webKit{program: p, base: "http://" + address}
	if err := k.begin(ctx); err != nil {
		k.Close()
		return nil, err
	}
	return k, nil
}

// startScreen starts an X server that shows nothing, and says which display it is.
func startScreen() (*exec.Cmd, string, error) {
	r, w, err := os.Pipe()
	if err != nil {
		return nil, "", err
	}
	defer func() { _ = r.Close() }()
	cmd := exec.Command("Xvfb", "-displayfd", "3", "-screen", "0", "1280x800x24", "-nolisten", "tcp")
	cmd.ExtraFiles = []*os.File{w}
	err = cmd.Start()
	_ = w.Close()
	if err != nil {
		return nil, "", fmt.Errorf("%w: Xvfb", ErrNone)
	}
	number := make([]byte, 8)
	n, err := r.Read(number)
	if err != nil {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
		return nil, "", fmt.Errorf("the screen does not start: %w", err)
	}
	return cmd, ":" + strings.TrimSpace(string(number[:n])), nil
}

func freeAddress() (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	defer func() { _ = l.Close() }()
	return l.Addr().String(), nil
}

func (k *webKit) begin(ctx context.Context) error {
	options := map[string]any{"binary": miniBrowser, "args": []string{"--automation", "--autoplay-policy=allow"}}
	var made struct{ SessionID string }
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	for {
		err := k.call(ctx, "/session", map[string]any{"capabilities": map[string]any{"alwaysMatch": map[string]any{"webkitgtk:browserOptions": options}}}, &made)
		if err == nil {
			k.base += "/session/" + made.SessionID
			return nil
		}
		if !wait.For(ctx, askEvery) { // it may not listen yet
			return err
		}
	}
}

// patience bounds each call: now and then the driver answers one never, and the next at
// once.
const patience = 10 * time.Second

func (k *webKit) call(ctx context.Context, path string, in, out any) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	body, err := json.Marshal(in)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, k.base+path, bytes.NewReader(body))
	if err != nil {
		return err
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	var answer struct{ Value json.RawMessage }
	if err := json.NewDecoder(io.LimitReader(res.Body, mostAnswer)).Decode(&answer); err != nil {
		return err
	}
	switch {
	case res.StatusCode != http.StatusOK:
		return fmt.Errorf("%s: %s", path, answer.Value)
	case out == nil:
		return nil
	}
	return json.Unmarshal(answer.Value, out)
}

func (k *webKit) Open(ctx context.Context, url string) error {
	return k.call(ctx, "/url", map[string]any{"url": url}, nil)
}

func (k *webKit) Text(ctx context.Context, expression string) (text string, err error) {
	return text, k.call(ctx, "/execute/sync", map[string]any{"script": "return String(" + expression + ")", "args": []any{}}, &text)
}

func (k *webKit) Close() { k.close() }
