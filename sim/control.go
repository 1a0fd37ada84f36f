package sim

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"
)

// Order is what the control tells a camera.
type Order struct {
	Behave Misbehaviour `json:"behave"`
	Drop   bool         `json:"drop,omitempty"`
	Reboot *RebootOrder `json:"reboot,omitempty"`
}

// RebootOrder makes a camera go away and come back; zero fields stay as they
// are.
type RebootOrder struct {
	Width      int     `json:"width,omitempty"`
	Height     int     `json:"height,omitempty"`
	KeySeconds float64 `json:"keySeconds,omitempty"`
	OffSeconds float64 `json:"offSeconds,omitempty"`
}

// String says what was ordered.
func (o Order) String() string {
	switch {
	case o.Reboot != nil:
		return fmt.Sprintf("reboots, away for %g s", o.Reboot.OffSeconds)
	case o.Drop:
		return "drops its connections"
	}
	b, err := json.Marshal(o.Behave)
	if err != nil {
		return err.Error()
	}
	return "behaves so from now on: " + string(b)
}

// Obey does what an order says.
func (c *Camera) Obey(o Order) error {
	c.Faults.Set(o.Behave)
	if o.Drop {
		c.Drop()
	}
	if o.Reboot == nil {
		return nil
	}
	s := c.Settings()
	if c.cfg.Kind != RTSP {
		s = c.cfg.Settings // small boards forget what was set since they booted
	}
	if o.Reboot.Width > 0 {
		s.Width, s.Height = o.Reboot.Width, o.Reboot.Height
	}
	if o.Reboot.KeySeconds > 0 {
		s.KeyEvery = time.Duration(o.Reboot.KeySeconds * float64(time.Second))
	}
	return c.Reboot(s, time.Duration(o.Reboot.OffSeconds*float64(time.Second)))
}

const (
	controlPath = "/cameras/"
	maxOrder    = 64 << 10
	tellTimeout = 5 * time.Second
)

// control answers POST /cameras/NAME with an Order as JSON.
func control(cameras []*Camera) http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("POST "+controlPath+"{name}", func(w http.ResponseWriter, r *http.Request) {
		for _, c := range cameras {
			if c.Name() != r.PathValue("name") {
				continue
			}
			var o Order
			err := json.NewDecoder(io.LimitReader(r.Body, maxOrder)).Decode(&o)
			if err == nil {
				err = c.Obey(o)
			}
			if err != nil {
				http.Error(w, err.Error(), http.StatusUnprocessableEntity)
			}
			return
		}
		http.Error(w, "there is no camera of that name", http.StatusNotFound)
	})
	return mux
}

// Play plays cameras, with their control on an address, until ctx ends.
func Play(ctx context.Context, address string, cameras ...*Camera) error {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return fmt.Errorf("the cameras' control cannot use %s: %w; choose another with --control", address, err)
	}
	ctx, cancel := context.WithCancel(ctx)
	server := &http.Server{Handler: control(cameras), ReadHeaderTimeout: tellTimeout}
	failed := make(chan error, len(cameras)+1)
	var parts sync.WaitGroup
	parts.Go(func() {
		if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
			failed <- err
		}
	})
	for _, c := range cameras {
		parts.Go(func() {
			if err := c.Run(ctx); err != nil {
				failed <- err
			}
		})
	}
	select {
	case err = <-failed:
	case <-ctx.Done():
	}
	cancel()
	_ = server.Close()
	parts.Wait()
	return err
}

// Tell sends an order to a camera's control.
func Tell(ctx context.Context, address, camera string, o Order) error {
	body, err := json.Marshal(o)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, tellTimeout)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, "http://"+address+controlPath+camera, bytes.NewReader(body))
	if err != nil {
		return err
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return fmt.Errorf("no simulated cameras answer at %s: %w", address, err)
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		said, _ := io.ReadAll(io.LimitReader(res.Body, maxOrder))
		return fmt.Errorf("the camera refused: %s", strings.TrimSpace(string(said)))
	}
	return nil
}
