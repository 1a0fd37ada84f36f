package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"time"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/service"
	"webostrum/testkit"
)

// world is the service and all that is around it.
type world struct {
	chance *rand.Rand
	data   string // on a disk of its own, which can be filled
	mount  bool
	listen string
	cl     *client.Client

	cameras []*camera
	going   sync.WaitGroup

	mu      sync.Mutex
	service *testkit.Process // guarded by mu
	down    bool             // the service is meant to be down; guarded by mu
	report  *report          // guarded by mu
}

// camera is a simulated camera behind a network of its own.
type camera struct {
	name    string
	args    []string
	control string
	line    *line
	process *testkit.Process
}

const diskSize = "96m"

func newWorld(chance *rand.Rand) (*world, error) {
	data, err := os.MkdirTemp("", "webostrum-chaos-")
	if err != nil {
		return nil, err
	}
	w := &world{chance: chance, data: data, report: &report{Faults: map[string]int{}, Viewers: map[string]int{}, Broken: []string{}}}
	if os.Geteuid() == 0 && exec.Command("mount", "-t", "tmpfs", "-o", "size="+diskSize+",mode=0700", "tmpfs", data).Run() == nil {
		w.mount = true
	}
	ports, err := testkit.FreePorts(12)
	if err != nil {
		return nil, err
	}
	w.listen = ports[0]
	if err := w.startService(); err != nil {
		return nil, err
	}
	kinds := []struct{ name, kind, scheme string }{{"gate", "rtsp", "rtsp"}, {"yard", "rtsp", "rtsp"}, {"winch", "motion-jpeg", "http"}, {"mast", "stills", "http"}}
	for i, k := range kinds {
		c := &camera{name: k.name, control: ports[3+2*i]}
		c.args = []string{"sim", "--name", k.name, "--kind", k.kind, "--listen", ports[2+2*i], "--control", c.control, "--size", "320x180", "--rate", "10", "--keyframes", "1s"}
		if c.line, err = newLine(ports[2+2*i]); err != nil {
			return nil, err
		}
		if err := c.start(); err != nil {
			return nil, err
		}
		w.cameras = append(w.cameras, c)
		path := k.name
		if k.kind == "motion-jpeg" {
			path = "video"
		}
		if k.kind == "stills" {
			path = "picture.jpg"
		}
		if err := w.addFeed(k.name, fmt.Sprintf("%s://%s/%s", k.scheme, c.line.address(), path)); err != nil {
			return nil, err
		}
	}
	return w, w.addLine()
}

func (w *world) addFeed(name, url string) error {
	in := apitypes.NewFeed{Name: name, FeedSettings: apitypes.Defaults(url)}
	in.Audience.Who, in.Camera.User, in.Camera.Password = "everyone", "viewer", "funicular"
	in.Camera.AnswerSeconds, in.Camera.FirstFrameSeconds, in.Camera.StallSeconds = 3, 5, 3
	if name == "mast" {
		in.Camera.Fetch, in.Camera.PollSeconds = "poll", 1
	}
	keep(&in)
	_, err := w.cl.AddFeed(context.Background(), in)
	return err
}

func (w *world) startService() error {
	p, err := testkit.Start("--data", w.data, "serve", "--listen", w.listen, "--webrtc-listen", "127.0.0.1:0", "--rtmp-listen", "", "--rtsp-listen", "", "--search-on", "lo", "--recordings-spare", "4M", "--log-level", "error")
	if err != nil {
		return err
	}
	if _, err := p.Find(`(Open the console)`, time.Minute); err != nil {
		return fmt.Errorf("%w: %s", err, p.Log())
	}
	local, err := service.ReadLocal(w.data)
	if err != nil {
		return err
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	w.service, w.cl, w.down = p, client.New(local.Address, local.Token), false
	return nil
}

func (c *camera) start() (err error) {
	if c.process, err = testkit.Start(c.args...); err == nil {
		_, err = c.process.Find(`(is on the air)`, time.Minute)
	}
	return err
}

// tell makes the camera misbehave, or behave again.
func (c *camera) tell(args ...string) {
	program, err := testkit.Program("webostrum")
	if err != nil {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	_ = exec.CommandContext(ctx, program, append([]string{"sim", "--control", c.control, "tell", "--camera", c.name}, args...)...).Run() // it may be away
}

func (w *world) close() {
	for _, c := range w.cameras {
		c.process.Kill()
		c.line.close()
	}
	w.service.Kill()
	if w.mount {
		_ = exec.Command("umount", "-l", w.data).Run()
	}
	_ = os.RemoveAll(w.data)
}

// broke notes that something did not hold.
func (w *world) broke(format string, args ...any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	text := fmt.Sprintf(format, args...)
	fmt.Fprintln(os.Stderr, time.Now().Format(time.TimeOnly), "did not hold:", text)
	if len(w.report.Broken) < 100 {
		w.report.Broken = append(w.report.Broken, text)
	}
}

func (w *world) fault(name string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.report.Faults[name]++
}

// fill fills the disk, or empties it again.
func (w *world) fill(full bool) {
	path := filepath.Join(w.data, "filling")
	if !full {
		_ = os.Remove(path)
		return
	}
	f, err := os.Create(path)
	if err != nil {
		return
	}
	defer func() { _ = f.Close() }()
	block := make([]byte, 1<<20)
	for {
		if _, err := f.Write(block); err != nil {
			return
		}
	}
}
