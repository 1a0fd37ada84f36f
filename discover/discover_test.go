package discover_test

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/discover"
	"webostrum/sim/device"
)

// play plays a device on an address of the loopback.
func play(t *testing.T, address, name string, q device.Quirks) *device.Device {
	t.Helper()
	d, err := device.New(device.Config{
		Listen: address + ":0", On: "lo", ID: "urn:uuid:" + name, Name: name, Hardware: "PL 2", Quirks: q,
		Streams: []device.Stream{{Token: "1", Name: "main", Codec: "H264", URL: "rtsp://" + address + ":7654/" + name}},
	})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- d.Run(ctx) }()
	t.Cleanup(func() {
		cancel()
		assert.NoError(t, <-done)
	})
	return d
}

// search searches on the loopback until all of some hosts were found.
func search(t *testing.T, cfg discover.Config, enough func(map[string]discover.Found) bool) map[string]discover.Found {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	cfg.Interfaces, cfg.Length = []string{"lo"}, 30*time.Second
	var mu sync.Mutex
	all := map[string]discover.Found{}
	_, err := discover.Search(ctx, cfg, func(f discover.Found) {
		mu.Lock()
		defer mu.Unlock()
		if all[f.Host+" "+f.ID] = f; enough(all) {
			cancel()
		}
	})
	require.ErrorIs(t, err, context.Canceled, "found in time: %v", all)
	return all
}

// TestFound by WS-Discovery and mDNS, whatever address it gives.
func TestFound(t *testing.T) {
	one := play(t, "127.0.0.71", "yard", device.Quirks{})
	two := play(t, "127.0.0.72", "gate", device.Quirks{OtherHost: "203.0.113.5:8080"})
	all := search(t, discover.Config{}, func(all map[string]discover.Found) bool {
		return len(all["127.0.0.71 urn:uuid:yard"].Ways) == 2 && len(all["127.0.0.72 urn:uuid:gate"].Ways) == 2
	})
	yard := all["127.0.0.71 urn:uuid:yard"]
	assert.Equal(t, one.URL(), yard.Device)
	assert.Equal(t, "PL 2", yard.Hardware)
	assert.Equal(t, []string{"rtsp://127.0.0.71:7654/yard"}, yard.Streams)
	assert.Empty(t, yard.Odd)
	gate := all["127.0.0.72 urn:uuid:gate"]
	assert.Equal(t, "http://127.0.0.72:8080/onvif/device_service", gate.Device, "on the host that answered")
	assert.Contains(t, gate.Odd, "It gives the address 203.0.113.5:8080, but answers from 127.0.0.72")
	assert.NotEmpty(t, two.URL())
}

// TestManyDevices are all found.
func TestManyDevices(t *testing.T) {
	const many = 50
	for n := range many {
		play(t, fmt.Sprintf("127.0.1.%d", n+1), fmt.Sprintf("camera-%d", n), device.Quirks{})
	}
	search(t, discover.Config{}, func(all map[string]discover.Found) bool {
		n := 0
		for _, f := range all {
			if strings.HasPrefix(f.Host, "127.0.1.") && f.Device != "" {
				n++
			}
		}
		return n == many
	})
}

// TestSweep finds what announces itself nowhere.
func TestSweep(t *testing.T) {
	d, err := device.New(device.Config{Listen: "127.0.0.90:0", Name: "quiet"})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- d.Run(ctx) }()
	t.Cleanup(func() { cancel(); assert.NoError(t, <-done) })
	l, err := net.Listen("tcp", "127.0.0.91:0") // speaks RTSP
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			_, _ = c.Write([]byte("RTSP/1.0 200 OK\r\nCSeq: 1\r\n\r\n"))
			_ = c.Close()
		}
	}()
	rtsp := l.Addr().(*net.TCPAddr).AddrPort().Port()
	onvif := netip.MustParseAddrPort(strings.TrimSuffix(strings.TrimPrefix(d.URL(), "http://"), "/onvif/device_service")).Port()
	all := search(t, discover.Config{Sweep: []netip.Prefix{netip.MustParsePrefix("127.0.0.88/29")}, Ports: []uint16{rtsp, onvif}}, func(all map[string]discover.Found) bool {
		return all["127.0.0.90 "].Device != "" && len(all["127.0.0.91 "].Streams) > 0
	})
	assert.Equal(t, d.URL(), all["127.0.0.90 "].Device)
	assert.Equal(t, []string{fmt.Sprintf("rtsp://127.0.0.91:%d/", rtsp)}, all["127.0.0.91 "].Streams)
}

func TestSweepsThatAreRefused(t *testing.T) {
	for _, text := range []string{"203.0.113.0/24", "0.0.0.0/0", "192.168.0.0/16", "8.8.8.8/32", "::/0", "2001:db8::/120", "10.0.0.0/8"} {
		assert.Error(t, discover.CheckSweep(netip.MustParsePrefix(text)), text)
	}
	for _, text := range []string{"192.168.1.0/24", "10.1.0.0/22", "127.0.0.1/32", "fd00::/120", "169.254.1.0/24"} {
		assert.NoError(t, discover.CheckSweep(netip.MustParsePrefix(text)), text)
	}
	_, err := discover.Search(t.Context(), discover.Config{Interfaces: []string{"lo"}, Sweep: []netip.Prefix{netip.MustParsePrefix("8.8.8.0/24")}}, nil)
	assert.ErrorIs(t, err, discover.ErrPublic)
	_, err = discover.Search(t.Context(), discover.Config{Interfaces: []string{"none-such"}}, nil)
	assert.ErrorIs(t, err, discover.ErrInterface)
}

// TestHostileAnswers: what comes to whoever searches is no more than is looked at.
func TestHostileAnswers(t *testing.T) {
	play(t, "127.0.0.75", "honest", device.Quirks{})
	heard, err := net.ListenMulticastUDP("udp4", loopback(t), &net.UDPAddr{IP: net.IPv4(239, 255, 255, 250), Port: 3702})
	require.NoError(t, err)
	t.Cleanup(func() { _ = heard.Close() })
	go func() {
		buf := make([]byte, 64<<10)
		for {
			_, from, err := heard.ReadFromUDP(buf)
			if err != nil {
				return
			}
			for n := range 50 {
				_, _ = heard.WriteToUDP([]byte(strings.Repeat("<a>", n)), from)
				_, _ = heard.WriteToUDP([]byte(fmt.Sprintf("<e><Header><RelatesTo>%d</RelatesTo></Header></e>", n)), from)
			}
		}
	}()
	search(t, discover.Config{}, func(all map[string]discover.Found) bool { return all["127.0.0.75 urn:uuid:honest"].Device != "" })
}

func loopback(t *testing.T) *net.Interface {
	t.Helper()
	i, err := net.InterfaceByName("lo")
	require.NoError(t, err)
	return i
}
