package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"time"

	"webostrum/core/hls"
	"webostrum/core/media"
	deliver "webostrum/deliver/hls"
	"webostrum/deliver/memfile"
	"webostrum/testkit"
	"webostrum/testkit/cutting"
	"webostrum/testkit/pictures"
)

func median(v []float64) float64 {
	s := slices.Sorted(slices.Values(v))
	return s[len(s)/2]
}

// segments makes a segmenter with a few segments of 1 MB.
func segments() (*cutting.Cutter, error) {
	g, err := cutting.New(hls.Config{Run: "bench", Start: time.Unix(0, 0), Wanted: 2 * time.Second, Listed: 6, Keep: memfile.Keep})
	if err != nil {
		return nil, err
	}
	return g, fill(400, g.Write)
}

// fill makes pictures of a 4 Mbit/s feed.
func fill(count int64, take func(*media.Sample) error) error {
	track := pictures.Track(pictures.SPS)
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	for n := range count {
		s := &media.Sample{Epoch: epoch, Track: track, DTS: n * 3600, PTS: n * 3600, Captured: time.Now(), Key: n%keyEvery == 0}
		if s.Key {
			s.Data = pictures.Data(pictures.IDR(keySize, byte(n)))
		} else {
			s.Data = pictures.Data(pictures.P(pictureSize, byte(n)))
		}
		if err := take(s); err != nil {
			return err
		}
	}
	return nil
}

type benchFeed struct{ g *cutting.Cutter }

func (f benchFeed) Made(string) *hls.Track                                      { return f.g.Track }
func (f benchFeed) Track(context.Context, string) (*hls.Track, error)           { return f.g.Track, nil }
func (f benchFeed) DASH(context.Context, string) ([]byte, time.Duration, error) { return nil, 0, nil }
func (f benchFeed) Multivariant(context.Context, string) (*hls.Text, time.Duration, error) {
	return hls.NewText(""), time.Second, nil
}

const segmentName = "bench-0.m4s"

// serving compares our handler with nginx on the same segment.
func serving() ([]result, error) {
	g, err := segments()
	if err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	h := &deliver.Handler{Shared: true}
	server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h.ServeFile(w, r, benchFeed{g}, r.URL.Path[1:])
	}), ReadHeaderTimeout: time.Second}
	go func() { _ = server.Serve(l) }()
	defer func() { _ = server.Close() }()

	nginx, stop, err := startNginx(g)
	if err != nil {
		return nil, err
	}
	defer stop()
	var ours, theirs []float64
	for range rounds {
		o, err := wrk("http://" + l.Addr().String() + "/" + hls.Original + "/" + segmentName)
		if err != nil {
			return nil, err
		}
		n, err := wrk("http://" + nginx + "/" + segmentName)
		if err != nil {
			return nil, err
		}
		ours, theirs = append(ours, o), append(theirs, n)
	}
	o, n := median(ours), median(theirs)
	return []result{{"segments over loopback", fmt.Sprintf("%.2f GB/s", o/1e9), fmt.Sprintf("%.2f GB/s by nginx", n/1e9), fmt.Sprintf("%.2f", o/n), "1 or better"}}, nil
}

func startNginx(g *cutting.Cutter) (address string, stop func(), err error) {
	program, err := exec.LookPath("nginx")
	if err != nil {
		return "", nil, errors.New("nginx is missing: run \"scripts/packages.sh bench\"")
	}
	dir, err := os.MkdirTemp("", "webostrum-bench-")
	if err != nil {
		return "", nil, err
	}
	whole, err := read(g)
	if err != nil {
		return "", nil, err
	}
	ports, err := testkit.FreePorts(1)
	if err != nil {
		return "", nil, err
	}
	config := fmt.Sprintf("daemon off; worker_processes 2; pid %[1]s/pid; error_log %[1]s/log; events {}\nhttp { access_log off; sendfile on; tcp_nopush on;"+
		" open_file_cache max=10; server { listen %[2]s; root %[1]s/www; } client_body_temp_path %[1]s/b; proxy_temp_path %[1]s/p; fastcgi_temp_path %[1]s/f;"+
		" uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s; }", dir, ports[0])
	err = errors.Join(
		os.Chmod(dir, 0o755), os.Mkdir(filepath.Join(dir, "www"), 0o755),
		os.WriteFile(filepath.Join(dir, "www", segmentName), whole, 0o644),
		os.WriteFile(filepath.Join(dir, "conf"), []byte(config), 0o644),
	)
	if err != nil {
		return "", nil, err
	}
	cmd := exec.Command(program, "-c", filepath.Join(dir, "conf"))
	if err := cmd.Start(); err != nil {
		return "", nil, err
	}
	stop = func() {
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait()
		_ = os.RemoveAll(dir)
	}
	return ports[0], stop, waitPort(ports[0])
}

func read(g *cutting.Cutter) ([]byte, error) {
	piece, ok := g.Find(context.Background(), segmentName)
	if !ok {
		return nil, errors.New("no segment was made")
	}
	return cutting.Read(piece)
}

func waitPort(address string) error {
	var err error
	for range 100 {
		var c net.Conn
		if c, err = net.Dial("tcp", address); err == nil {
			return c.Close()
		}
		time.Sleep(50 * time.Millisecond)
	}
	return err
}

var transfer = regexp.MustCompile(`Transfer/sec:\s+([0-9.]+)([KMG])B`)

// wrk returns bytes a second.
func wrk(url string) (float64, error) {
	out, err := exec.Command("wrk", "-t1", "-c16", "-d4s", url).CombinedOutput()
	if err != nil {
		return 0, fmt.Errorf("wrk: %w: %s", err, out)
	}
	m := transfer.FindStringSubmatch(string(out))
	if m == nil || regexp.MustCompile(`Non-2xx`).Match(out) {
		return 0, fmt.Errorf("wrk said: %s", out)
	}
	v, err := strconv.ParseFloat(m[1], 64)
	return v * map[string]float64{"K": 1 << 10, "M": 1 << 20, "G": 1 << 30}[m[2]], err
}
