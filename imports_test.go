// Package webostrum's own test keeps the layers apart.
package webostrum

import (
	"bytes"
	"encoding/json"
	"io"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// layers says what each folder may import of ours, after docs/architecture.md.
// Every folder is listed; what may import everything says so.
var layers = map[string][]string{
	"cmd":               anything,
	"bench":             anything,
	"e2e":               anything,
	"scripts":           anything,
	"testkit":           anything,
	"core/media":        {},
	"core/":             {"core/"},
	"codecs":            {"core/", "codecs/"},
	"transcode":         {"core/", "wait", "barrier"},
	"apitypes":          {},
	"barrier":           {},
	"ingest":            {"core/", "ingest/", "apitypes", "barrier", "netif", "wait"},
	"ingest/source":     {"core/"},
	"ingest/dial":       {"core/"},
	"deliver/hls":       {"core/", "deliver/problem", "deliver/socket"},
	"deliver/problem":   {"core/", "apitypes"},
	"deliver/whep":      {"core/", "barrier"},
	"deliver/mjpeg":     {"core/", "deliver/problem", "deliver/socket"},
	"deliver/fragments": {"core/", "deliver/problem", "deliver/socket"},
	"deliver/rtsp":      {"barrier", "core/", "netif", "wait"},
	"deliver/":          {"core/"},
	"access":            {},
	"store":             {"core/httpauth"},
	"station":           {"access", "core/", "netif", "onvif", "ingest/", "ingest", "deliver/memfile", "transcode", "store", "station/", "wait", "barrier"},
	"certs":             {},
	"router":            {"core/"},
	"traces":            {},
	"alerts":            {"core/", "wait"},
	"reach":             {"core/", "apitypes"},
	"bucket":            {},
	"record":            {"barrier", "bucket", "core/", "station", "station/", "store", "tend", "wait"},
	"film":              {"core/", "transcode"},
	"stills":            {"barrier", "core/", "film", "record", "station", "station/", "store", "tend", "transcode", "wait"},
	"outlet":            {"barrier", "bucket", "core/", "station", "station/", "tend", "wait"},
	"api":               {"access", "film", "outlet", "record", "stills", "alerts", "certs", "router", "netif", "core/", "discover", "onvif", "ingest/", "deliver/", "transcode", "station/", "store", "apitypes", "barrier"},
	"client":            {"apitypes"},
	"discover":          {"core/", "onvif", "wait"},
	"onvif":             {"core/", "ingest/camhttp", "netif"},
	"browser":           {"wait"},
	"sim":               {"core/", "deliver/", "transcode", "sim/", "wait"},
	"service":           {"access", "api", "outlet", "record", "stills", "certs", "router", "netif", "ingest/", "discover", "transcode", "core/fault", "deliver/rtsp", "deliver/socket", "deliver/viewers", "deliver/whep", "station", "store", "traces", "wait", "web"},
	"netif":             {},
	"tend":              {},
	"wait":              {},
	"web":               {},
}

// anything is the rule of a folder that may import all others.
var anything = []string{"*"}

// notInCore are packages that computation has no business with.
var notInCore = []string{"net", "net/http", "os", "os/exec", "C", "database/sql"}

type listed struct {
	ImportPath string
	Imports    []string
}

func TestLayers(t *testing.T) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "./...").Output()
	require.NoError(t, err)
	dec := json.NewDecoder(bytes.NewReader(out))
	count := 0
	for {
		var p listed
		if err := dec.Decode(&p); err == io.EOF {
			break
		} else {
			require.NoError(t, err)
		}
		count++
		checkLayer(t, p)
	}
	assert.Greater(t, count, 20, "packages were looked at")
}

func checkLayer(t *testing.T, p listed) {
	t.Helper()
	folder := strings.TrimPrefix(p.ImportPath, "webostrum/")
	allowed, ok := rule(folder)
	assert.True(t, ok || folder == "webostrum", "the folder %s is not in the list of layers: say there what it may import", folder)
	for _, imported := range p.Imports {
		ours, mine := strings.CutPrefix(imported, "webostrum/")
		if mine && ok {
			assert.True(t, fits(ours, allowed), "%s imports %s", folder, ours)
		}
		if !strings.HasPrefix(folder, "core/") || mine {
			continue
		}
		assert.NotContains(t, notInCore, imported, "%s imports %s", folder, imported)
		outside := strings.Contains(strings.Split(imported, "/")[0], ".")
		assert.True(t, !outside || imported == "github.com/pion/rtp" || imported == "github.com/pion/rtcp", "%s imports %s", folder, imported)
	}
}

// rule finds the longest entry that fits a folder.
func rule(folder string) (allowed []string, ok bool) {
	best := ""
	for prefix, list := range layers {
		fitting := folder == prefix || strings.HasPrefix(folder, strings.TrimSuffix(prefix, "/")+"/")
		if fitting && len(prefix) > len(best) {
			best, allowed, ok = prefix, list, true
		}
	}
	return allowed, ok
}

func fits(folder string, allowed []string) bool {
	for _, a := range allowed {
		if a == "*" || folder == strings.TrimSuffix(a, "/") || (strings.HasSuffix(a, "/") && strings.HasPrefix(folder, a)) {
			return true
		}
	}
	return false
}
