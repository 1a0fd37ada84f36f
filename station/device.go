package station

import (
	"context"
	"errors"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"webostrum/core/fault"
	"webostrum/netif"
	"webostrum/onvif"
	"webostrum/store"
)

const (
	deviceAnswer  = 5 * time.Second  // for each answer of a device
	deviceTime    = 30 * time.Second // for all of them
	addressEvery  = time.Minute      // a device is asked for the stream's address again
	keyframeEvery = 5 * time.Second  // and for a keyframe, while pictures are missing
	followEvery   = time.Minute      // a device that is not reached is searched for
)

// errChanged says that a feed was set to another address meanwhile.
var errChanged = errors.New("the feed's address was changed meanwhile")

// device is a feed's camera as ONVIF has it.
type device struct {
	mu       sync.Mutex
	of       [6]string     // what it was opened with; guarded by mu
	open     *onvif.Device // guarded by mu; nil for none
	address  time.Time     // when it was asked for the stream's address; guarded by mu
	keyframe time.Time     // and for a keyframe; guarded by mu
	search   time.Time     // when it was searched for; guarded by mu
	told     string        // where it was found that a person is asked about; guarded by mu
}

// Device returns the camera's ONVIF device; the error says that the feed does not know it.
func (f *Feed) Device() (*onvif.Device, error) {
	r := f.stored()
	u, err := url.Parse(r.Device)
	if r.Device == "" || err != nil {
		return nil, fault.New(fault.DeviceUnknown, err, "")
	}
	d := &f.device
	d.mu.Lock()
	defer d.mu.Unlock()
	user, password := r.User, r.Password
	if r.DeviceUser != "" {
		user, password = r.DeviceUser, r.DevicePassword
	}
	of := [6]string{r.Device, r.DeviceProfile, user, password, r.Fingerprint, strconv.FormatBool(r.DigestOnly)}
	if d.open == nil || d.of != of {
		if old := d.open; old != nil {
			f.station.aside(func(context.Context) { old.Close() }) // it may be about to answer
		}
		d.of = of
		d.open = onvif.Open(onvif.Config{URL: u, User: user, Password: password, Fingerprint: r.Fingerprint, DigestOnly: r.DigestOnly, AnswerTimeout: deviceAnswer}, r.DeviceProfile)
	}
	return d.open, nil
}

func (d *device) close() {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.open != nil {
		d.open.Close()
		d.open = nil
	}
}

// due says whether something is to be asked again, and notes that it is.
func (d *device) due(last *time.Time, every time.Duration) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	if time.Since(*last) < every {
		return false
	}
	*last = time.Now()
	return true
}

// leaveAlone has a device that gives no keyframes asked for none for a while.
func (d *device) leaveAlone() {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.keyframe = time.Now().Add(time.Hour)
}

// elsewhere are faults of a stream that is somewhere else than it was.
var elsewhere = []fault.Code{fault.PathUnknown, fault.PortClosed, fault.NotRTSP, fault.NoVideo, fault.TransportNo}

// findAgain asks the device where the stream is, after a try that failed for want of it, and
// sets the feed to that.
func (f *Feed) findAgain(why *fault.Error) {
	d, err := f.Device()
	if err != nil || !slices.Contains(elsewhere, why.Kind.Code) || !f.device.due(&f.device.address, addressEvery) {
		return
	}
	f.station.aside(func(ctx context.Context) {
		ctx, cancel := context.WithTimeout(ctx, deviceTime)
		defer cancel()
		address, err := d.StreamAddress(ctx)
		before := f.stored()
		if err != nil || address == "" || address == before.URL {
			return
		}
		shown, _, _ := strings.Cut(address, "?") // values of the query may be secret
		_, _ = f.station.By("", "").Edit(before.Name, "the camera says by ONVIF that its stream is at "+shown, func(r *store.Feed) error {
			if r.URL != before.URL {
				return errChanged
			}
			r.URL = address
			return nil
		})
	})
}

// unreached are faults of a camera that is not where it was.
var unreached = []fault.Code{fault.NoAnswer, fault.NoRoute, fault.PortClosed, fault.NameUnknown}

// follow searches for a camera that is not reached any more, where the feed is to follow it.
func (f *Feed) follow(why *fault.Error) {
	if !f.stored().Follow || !slices.Contains(unreached, why.Kind.Code) || !f.device.due(&f.device.search, followEvery) {
		return
	}
	f.station.aside(func(ctx context.Context) {
		_ = f.station.By("", "").goAfter(ctx, f.stored().Name, unasked) // it is tried again
	})
}

// unasked says why a feed does not go by itself to where its camera was found; nil where it
// does. Whoever answers a search in the camera's name would get its password otherwise.
func unasked(f *Feed, r *store.Feed, host, device string) error {
	before, err := url.Parse(r.URL)
	if err != nil {
		return err
	}
	why := ""
	switch {
	case !netif.SameNetwork(before.Hostname(), host):
		why = "it is in another network"
	case secure(r.Device) && !secure(device) || secure(r.Device) && r.Fingerprint == "":
		why = "it does not show the certificate that it had before"
	case before.RawQuery != "" || len(r.Requests) > 0:
		why = "its address or its requests may hold a password"
	default:
		r.DigestOnly = r.User != ""
		return nil
	}
	f.device.mu.Lock()
	news := f.device.told != device
	f.device.told = device
	f.device.mu.Unlock()
	if news {
		f.warn(fault.DeviceMoved, "the camera was found at "+host+", and "+why+": \"webostrum camera follow "+r.Name+"\" sets the feed to it")
	}
	return fault.New(fault.DeviceMoved, nil, "%s", why)
}

func secure(address string) bool { return strings.HasPrefix(strings.ToLower(address), "https:") }

// Follow searches for a feed's device and sets the feed to where it is found. Errors are
// *fault.Error, or of Edit.
func (a Actor) Follow(ctx context.Context, name string) error {
	return a.goAfter(ctx, name, func(_ *Feed, r *store.Feed, _, _ string) error {
		r.DigestOnly = false // a person has said so
		return nil
	})
}

// goAfter is Follow where may lets it, which is asked with the feed's present record.
func (a Actor) goAfter(ctx context.Context, name string, may func(f *Feed, r *store.Feed, host, device string) error) error {
	f, err := a.st.Get(name)
	if err != nil {
		return err
	}
	before := f.stored()
	if before.DeviceID == "" || a.st.cfg.Find == nil {
		return fault.New(fault.DeviceUnknown, nil, "it is not known what the device calls itself")
	}
	ctx, cancel := context.WithTimeout(ctx, deviceTime)
	defer cancel()
	host, device := a.st.cfg.Find(ctx, before.DeviceID)
	if host == "" || device == "" {
		return fault.New(fault.DeviceNotFound, nil, "%s does not answer", before.DeviceID)
	}
	u, err := url.Parse(before.URL)
	if err != nil {
		return err
	}
	if u.Hostname() == host && before.Device == device {
		return nil // it is where it was
	}
	u.Host = netif.HostPort(host, u.Port())
	_, err = a.Edit(name, "the camera was found at "+host, func(r *store.Feed) error {
		if r.URL != before.URL || r.DeviceID != before.DeviceID {
			return errChanged
		}
		if err := may(f, r, host, device); err != nil {
			return err
		}
		r.URL, r.Device = u.String(), device
		return nil
	})
	return err
}

// askKeyframe asks the device for a keyframe, since pictures are missing until the next.
func (f *Feed) askKeyframe() {
	d, err := f.Device()
	if err != nil || !f.device.due(&f.device.keyframe, keyframeEvery) {
		return
	}
	f.station.aside(func(ctx context.Context) {
		ctx, cancel := context.WithTimeout(ctx, deviceTime)
		defer cancel()
		if err := d.Keyframe(ctx); err != nil && ctx.Err() == nil {
			f.device.leaveAlone()
			f.warn("", "the camera was asked by ONVIF for a keyframe, and said no; it is asked again in an hour: "+err.Error())
		}
	})
}

// aside does something beside the feeds until the station closes.
func (st *Station) aside(what func(context.Context)) {
	st.mu.Lock()
	defer st.mu.Unlock()
	if st.ctx.Err() == nil {
		st.wg.Go(func() { what(st.ctx) })
	}
}
