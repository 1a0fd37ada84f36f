package engines

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
)

const firefoxSettings = `user_pref("media.autoplay.default", 0);
user_pref("media.autoplay.blocking_policy", 0);
user_pref("media.peerconnection.ice.loopback", true);
user_pref("media.navigator.streams.fake", true);
user_pref("media.navigator.permission.disabled", true);
user_pref("browser.shell.checkDefaultBrowser", false);
user_pref("datareporting.policy.dataSubmissionEnabled", false);
user_pref("app.update.enabled", false);
user_pref("network.captive-portal-service.enabled", false);
user_pref("network.connectivity-service.enabled", false);
`

type firefox struct {
	*program
	socket  *websocket.Conn
	context string // of the tab
	next    int
}

const mostAnswer = 4 << 20

// Firefox starts a headless Firefox.
func Firefox(ctx context.Context) (Tab, error) {
	home, err := os.MkdirTemp("", "webostrum-firefox-")
	if err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(home, "user.js"), []byte(firefoxSettings), 0o600); err != nil {
		return nil, err
	}
	p, said, err := start(home, nil, "firefox-esr", "--headless", "--no-remote", "--profile", home, "--remote-debugging-port=0")
	if err != nil {
		_ = os.RemoveAll(home)
		return nil, err
	}
	f := &firefox{program: p}
	if err := f.connect(ctx, said); err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

func (f *firefox) connect(ctx context.Context, said interface{ Read([]byte) (int, error) }) error {
	address, err := find(ctx, said, regexp.MustCompile(`WebDriver BiDi listening on (ws://\S+)`))
	if err != nil {
		return err
	}
	if f.socket, _, err = websocket.Dial(ctx, address+"/session", nil); err != nil {
		return err
	}
	f.socket.SetReadLimit(mostAnswer)
	if err := f.call(ctx, "session.new", map[string]any{"capabilities": map[string]any{}}, nil); err != nil {
		return err
	}
	var tree struct{ Contexts []struct{ Context string } }
	if err := f.call(ctx, "browsingContext.getTree", map[string]any{}, &tree); err != nil {
		return err
	}
	if len(tree.Contexts) == 0 {
		return fmt.Errorf("the browser has no tab")
	}
	f.context = tree.Contexts[0].Context
	return nil
}

// call sends a command and waits for its answer; events in between are passed over.
func (f *firefox) call(ctx context.Context, method string, params, result any) error {
	f.next++
	if err := wsjson.Write(ctx, f.socket, map[string]any{"id": f.next, "method": method, "params": params}); err != nil {
		return err
	}
	for {
		var answer struct {
			ID      int
			Type    string
			Message string
			Result  json.RawMessage
		}
		if err := wsjson.Read(ctx, f.socket, &answer); err != nil {
			return err
		}
		switch {
		case answer.ID != f.next:
			continue
		case answer.Type == "error":
			return fmt.Errorf("%s: %s", method, answer.Message)
		case result == nil:
			return nil
		}
		return json.Unmarshal(answer.Result, result)
	}
}

func (f *firefox) Open(ctx context.Context, url string) error {
	return f.call(ctx, "browsingContext.navigate", map[string]any{"context": f.context, "url": url, "wait": "complete"}, nil)
}

func (f *firefox) Text(ctx context.Context, expression string) (string, error) {
	var out struct {
		Type   string
		Result struct{ Value string }
	}
	err := f.call(ctx, "script.evaluate", map[string]any{
		"expression": "String(" + expression + ")", "target": map[string]any{"context": f.context}, "awaitPromise": true,
	}, &out)
	if err == nil && out.Type != "success" {
		err = fmt.Errorf("%s threw", expression)
	}
	return out.Result.Value, err
}

func (f *firefox) Close() {
	if f.socket != nil {
		_ = f.socket.CloseNow()
	}
	f.close()
}
