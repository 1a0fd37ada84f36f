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
	"webostrum/deliver/socket"
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

// serving compares our handler with nginx on the same segment: by itself, from the disk's
// cache and from memory, and over HTTP/2 with nginx in front of either.
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
	}), ReadHeaderTimeout: time.Second, ConnContext: socket.With}
	go func() { _ = server.Serve(l) }()
	defer func() { _ = server.Close() }()

	nginx, stop, err := startNginx(g, l.Addr().String())
	if err != nil {
		return nil, err
	}
	defer stop()
	own := "/" + hls.Original + "/" + segmentName
	speeds := map[string][]float64{}
	for range rounds {
		for name, ask := range map[string]func() (float64, error){
			"ours":       func() (float64, error) { return wrk("http://" + l.Addr().String() + own) },
			"disk":       func() (float64, error) { return wrk("http://" + nginx.disk + "/" + segmentName) },
			"memory":     func() (float64, error) { return wrk("http://" + nginx.memory + "/" + segmentName) },
			"ours by h2": func() (float64, error) { return h2load("https://" + nginx.front + own) },
			"disk by h2": func() (float64, error) { return h2load("https://" + nginx.front + "/disk/" + segmentName) },
		} {
			v, err := ask()
			if err != nil {
				return nil, fmt.Errorf("%s: %w", name, err)
			}
			speeds[name] = append(speeds[name], v)
		}
	}
	line := func(what, ours, limit, by, aim string) result {
		o, n := median(speeds[ours]), median(speeds[limit])
		return result{what, fmt.Sprintf("%.2f GB/s", o/1e9), fmt.Sprintf("%.2f GB/s by %s", n/1e9, by), fmt.Sprintf("%.2f", o/n), aim}
	}
	return []result{
		line("segments over loopback", "ours", "memory", "nginx from memory, as ours are", "0.9 or better"),
		line("the same beside the disk's cache", "ours", "disk", "nginx from a file of ext4", "0.9 or better"),
		line("segments by HTTP/2 through nginx, without its cache", "ours by h2", "disk by h2", "nginx through nginx", "0.9 or better"),
	}, nil
}

// nginxPorts are where nginx listens.
type nginxPorts struct{ disk, memory, front string }

const nginxConfig = `daemon off; worker_processes 2; pid %[1]s/pid; error_log %[1]s/log; events {}
http {
	access_log off; keepalive_requests 100000000; sendfile on; tcp_nopush on; open_file_cache max=10;
	client_body_temp_path %[1]s/b; proxy_temp_path %[1]s/p; fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s;
	upstream disk { server %[3]s; keepalive 16; }
	upstream ours { server %[6]s; keepalive 16; }
	server { listen %[3]s; root %[1]s/www; }
	server { listen %[4]s; root %[2]s; }
	server {
		listen %[5]s ssl http2; ssl_certificate %[1]s/cert.pem; ssl_certificate_key %[1]s/key.pem;
		proxy_http_version 1.1; proxy_set_header Connection ""; proxy_buffers 16 64k; proxy_buffer_size 64k;
		location /disk/ { proxy_pass http://disk/; }
		location / { proxy_pass http://ours; }
	}
}
`

func startNginx(g *cutting.Cutter, ours string) (at nginxPorts, stop func(), err error) {
	program, err := exec.LookPath("nginx")
	if err != nil {
		return at, nil, errors.New("nginx is missing: run \"scripts/packages.sh bench\"")
	}
	dir, memory, err := twoFolders()
	if err != nil {
		return at, nil, err
	}
	whole, err := read(g)
	if err != nil {
		return at, nil, err
	}
	ports, err := testkit.FreePorts(3)
	if err != nil {
		return at, nil, err
	}
	at = nginxPorts{ports[0], ports[1], ports[2]}
	err = errors.Join(
		os.Mkdir(filepath.Join(dir, "www"), 0o755),
		os.WriteFile(filepath.Join(dir, "www", segmentName), whole, 0o644),
		os.WriteFile(filepath.Join(memory, segmentName), whole, 0o644),
		os.WriteFile(filepath.Join(dir, "conf"), fmt.Appendf(nil, nginxConfig, dir, memory, at.disk, at.memory, at.front, ours), 0o644),
		exec.Command("openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:P-256", "-nodes", "-subj", "/CN=localhost", "-days", "2",
			"-keyout", filepath.Join(dir, "key.pem"), "-out", filepath.Join(dir, "cert.pem")).Run(),
	)
	if err != nil {
		return at, nil, err
	}
	cmd := exec.Command(program, "-c", filepath.Join(dir, "conf"))
	if err := cmd.Start(); err != nil {
		return at, nil, err
	}
	stop = func() {
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait()
		_ = errors.Join(os.RemoveAll(dir), os.RemoveAll(memory))
	}
	return at, stop, waitPort(at.front)
}

// twoFolders makes one folder on the disk, and one in memory, that nginx can read.
func twoFolders() (disk, memory string, err error) {
	if disk, err = os.MkdirTemp("", "webostrum-bench-"); err != nil {
		return "", "", err
	}
	if memory, err = os.MkdirTemp("/dev/shm", "webostrum-bench-"); err != nil {
		return "", "", err
	}
	return disk, memory, errors.Join(os.Chmod(disk, 0o755), os.Chmod(memory, 0o755))
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

// wrk returns bytes a second.
func wrk(url string) (float64, error) { return load("wrk", "-t1", "-c16", "-d4s", url) }

// h2load returns bytes a second by HTTP/2.
func h2load(url string) (float64, error) {
	return load("h2load", "-t1", "-c4", "-m4", "-D4", "-w20", "-W24", url)
}

var (
	transfer = regexp.MustCompile(`(?:Transfer/sec:\s+|req/s, )([0-9.]+)([KMG])B`)
	refusals = regexp.MustCompile(`Non-2xx|[1-9][0-9]* (?:4xx|5xx|failed)`)
)

func load(program string, arguments ...string) (float64, error) {
	out, err := exec.Command(program, arguments...).CombinedOutput()
	if err != nil {
		return 0, fmt.Errorf("%s: %w: %s", program, err, out)
	}
	m := transfer.FindStringSubmatch(string(out))
	if m == nil || refusals.Match(out) {
		return 0, fmt.Errorf("%s said: %s", program, out)
	}
	v, err := strconv.ParseFloat(m[1], 64)
	return v * map[string]float64{"K": 1 << 10, "M": 1 << 20, "G": 1 << 30}[m[2]], err
}
