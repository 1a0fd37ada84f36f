package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/browser"
	"webostrum/service"
	"webostrum/testkit"
)

// lab is a service behind a router: network namespaces for the inside with the service, for
// another machine inside, for the router, and for a phone outside.
type lab struct {
	t    *testing.T
	name string
	data string
}

const (
	labService = "192.168.77.20"
	labOther   = "192.168.77.30"
	labRouter  = "198.51.100.7" // outside
	labPhone   = "198.51.100.99"
)

func (l *lab) ns(part string) string { return l.name + part }

// run runs a program in a namespace and waits for it.
func (l *lab) run(part string, args ...string) (string, error) {
	out, err := exec.Command("ip", append([]string{"netns", "exec", l.ns(part)}, args...)...).CombinedOutput()
	return string(out), err
}

func (l *lab) must(args ...string) {
	l.t.Helper()
	out, err := exec.Command("ip", args...).CombinedOutput()
	require.NoError(l.t, err, "ip %s: %s", strings.Join(args, " "), out)
}

// start runs a program in a namespace until the test ends.
func (l *lab) start(part string, args ...string) {
	l.t.Helper()
	cmd := exec.Command("ip", append([]string{"netns", "exec", l.ns(part)}, args...)...)
	var log bytes.Buffer
	cmd.Stdout, cmd.Stderr = &log, &log
	require.NoError(l.t, cmd.Start())
	l.t.Cleanup(func() {
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait()
		if l.t.Failed() {
			l.t.Log(log.String())
		}
	})
}

func newLab(t *testing.T) *lab {
	t.Helper()
	if os.Geteuid() != 0 {
		t.Skip("network namespaces need root")
	}
	l := &lab{t: t, name: fmt.Sprintf("wbo%d-%d-", os.Getpid()%10000, labs.Add(1)), data: t.TempDir()}
	for _, part := range []string{"in", "other", "router", "phone"} {
		l.must("netns", "add", l.ns(part))
		t.Cleanup(func() { _ = exec.Command("ip", "netns", "delete", l.ns(part)).Run() })
		l.must("-n", l.ns(part), "link", "set", "lo", "up")
	}
	l.must("-n", l.ns("router"), "link", "add", "inside", "type", "bridge")
	l.must("-n", l.ns("router"), "address", "add", "192.168.77.1/24", "dev", "inside")
	l.must("-n", l.ns("router"), "link", "set", "inside", "up")
	for part, address := range map[string]string{"in": labService, "other": labOther} {
		l.must("link", "add", "eth0", "netns", l.ns(part), "type", "veth", "peer", "name", "p"+part, "netns", l.ns("router"))
		l.must("-n", l.ns("router"), "link", "set", "p"+part, "master", "inside", "up")
		l.must("-n", l.ns(part), "address", "add", address+"/24", "dev", "eth0")
		l.must("-n", l.ns(part), "link", "set", "eth0", "up")
		l.must("-n", l.ns(part), "route", "add", "default", "via", "192.168.77.1")
	}
	l.must("link", "add", "eth0", "netns", l.ns("phone"), "type", "veth", "peer", "name", "outside", "netns", l.ns("router"))
	l.must("-n", l.ns("phone"), "address", "add", labPhone+"/24", "dev", "eth0")
	l.must("-n", l.ns("phone"), "link", "set", "eth0", "up")
	l.must("-n", l.ns("router"), "address", "add", labRouter+"/24", "dev", "outside")
	l.must("-n", l.ns("router"), "link", "set", "outside", "up")
	_, err := l.run("router", "sysctl", "-q", "-w", "net.ipv4.ip_forward=1")
	require.NoError(t, err)
	return l
}

// rules has the router pass ports on, each written like "tcp 7600 192.168.77.20"; what is in
// drop is dropped before.
func (l *lab) rules(pass []string, drop ...string) {
	l.t.Helper()
	var b strings.Builder
	b.WriteString("flush ruleset\ntable ip lab {\n chain first { type filter hook prerouting priority -150;\n")
	for _, d := range drop {
		fmt.Fprintf(&b, "  iifname outside %s drop\n", strings.Replace(d, " ", " dport ", 1))
	}
	b.WriteString(" }\n chain pass { type nat hook prerouting priority -100;\n")
	for _, p := range pass {
		cells := strings.Fields(p)
		fmt.Fprintf(&b, "  iifname outside %s dport %s dnat to %s\n", cells[0], cells[1], cells[2])
	}
	b.WriteString(" }\n chain out { type nat hook postrouting priority 100;\n  oifname outside masquerade\n }\n}\n")
	file := filepath.Join(l.data, "rules")
	require.NoError(l.t, os.WriteFile(file, []byte(b.String()), 0o600))
	out, err := l.run("router", "nft", "-f", file)
	require.NoError(l.t, err, out)
}

// serve runs the service and its camera inside.
func (l *lab) serve(flags ...string) {
	l.t.Helper()
	program, err := testkit.Program("webostrum")
	require.NoError(l.t, err)
	l.start("in", program, "sim", "--listen", "127.0.0.1:7664", "--control", "127.0.0.1:7690", "--size", "320x180", "--rate", "10", "--keyframes", "1s")
	l.start("in", append([]string{program, "--data", l.data, "serve", "--listen", "0.0.0.0:7600", "--https-listen", "0.0.0.0:7643", "--own-authority", "--webrtc-listen", "0.0.0.0:7601", "--search-on", "lo"}, flags...)...)
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	require.NoError(l.t, testkit.Eventually(ctx, func() bool {
		out, err := l.run("in", program, "--data", l.data, "feed", "add", "--user", user, "--password", password, "--audience", "everyone", "gate", "rtsp://127.0.0.1:7664/lower-station")
		return err == nil || strings.Contains(out, "taken")
	}))
	require.NoError(l.t, testkit.Eventually(ctx, func() bool {
		out, _ := l.run("in", program, "--data", l.data, "feed", "list", "--output", "json")
		return strings.Contains(out, `"state": "live"`)
	}))
}

// check makes a check by the command line.
func (l *lab) check() apitypes.ReachCheck {
	l.t.Helper()
	local, err := service.ReadLocal(l.data)
	require.NoError(l.t, err)
	out, err := l.run("in", "curl", "-sf", "-X", "POST", "-H", "Authorization: Bearer "+local.Token, "-H", "Content-Type: application/json", "-d", "{}", local.Address+"/api/v1/reach/checks")
	require.NoError(l.t, err, out)
	var k apitypes.ReachCheck
	require.NoError(l.t, json.Unmarshal([]byte(out), &k))
	return k
}

// labs counts labs: each has namespaces of its own.
var labs atomic.Int32

// labRow is what stands on the page of one trial.
type labRow struct{ State, Text string }

// phone opens a check's page on the phone, which trusts the service's authority or not, and
// returns what stands there.
func (l *lab) phone(address string, trusts bool) map[string]labRow {
	l.t.Helper()
	home := l.t.TempDir()
	if trusts {
		l.trust(home)
	}
	cmd := exec.Command("ip", "netns", "exec", l.ns("phone"), os.Args[0], "-test.run", "^TestOnThePhone$", "-test.v")
	rows := filepath.Join(home, "rows.json")
	cmd.Env = append(os.Environ(), "HOME="+home, "WEBOSTRUM_PHONE="+address, "WEBOSTRUM_PHONE_ROWS="+rows)
	out, err := cmd.CombinedOutput()
	require.NoError(l.t, err, string(out))
	body, err := os.ReadFile(rows)
	require.NoError(l.t, err, string(out))
	var all map[string]labRow
	require.NoError(l.t, json.Unmarshal(body, &all))
	return all
}

func (l *lab) trust(home string) {
	l.t.Helper()
	folder := filepath.Join(home, ".pki", "nssdb")
	require.NoError(l.t, os.MkdirAll(folder, 0o700))
	for _, args := range [][]string{{"-N", "--empty-password"}, {"-A", "-t", "C,,", "-n", "webostrum", "-i", filepath.Join(l.data, "authority.pem")}} {
		out, err := exec.Command("certutil", append([]string{"-d", "sql:" + folder}, args...)...).CombinedOutput()
		require.NoError(l.t, err, string(out))
	}
}

// TestOnThePhone is the phone's side of the tests below, in its namespace.
func TestOnThePhone(t *testing.T) {
	address := os.Getenv("WEBOSTRUM_PHONE")
	if address == "" {
		t.Skip("it is run by the other tests")
	}
	page, stop, err := browser.Open(context.Background(), 390, 844)
	require.NoError(t, err)
	defer stop()
	require.NoError(t, page.Phone())
	require.NoError(t, page.Open(address))
	require.NoError(t, page.Until(`document.body.dataset.done === "yes"`, patience))
	text, err := page.Text(`JSON.stringify(Object.fromEntries([...document.querySelectorAll("#trials li")].map((li) => [li.id.slice(6), { State: li.dataset.state, Text: li.innerText }])))`)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(os.Getenv("WEBOSTRUM_PHONE_ROWS"), []byte(text), 0o600))
	if picture := os.Getenv("WEBOSTRUM_PHONE_PICTURE"); picture != "" {
		png, err := page.Picture()
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(picture, png, 0o600))
	}
}

var allRules = []string{"tcp 7600 " + labService, "tcp 7643 " + labService, "tcp 7601 " + labService, "udp 7601 " + labService}

// but returns all rules, one of them changed; an empty one takes it away.
func but(protocol, port, to string) (list []string) {
	for _, r := range allRules {
		if strings.HasPrefix(r, protocol+" "+port) {
			if to == "" {
				continue
			}
			r = protocol + " " + port + " " + to
		}
		list = append(list, r)
	}
	return list
}

// TestBehindARouter blocks each port, or forwards it wrongly, in turn.
func TestBehindARouter(t *testing.T) {
	t.Parallel()
	l := newLab(t)
	l.serve("--webrtc-address", labRouter, "--outside", "http://"+labRouter+":7600")
	l.rules(allRules)
	k := l.check()
	require.Equal(t, "http://"+labRouter+":7600/reach/"+k.Code, k.URL)
	secure := "https://" + labRouter + ":7643/reach/" + k.Code

	rows := l.phone(k.URL, true)
	for _, trial := range []string{"http", "https", "hls", "fragments", "motion-jpeg", "webrtc-udp", "webrtc-tcp"} {
		assert.Equal(t, "good", rows[trial].State, "%s: %s", trial, rows[trial].Text)
	}
	rows = l.phone(k.URL, false)
	assert.Contains(t, rows["https"].Text, "does not trust its certificate")
	assert.Contains(t, rows["https"].Text, "open /trust on this device")

	for _, c := range []struct {
		what  string
		open  string // address of the page
		pass  []string
		drop  []string
		trial string
		says  string
	}{
		{"HTTPS blocked", k.URL, allRules, []string{"tcp 7643"}, "https", "Nothing came back from 198.51.100.7:7643"},
		{"HTTPS without a rule", k.URL, but("tcp", "7643", ""), nil, "https", "refused at once"},
		{"HTTPS to another machine", k.URL, but("tcp", "7643", labOther), nil, "https", "or the rule points to another machine or port. It has to point to " + labService + ", TCP port 7643"},
		{"UDP blocked", k.URL, allRules, []string{"udp 7601"}, "webrtc-udp", "No packet came through by UDP"},
		{"UDP to another machine", k.URL, but("udp", "7601", labOther), nil, "webrtc-udp", "has to point to " + labService + ", UDP port 7601"},
		{"WebRTC's TCP blocked", k.URL, allRules, []string{"tcp 7601"}, "webrtc-tcp", "TCP port 7601"},
		{"WebRTC's TCP to another machine", k.URL, but("tcp", "7601", labOther), nil, "webrtc-tcp", "TCP port 7601"},
		{"HTTP blocked", secure, allRules, []string{"tcp 7600"}, "http", "let such a page try nothing over plain HTTP"},
	} {
		l.rules(c.pass, c.drop...)
		rows := l.phone(c.open, true)
		assert.Contains(t, rows[c.trial].Text, c.says, c.what)
		for trial, r := range rows {
			if trial != c.trial && trial != "http" {
				assert.Equal(t, "good", r.State, "%s: %s: %s", c.what, trial, r.Text)
			}
		}
	}
	l.fromTheCommandLine(k)
}

// fromTheCommandLine tells the mistakes apart that a browser cannot.
func (l *lab) fromTheCommandLine(k apitypes.ReachCheck) {
	t := l.t
	program, err := testkit.Program("webostrum")
	require.NoError(t, err)
	from := func() string {
		out, _ := l.run("phone", program, "reach", "--from", k.URL)
		return strings.Join(strings.Fields(out), " ")
	}
	l.rules(allRules)
	out := from()
	assert.Contains(t, out, "yes HTTP ")
	assert.Contains(t, out, "yes WebRTC over UDP")
	assert.Contains(t, out, "yes WebRTC over TCP")
	assert.Contains(t, out, "yes Motion JPEG")
	assert.Contains(t, out, "does not trust its certificate")
	l.rules(allRules, "tcp 7600")
	assert.Contains(t, from(), "Nothing came back from 198.51.100.7:7600")
	l.rules(but("tcp", "7600", ""))
	assert.Contains(t, from(), "refused at once")
	l.start("other", "python3", "-m", "http.server", "7600", "--bind", labOther)
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	l.rules(but("tcp", "7600", labOther))
	require.NoError(t, testkit.Eventually(ctx, func() bool { return strings.Contains(from(), "Something else answers at 198.51.100.7:7600") }))
	out, _ = l.run("phone", program, "reach", "--from", "http://"+labService+":7600/reach/"+k.Code)
	assert.Contains(t, out, "an address of the inside")
	local := l.check()
	assert.NotEmpty(t, local.Code)
	assert.WithinDuration(t, time.Now().Add(time.Hour), local.Ends, time.Minute)
}

// TestOnlyInsideAddresses are offered where nobody has said what is outside.
func TestOnlyInsideAddresses(t *testing.T) {
	t.Parallel()
	l := newLab(t)
	l.serve("--outside", "http://"+labRouter+":7600")
	l.rules(allRules)
	rows := l.phone(l.check().URL, true)
	assert.Contains(t, rows["webrtc-udp"].Text, "only known inside its network")
	assert.Contains(t, rows["webrtc-udp"].Text, "--webrtc-address")
}
