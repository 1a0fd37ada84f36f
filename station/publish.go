package station

import (
	"context"
	"crypto/rand"
	"errors"
	"strings"
	"sync"
	"time"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
	"webostrum/store"
)

// givingWay is how long a publisher waits for the one before to end, and for the feed's run
// to take it.
const givingWay = 5 * time.Second

// publishers is a feed's place for one.
type publishers struct {
	arrivals chan *arrival // taken by the feed's run

	mu      sync.Mutex
	present *place // guarded by mu
	client  string // of the one that was let in last, by the key; guarded by mu
}

// place implements push.Place.
type place struct {
	feed    *Feed
	request push.Request
	end     context.CancelCauseFunc
	ctx     context.Context // ends when the place is given up
	left    chan struct{}   // closed when it was
	since   time.Time
	timer   *time.Timer // ends it when the right to it ends; nil for never
	leave   sync.Once
}

// arrival is a session on its way to the feed's run.
type arrival struct {
	ctx  context.Context
	play push.Play
	done chan error
}

// Pushed says whether any feed that is switched on is sent to.
func (st *Station) Pushed() bool {
	for _, f := range st.List() {
		if r := f.stored(); r.Pushed && r.Enabled {
			return true
		}
	}
	return false
}

// Awaits says whether a feed waits for somebody to send.
func (st *Station) Awaits(feed string) bool {
	f, err := st.Get(feed)
	if err != nil {
		return false
	}
	r := f.stored()
	_, present := f.Publisher()
	return r.Pushed && r.Enabled && !present
}

// Gives says whether any feed that is switched on gives a delivery.
func (st *Station) Gives(d access.Delivery) bool {
	for _, f := range st.List() {
		if f.stored().Enabled && f.Rules().Gives(d) {
			return true
		}
	}
	return false
}

// Admit implements push.Desk.
func (st *Station) Admit(ctx context.Context, q push.Request) (push.Place, error) {
	f, err := st.admitted(q)
	if err != nil {
		return nil, err
	}
	if f.Condition().State == StateOff {
		return nil, fault.New(fault.PublishNotWaiting, nil, "%s is switched off", q.Feed)
	}
	return f.takePlace(ctx, q)
}

// admitted returns the feed that a publisher may send to. Who does not know a feed's key is
// not told whether there is such a feed.
func (st *Station) admitted(q push.Request) (*Feed, error) {
	f, err := st.Get(q.Feed)
	var r store.Feed
	if err == nil {
		r = f.stored()
	}
	if r.Pushed && r.PublishOpen {
		return f, nil
	}
	if q.Knows == nil {
		return nil, fault.New(fault.PublishKeyMissing, nil, "")
	}
	client := access.ClientOf(q.Address)
	settle, wait := st.keys.Reserve(client, "feed "+q.Feed, f != nil && f.publishers.knows(client), time.Now())
	if settle == nil {
		return nil, fault.New(fault.PublishTooOften, nil, "the next is looked at in %d s", int(wait.Seconds())+1)
	}
	right := lets(r, q)
	settle(right)
	if !right {
		st.By("", access.HostOf(q.Address)).Note(r.Name, EventSignIn, "a publisher came by "+string(q.Protocol)+" with a wrong key")
		return nil, fault.New(fault.PublishKeyWrong, nil, "")
	}
	f.publishers.know(client)
	return f, nil
}

// know notes from where somebody came who knew the key: strangers' failures do not slow it
// down.
func (ps *publishers) know(client string) {
	ps.mu.Lock()
	defer ps.mu.Unlock()
	ps.client = client
}

func (ps *publishers) knows(client string) bool {
	ps.mu.Lock()
	defer ps.mu.Unlock()
	return ps.client == client
}

// takePlace makes room for a publisher.
func (f *Feed) takePlace(ctx context.Context, q push.Request) (*place, error) {
	ctx, cancel := context.WithTimeout(ctx, givingWay)
	defer cancel()
	for {
		p, before, err := f.publishers.try(f, q)
		if err != nil {
			return nil, err
		}
		if p != nil {
			return p, nil
		}
		if before == nil {
			return nil, fault.New(fault.PublishPresent, nil, "")
		}
		before.end(fault.New(fault.PublishReplaced, nil, "it came by %s from %s", q.Protocol, access.HostOf(q.Address)))
		select {
		case <-before.left:
		case <-ctx.Done():
			return nil, fault.New(fault.PublishPresent, ctx.Err(), "it does not give way")
		}
	}
}

// lets says whether a feed's record lets a publisher in, whatever it was when that came.
func lets(r store.Feed, q push.Request) bool {
	return r.Pushed && (r.PublishOpen || q.Knows != nil && r.PublishKey != "" && q.Knows(r.PublishKey))
}

// try takes the place where it is free; else it returns who is to give way, if anybody is.
// Whoever waited for that may have been let in by a key that has been renewed since: the
// feed's present one is looked at as the place is taken, and whoever renews it ends who has
// the place after that.
func (ps *publishers) try(f *Feed, q push.Request) (p, before *place, err error) {
	ps.mu.Lock()
	defer ps.mu.Unlock()
	r := f.stored()
	if !lets(r, q) {
		return nil, nil, fault.New(fault.PublishKeyWrong, nil, "the feed got another key")
	}
	if ps.present != nil {
		if r.PublishTakeOver || q.Instance != "" && q.Instance == ps.present.request.Instance {
			return nil, ps.present, nil
		}
		return nil, nil, nil
	}
	ctx, end := context.WithCancelCause(context.Background())
	p = &place{feed: f, request: q, ctx: ctx, end: end, left: make(chan struct{}), since: time.Now()}
	if !q.Until.IsZero() {
		p.timer = time.AfterFunc(time.Until(q.Until), func() { end(fault.New(fault.PassEnded, nil, "")) })
	}
	ps.present = p
	return p, nil, nil
}

// Leave implements push.Place.
func (p *place) Leave() {
	p.leave.Do(func() {
		p.end(nil)
		if p.timer != nil {
			p.timer.Stop()
		}
		ps := &p.feed.publishers
		ps.mu.Lock()
		defer ps.mu.Unlock()
		ps.present = nil
		close(p.left)
	})
}

// Run implements push.Place.
func (p *place) Run(ctx context.Context, play push.Play) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	stop := context.AfterFunc(p.ctx, func() { cancel(context.Cause(p.ctx)) })
	defer stop()
	a := &arrival{ctx: ctx, play: play, done: make(chan error, 1)}
	patience := time.NewTimer(givingWay)
	defer patience.Stop()
	select {
	case p.feed.publishers.arrivals <- a:
		p.feed.by(p.request).Note(p.feed.stored().Name, EventChange, "a publisher came by "+string(p.request.Protocol)+" from "+access.HostOf(p.request.Address))
		return <-a.done
	case <-ctx.Done():
		return context.Cause(ctx)
	case <-patience.C:
		return fault.New(fault.PublishNotWaiting, nil, "")
	}
}

func (f *Feed) by(q push.Request) Actor { return f.station.By("", access.HostOf(q.Address)) }

// endPublisher ends the session of the publisher that is there, if any; keyless says that
// only one that has shown no key is to go.
func (f *Feed) endPublisher(keyless bool, why error) {
	f.publishers.mu.Lock()
	p := f.publishers.present
	f.publishers.mu.Unlock()
	if p != nil && (!keyless || p.request.Knows == nil) {
		p.end(why)
	}
}

// Publisher is who sends to a feed.
type Publisher struct {
	Protocol push.Protocol
	Address  string
	Since    time.Time
}

// Publisher returns who sends to the feed; ok is false when nobody does.
func (f *Feed) Publisher() (p Publisher, ok bool) {
	f.publishers.mu.Lock()
	defer f.publishers.mu.Unlock()
	at := f.publishers.present
	if at == nil {
		return p, false
	}
	return Publisher{at.request.Protocol, at.request.Address, at.since}, true
}

// EndPublisher cuts off who sends to a feed; false means that nobody does.
func (a Actor) EndPublisher(f *Feed) bool {
	if _, ok := f.Publisher(); !ok {
		return false
	}
	a.Note(f.Rules().Name, EventChange, "the publisher was cut off")
	f.endPublisher(false, fault.New(fault.PublisherLeft, nil, "an engineer has cut it off"))
	return true
}

// NewPass makes a pass that lets whoever has it send to the feed for a while.
func (f *Feed) NewPass(ends time.Time) (string, error) {
	r := f.stored()
	if !r.Pushed || r.PublishKey == "" {
		return "", fault.New(fault.NotPushed, nil, "")
	}
	return access.NewPass(r.PublishKey, r.Name, ends), nil
}

// receive waits for a publisher and takes in what it sends. It returns why the session
// ended.
func (r *run) receive(ctx context.Context, cfg source.Config) (next uint64, err error) {
	r.waiting()
	var a *arrival
	select {
	case a = <-r.feed.publishers.arrivals:
	case <-ctx.Done():
		return cfg.FirstEpoch, ctx.Err()
	}
	defer func() { a.done <- err }()
	next, err = cfg.FirstEpoch, fault.New(fault.Failed, nil, "") // where play panics
	session, end := context.WithCancelCause(a.ctx)
	defer end(nil)
	stop := context.AfterFunc(ctx, func() { end(fault.New(fault.PublishNotWaiting, nil, "the feed was switched off or changed")) })
	defer stop()
	r.feed.change(StateConnecting, nil, 0, time.Time{})
	next, err = a.play(session, cfg)
	if session.Err() != nil && (err == nil || errors.Is(err, context.Canceled)) {
		err = context.Cause(session)
	}
	if errors.Is(err, context.Canceled) {
		err = fault.New(fault.PublisherLeft, err, "")
	}
	return next, err
}

// NewPublishKey makes a key: 80 bits in groups that can be copied by hand.
func NewPublishKey() string {
	t := strings.ToLower(rand.Text())
	return t[:4] + "-" + t[4:8] + "-" + t[8:12] + "-" + t[12:16]
}

// RenewKey gives a feed another key for publishers; whoever sends by the old one is ended.
func (a Actor) RenewKey(name string) (key string, err error) {
	key = NewPublishKey()
	f, err := a.Edit(name, "the feed got another key for publishers", func(r *store.Feed) error {
		if !r.Pushed {
			return fault.New(fault.NotPushed, nil, "")
		}
		r.PublishKey = key
		return nil
	})
	if err != nil {
		return "", err
	}
	f.endPublisher(false, fault.New(fault.PublishKeyWrong, nil, "the feed got another key"))
	return key, nil
}
