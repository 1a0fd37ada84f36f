package router_test

import (
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/portmap"
	"webostrum/router"
)

var wanted = []router.Wanted{{Protocol: portmap.TCP, Port: 7600, For: "HTTP"}, {Protocol: portmap.UDP, Port: 7601, For: "WebRTC"}}

// sim is a router that speaks by datagrams.
type sim struct {
	conn    *net.UDPConn
	pcp     bool          // knows PCP, too
	outside [4]byte       // its address
	shift   uint16        // gives another port than asked for
	code    uint16        // refuses
	garble  bool          // answers nonsense
	life    time.Duration // that it gives at most

	mu    sync.Mutex
	rules map[string]uint16 // guarded by mu
}

func simulate(t *testing.T, s *sim) *router.Keeper {
	t.Helper()
	conn, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	s.conn, s.rules = conn, make(map[string]uint16)
	t.Cleanup(func() { _ = conn.Close() })
	go s.serve()
	return router.New(router.Config{Gateway: func() netip.Addr { return netip.MustParseAddr("127.0.0.1") }, Port: conn.LocalAddr().(*net.UDPAddr).Port, UPnP: "http://127.0.0.1:1/none"})
}

func (s *sim) serve() {
	b := make([]byte, 1500)
	for {
		n, from, err := s.conn.ReadFromUDP(b)
		if err != nil {
			return
		}
		if answer := s.answer(b[:n]); answer != nil {
			_, _ = s.conn.WriteToUDP(answer, from)
		}
	}
}

func (s *sim) answer(q []byte) []byte {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case s.garble:
		return []byte("\x02\x81\x00\x00 what?")
	case q[0] == 2 && !s.pcp:
		return []byte{0, q[1] | 0x80, 0, 1, 0, 0, 0, 0}
	case q[0] == 2:
		a := append([]byte(nil), q...)
		a[1] |= 0x80
		a[3] = byte(s.code)
		outside := s.keep(q[36], q[40:], q[42:], q[4:])
		binary.BigEndian.PutUint16(a[42:], outside)
		if s.life > 0 {
			binary.BigEndian.PutUint32(a[4:], uint32(s.life/time.Second))
		}
		copy(a[56:], s.outside[:])
		return a
	case q[1] == 0:
		return append([]byte{0, 0x80, 0, byte(s.code), 0, 0, 0, 1}, s.outside[:]...)
	}
	a := make([]byte, 16)
	a[1], a[3] = q[1]|0x80, byte(s.code)
	copy(a[8:], q[4:6])
	number := map[byte]byte{1: 17, 2: 6}[q[1]]
	binary.BigEndian.PutUint16(a[10:], s.keep(number, q[4:], q[6:], q[8:]))
	copy(a[12:], q[8:12])
	return a
}

func (s *sim) keep(protocol byte, inside, outside, life []byte) uint16 {
	key := fmt.Sprint(protocol, " ", binary.BigEndian.Uint16(inside))
	if binary.BigEndian.Uint32(life) == 0 {
		delete(s.rules, key)
		return 0
	}
	given := binary.BigEndian.Uint16(outside) + s.shift
	if s.code == 0 {
		s.rules[key] = given
	}
	return given
}

func (s *sim) has() map[string]uint16 {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := make(map[string]uint16)
	for k, v := range s.rules {
		out[k] = v
	}
	return out
}

// TestAskedRenewedWithdrawn by both kinds of datagram.
func TestAskedRenewedWithdrawn(t *testing.T) {
	t.Parallel()
	for name, s := range map[string]*sim{"PCP": {pcp: true, outside: [4]byte{198, 51, 100, 7}}, "NAT-PMP": {outside: [4]byte{198, 51, 100, 7}}} {
		k := simulate(t, s)
		assert.False(t, k.State().Asked, "nothing is asked by itself")
		state := k.Ask(context.Background(), wanted)
		require.NoError(t, state.Trouble)
		assert.Equal(t, name, state.By)
		assert.Equal(t, "198.51.100.7", state.Outside.String())
		assert.Empty(t, state.Note())
		require.Len(t, state.Rules, 2)
		for i, r := range state.Rules {
			require.NoError(t, r.Trouble)
			assert.Equal(t, wanted[i].Port, r.Given)
			assert.WithinDuration(t, time.Now().Add(time.Hour), r.Ends, time.Minute)
		}
		assert.Equal(t, map[string]uint16{"6 7600": 7600, "17 7601": 7601}, s.has())
		ctx, cancel := context.WithCancel(context.Background())
		done := make(chan struct{})
		go func() { defer close(done); k.Run(ctx) }()
		cancel()
		<-done
		assert.Empty(t, s.has(), "taken back at the end")
		assert.False(t, k.State().Asked)
	}
}

// TestRoutersThatLie or refuse are found out.
func TestRoutersThatLie(t *testing.T) {
	t.Parallel()
	ask := func(s *sim) router.State { return simulate(t, s).Ask(context.Background(), wanted) }
	state := ask(&sim{pcp: true, shift: 5, outside: [4]byte{198, 51, 100, 7}})
	assert.ErrorContains(t, state.Rules[0].Trouble, "gives port 7605 instead of 7600")
	state = ask(&sim{outside: [4]byte{100, 70, 1, 1}})
	assert.Contains(t, state.Note(), "carrier-grade NAT")
	state = ask(&sim{outside: [4]byte{192, 168, 0, 2}})
	assert.Contains(t, state.Note(), "another router in front")
	state = ask(&sim{pcp: true, code: 2, outside: [4]byte{198, 51, 100, 7}})
	assert.ErrorContains(t, state.Rules[1].Trouble, "not allowed")
	assert.Zero(t, state.Rules[1].Given)
	state = ask(&sim{garble: true})
	assert.ErrorIs(t, state.Trouble, router.ErrNone)
	assert.Contains(t, state.Note(), "by hand")
	none := router.New(router.Config{Gateway: func() netip.Addr { return netip.Addr{} }})
	assert.ErrorContains(t, none.Ask(context.Background(), wanted).Trouble, "no default route")
}

// gateway is a router that speaks UPnP.
func gateway(t *testing.T, entry func(client string) (string, bool)) (*httptest.Server, func() []string) {
	t.Helper()
	var mu sync.Mutex
	var said []string
	client := ""
	value := func(body, name string) string {
		m := regexp.MustCompile("<" + name + ">([^<]*)<").FindStringSubmatch(body)
		if m == nil {
			return ""
		}
		return m[1]
	}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodGet {
			_, _ = io.WriteString(w, `<?xml version="1.0"?><root xmlns="urn:schemas-upnp-org:device-1-0"><device><deviceType>urn:schemas-upnp-org:device:InternetGatewayDevice:2</deviceType><serviceList><service><serviceType>urn:schemas-upnp-org:service:WANIPConnection:2</serviceType><serviceId>urn:upnp-org:serviceId:WANIPConn1</serviceId><controlURL>/control</controlURL><eventSubURL>/e</eventSubURL><SCPDURL>/s</SCPDURL></service></serviceList></device></root>`)
			return
		}
		raw, _ := io.ReadAll(r.Body)
		body := string(raw)
		_, action, _ := strings.Cut(strings.Trim(r.Header.Get("SOAPAction"), `"`), "#")
		mu.Lock()
		defer mu.Unlock()
		said = append(said, strings.TrimSpace(action+" "+value(body, "NewExternalPort")+" "+value(body, "NewProtocol")))
		out := ""
		switch action {
		case "GetExternalIPAddress":
			out = "<NewExternalIPAddress>198.51.100.7</NewExternalIPAddress>"
		case "AddPortMapping":
			client = value(body, "NewInternalClient")
		case "GetSpecificPortMappingEntry":
			to, on := entry(client)
			enabled := map[bool]string{true: "1", false: "0"}[on]
			out = "<NewInternalPort>" + value(body, "NewExternalPort") + "</NewInternalPort><NewInternalClient>" + to + "</NewInternalClient><NewEnabled>" + enabled + "</NewEnabled><NewPortMappingDescription>x</NewPortMappingDescription><NewLeaseDuration>3600</NewLeaseDuration>"
		}
		w.Header().Set("Content-Type", "text/xml")
		_, _ = fmt.Fprintf(w, `<?xml version="1.0"?><s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/" s:encodingStyle="http://schemas.xmlsoap.org/soap/encoding/"><s:Body><u:%sResponse xmlns:u="urn:schemas-upnp-org:service:WANIPConnection:2">%s</u:%sResponse></s:Body></s:Envelope>`, action, out, action)
	}))
	t.Cleanup(s.Close)
	return s, func() []string {
		mu.Lock()
		defer mu.Unlock()
		return append([]string(nil), said...)
	}
}

// TestUPnP asks a router that knows nothing else, and looks at what it did.
func TestUPnP(t *testing.T) {
	t.Parallel()
	ask := func(s *httptest.Server) *router.Keeper {
		return router.New(router.Config{Gateway: func() netip.Addr { return netip.MustParseAddr("127.0.0.1") }, Port: 1, UPnP: s.URL + "/"})
	}
	s, said := gateway(t, func(client string) (string, bool) { return client, true })
	k := ask(s)
	state := k.Ask(context.Background(), wanted)
	require.NoError(t, state.Trouble)
	assert.Equal(t, "UPnP", state.By)
	assert.Equal(t, "198.51.100.7", state.Outside.String())
	require.NoError(t, state.Rules[0].Trouble)
	k.Withdraw(context.Background())
	assert.Contains(t, said(), "AddPortMapping 7601 UDP")
	assert.Contains(t, said(), "DeletePortMapping 7600 TCP")

	s, _ = gateway(t, func(string) (string, bool) { return "192.0.2.99", true })
	assert.ErrorContains(t, ask(s).Ask(context.Background(), wanted).Rules[0].Trouble, "on to 192.0.2.99")
	s, _ = gateway(t, func(client string) (string, bool) { return client, false })
	assert.ErrorContains(t, ask(s).Ask(context.Background(), wanted).Rules[0].Trouble, "switched off")
	elsewhere := router.New(router.Config{Gateway: func() netip.Addr { return netip.MustParseAddr("127.0.0.2") }, Port: 1, UPnP: s.URL + "/"})
	assert.ErrorIs(t, elsewhere.Ask(context.Background(), wanted).Trouble, router.ErrNone, "another device than the router answers")
}
