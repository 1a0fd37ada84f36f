package whip

import (
	"encoding/json"
	"errors"
	"sync"
	"time"

	"github.com/pion/rtp"
	"github.com/pion/webrtc/v4"
)

// packet is an RTP packet with its time of arrival.
type packet struct {
	*rtp.Packet
	now time.Time
}

// channelName is that of the data channel by which a camera page tells what its camera can do,
// and hears what an engineer asks for.
const channelName = "camera"

const (
	mostMessage = 16 << 10
	reportEvery = 2 * time.Second
)

// ErrNoControl is returned for a publisher that cannot be asked for anything.
var ErrNoControl = errors.New("whip: the publisher takes no requests")

// Range is what a setting may be.
type Range struct {
	Min  float64 `json:"min"`
	Max  float64 `json:"max"`
	Step float64 `json:"step"`
}

// Camera is what a camera page says of its camera.
type Camera struct {
	Cameras []string `json:"cameras"` // labels
	Camera  int      `json:"camera"`  // which of them is on
	Torch   *bool    `json:"torch"`   // nil where there is none
	Zoom    *float64 `json:"zoom"`    // nil where it cannot be set
	Zooms   *Range   `json:"zooms"`
	Focus   []string `json:"focus"` // modes that it has; empty where they cannot be set
	Focused string   `json:"focused"`
	Width   int      `json:"width"`
	Height  int      `json:"height"`
}

// Wish is what an engineer asks of a camera; what is nil stays.
type Wish struct {
	Torch  *bool    `json:"torch,omitempty"`
	Zoom   *float64 `json:"zoom,omitempty"`
	Focus  *string  `json:"focus,omitempty"`
	Camera *int     `json:"camera,omitempty"`
}

// arriving is what the page is told of what arrives.
type arriving struct {
	Width     int     `json:"width"`
	Height    int     `json:"height"`
	FrameRate float64 `json:"frameRate"`
	BitRate   float64 `json:"bitRate"`
	Lost      uint64  `json:"lost"`
}

// message is what goes to the page.
type message struct {
	Wish     *Wish     `json:"wish,omitempty"`
	Arriving *arriving `json:"arriving,omitempty"`
	Ended    string    `json:"ended,omitempty"` // why
}

// control is the data channel of a session.
type control struct {
	mu      sync.Mutex
	channel *webrtc.DataChannel // guarded by mu; nil without one
	camera  *Camera             // guarded by mu; nil before the page has told

	reported       time.Time // for the goroutine that receives
	bytes, picture uint64
}

// open takes the page's channel.
func (c *control) open(d *webrtc.DataChannel) {
	if d.Label() != channelName {
		return
	}
	d.OnOpen(func() {
		c.mu.Lock()
		defer c.mu.Unlock()
		c.channel = d
	})
	d.OnMessage(func(m webrtc.DataChannelMessage) {
		var camera Camera
		if len(m.Data) > mostMessage || json.Unmarshal(m.Data, &camera) != nil {
			return // a page of ours sends nothing else
		}
		const most = 16
		camera.Cameras, camera.Focus = camera.Cameras[:min(len(camera.Cameras), most)], camera.Focus[:min(len(camera.Focus), most)]
		c.mu.Lock()
		defer c.mu.Unlock()
		c.camera = &camera
	})
}

// tell sends the page something; a page without a channel is told nothing.
func (c *control) tell(m message) bool {
	c.mu.Lock()
	d := c.channel
	c.mu.Unlock()
	body, err := json.Marshal(m)
	const mostBuffered = 64 << 10 // of a page that does not read
	if d == nil || err != nil || d.BufferedAmount() > mostBuffered {
		return false
	}
	return d.SendText(string(body)) == nil
}

// report tells now and then what arrives.
func (c *control) report(s *Session, now time.Time) {
	passed := now.Sub(c.reported)
	if passed < reportEvery {
		return
	}
	stats := s.videoStats()
	a := arriving{Lost: stats.Lost}
	if !c.reported.IsZero() && stats.Bytes >= c.bytes {
		a.BitRate = float64(stats.Bytes-c.bytes) * 8 / passed.Seconds()
		a.FrameRate = float64(stats.Pictures-c.picture) / passed.Seconds()
	}
	c.reported, c.bytes, c.picture = now, stats.Bytes, stats.Pictures
	s.mu.Lock()
	if s.video != nil && s.video.Config() != nil {
		a.Width, a.Height = s.video.Config().Width, s.video.Config().Height
	}
	s.mu.Unlock()
	c.tell(message{Arriving: &a})
}

// Camera returns what the page says of its camera, or ErrNoControl.
func (s *Session) Camera() (Camera, error) {
	s.control.mu.Lock()
	defer s.control.mu.Unlock()
	if s.control.camera == nil {
		return Camera{}, ErrNoControl
	}
	return *s.control.camera, nil
}

// Ask asks the page for something.
func (s *Session) Ask(w Wish) error {
	if !s.control.tell(message{Wish: &w}) {
		return ErrNoControl
	}
	return nil
}
