package api

import (
	"context"
	"crypto/rand"
	"errors"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/core/plan"
	"webostrum/discover"
	"webostrum/onvif"
	"webostrum/station"
)

const (
	mostSearches  = 2 // that run at a time
	keptSearches  = 16
	longestSearch = 10 * time.Minute // of a sweep

	deviceAnswer = 10 * time.Second // for each answer of a camera by ONVIF
	deviceTime   = 40 * time.Second // for all of them
)

// searches are those that run, and the last that ran.
type searches struct {
	mu      sync.Mutex
	running int       // guarded by mu
	all     []*search // the oldest first; guarded by mu
}

// search is one.
type search struct {
	id string

	mu      sync.Mutex
	running bool             // guarded by mu
	found   []discover.Found // guarded by mu
	notes   []string         // guarded by mu
}

func (s *search) take(f discover.Found) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if i := slices.IndexFunc(s.found, func(x discover.Found) bool { return x.Host == f.Host && (x.ID == "" || x.ID == f.ID) }); i >= 0 {
		s.found[i] = f
	} else {
		s.found = append(s.found, f)
	}
}

func (s *search) end(notes []string, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.running, s.notes = false, notes
	switch {
	case errors.Is(err, context.DeadlineExceeded):
		s.notes = append(s.notes, "The sweep took too long and was ended: sweep a smaller network, or fewer ports.")
	case errors.Is(err, discover.ErrInterface):
		s.notes = append(s.notes, "Nothing was searched: "+err.Error()+". Correct \"serve --search-on\", or leave it out.")
	case err != nil && !errors.Is(err, context.Canceled):
		s.notes = append(s.notes, "The search failed: "+err.Error()+".")
	}
}

// begin makes room for a search.
func (x *searches) begin() (*search, bool) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.running >= mostSearches {
		return nil, false
	}
	x.running++
	s := &search{id: strings.ToLower(rand.Text()[:10]), running: true}
	x.all = append(x.all, s)
	x.all = x.all[max(0, len(x.all)-keptSearches):]
	return s, true
}

func (x *searches) ended() {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.running--
}

func (x *searches) get(id string) *search {
	x.mu.Lock()
	defer x.mu.Unlock()
	if i := slices.IndexFunc(x.all, func(s *search) bool { return s.id == id }); i >= 0 {
		return x.all[i]
	}
	return nil
}

// startSearch begins to search; showSearch tells what it has found.
func (a *API) startSearch(ctx context.Context, in *struct{ Body apitypes.NewSearch }) (*struct{ Body apitypes.Search }, error) {
	cfg := discover.Config{Interfaces: a.cfg.SearchOn, Length: span(in.Body.Seconds)}
	for _, text := range in.Body.Sweep {
		p, err := netip.ParsePrefix(strings.TrimSpace(text))
		if err == nil {
			err = discover.CheckSweep(p)
		}
		if err != nil {
			return nil, refused("sweep", err.Error())
		}
		cfg.Sweep = append(cfg.Sweep, p)
	}
	for _, port := range in.Body.Ports {
		cfg.Ports = append(cfg.Ports, uint16(port)) // the schema bounds it
	}
	s, ok := a.searches.begin()
	if !ok {
		return nil, answerFor(fault.New(fault.SearchBusy, nil, ""))
	}
	a.by(ctx).Note("", station.EventSearch, searchText(in.Body))
	a.going.Go(func() {
		defer a.searches.ended()
		ctx, cancel := context.WithTimeout(a.closing, longestSearch)
		defer cancel()
		notes, err := discover.Search(ctx, cfg, s.take)
		s.end(notes, err)
	})
	return &struct{ Body apitypes.Search }{a.searchView(s)}, nil
}

func searchText(in apitypes.NewSearch) string {
	if len(in.Sweep) == 0 {
		return "cameras were searched for"
	}
	return "cameras were searched for, address by address in " + strings.Join(in.Sweep, ", ")
}

func (a *API) showSearch(_ context.Context, in *struct {
	ID string `path:"id" maxLength:"32"`
}) (*struct{ Body apitypes.Search }, error) {
	s := a.searches.get(in.ID)
	if s == nil {
		return nil, answerFor(fault.New(fault.SearchUnknown, nil, ""))
	}
	return &struct{ Body apitypes.Search }{a.searchView(s)}, nil
}

func (a *API) searchView(s *search) apitypes.Search {
	s.mu.Lock()
	defer s.mu.Unlock()
	v := apitypes.Search{ID: s.id, Running: s.running, Found: []apitypes.FoundCamera{}, Notes: append([]string{}, s.notes...)}
	hosts := a.cameraHosts()
	known := a.deviceFeeds()
	for _, f := range s.found {
		v.Found = append(v.Found, apitypes.FoundCamera{
			Host: f.Host, ID: f.ID, Name: f.Name, Hardware: f.Hardware, Location: f.Location, Device: f.Device, Streams: f.Streams,
			Pages: f.Pages, Ways: f.Ways, Odd: f.Odd, Feeds: hosts[f.Host], Moved: elsewhere(known[f.ID], hosts[f.Host]),
		})
	}
	return v
}

// cameraHosts are the feeds by the hosts of their cameras, as far as these are addresses.
func (a *API) cameraHosts() map[string][]string {
	hosts := map[string][]string{}
	for _, f := range a.station.List() {
		r := f.Status().Record
		if u, err := url.Parse(r.URL); err == nil {
			hosts[u.Hostname()] = append(hosts[u.Hostname()], r.Name)
		}
	}
	return hosts
}

// deviceFeeds are the feeds by what their devices call themselves.
func (a *API) deviceFeeds() map[string][]string {
	feeds := map[string][]string{}
	for _, f := range a.station.List() {
		if r := f.Status().Record; r.DeviceID != "" {
			feeds[r.DeviceID] = append(feeds[r.DeviceID], r.Name)
		}
	}
	return feeds
}

// elsewhere are those of some feeds that are not at a host.
func elsewhere(feeds, here []string) []string {
	return slices.DeleteFunc(slices.Clone(feeds), func(name string) bool { return slices.Contains(here, name) })
}

// offeredStreams asks a camera for its streams by ONVIF.
func (a *API) offeredStreams(ctx context.Context, in *struct{ Body apitypes.DeviceSignIn }) (*struct{ Body apitypes.OfferedStreams }, error) {
	u, err := deviceURL(in.Body.Address)
	if err != nil {
		return nil, refused("address", err.Error())
	}
	select {
	case a.inspections <- struct{}{}:
		defer func() { <-a.inspections }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	ctx, cancel := context.WithTimeoutCause(ctx, deviceTime, fault.New(fault.SlowAnswer, nil, "all its answers took longer than %v", deviceTime))
	defer cancel()
	r, err := onvif.Look(ctx, onvif.Config{URL: u, User: in.Body.User, Password: in.Body.Password, Fingerprint: in.Body.Fingerprint, AnswerTimeout: deviceAnswer})
	if err != nil {
		return nil, answerFor(err)
	}
	out := a.offered(r)
	out.Device, out.ID = u.String(), r.ID
	return &struct{ Body apitypes.OfferedStreams }{out}, nil
}

// errDevice says how a device's address is written.
var errDevice = errors.New("an address is a host, host:port, or http://host/onvif/device_service")

// deviceURL reads a device's address, as it is written in a hurry.
func deviceURL(text string) (*url.URL, error) {
	text = strings.TrimSpace(text)
	if !strings.Contains(text, "://") {
		if ip, err := netip.ParseAddr(text); err == nil && ip.Is6() {
			text = "[" + text + "]"
		}
		text = "http://" + text
	}
	u, err := url.Parse(text)
	if err != nil || u.Hostname() == "" || u.Scheme != "http" && u.Scheme != "https" || u.User != nil || u.Fragment != "" {
		return nil, errDevice
	}
	return u, nil
}

func (a *API) offered(r *onvif.Report) apitypes.OfferedStreams {
	out := apitypes.OfferedStreams{
		Maker: r.Maker, Model: r.Model, Firmware: r.Firmware, Serial: r.Serial, ClockOffset: r.Offset.Round(time.Second / 10).Seconds(),
		Streams: []apitypes.OfferedStream{}, Notes: append([]string{}, r.Notes...),
	}
	var sources []plan.Source
	for _, p := range r.Profiles {
		s := plan.Source{Codec: media.Codec(p.Codec), Width: p.Width, Height: p.Height, FrameRate: p.FrameRate, BitRate: p.BitRate, KeyEvery: p.KeyEvery}
		sources = append(sources, s)
		out.Streams = append(out.Streams, apitypes.OfferedStream{
			Token: p.Token, Name: p.Name, Codec: p.Codec, Profile: p.Coding, Width: p.Width, Height: p.Height, FrameRate: p.FrameRate, BitRate: p.BitRate,
			KeyframeEvery: p.KeyEvery.Seconds(), Audio: p.Audio, URL: p.Stream, Still: p.Still, Possible: plan.Taken(s.Codec), Means: a.means(s),
		})
	}
	best, lightest := plan.Rank(sources)
	if best >= 0 {
		out.Streams[best].Best, out.Streams[lightest].Lightest = true, lightest != best
	}
	return out
}

// means says what a stream means for browsers.
func (a *API) means(s plan.Source) string {
	if !plan.Taken(s.Codec) {
		return "This service does not take " + plan.Name(s.Codec) + ": choose another stream, or set the camera to H.264."
	}
	m := a.station.Machine(1)
	v := plan.VideoFor(plan.HLS, s.Codec, s.Reordered, nil, m.Transcoder)
	switch {
	case v.Beside:
		return "Passes through to browsers that decode " + plan.Name(s.Codec) + "; for all others it is transcoded while they watch."
	case s.Codec == media.H265:
		return "Passes through to browsers that decode H.265; others need the codec worker, which is not here."
	case !v.Transcode:
		return "Passes through to every browser."
	case v.Possible:
		return "Has to be transcoded for HLS and WebRTC; Motion JPEG passes through."
	}
	return "Motion JPEG passes through; HLS and WebRTC need the codec worker, which is not here."
}
