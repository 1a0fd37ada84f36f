package api

import (
	"strconv"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"

	"webostrum/deliver/viewers"
	"webostrum/station"
)

// Metric is one of those at /metrics.
type Metric struct {
	Name   string
	Kind   prometheus.ValueType
	Labels []string
	Help   string
}

// Metrics are all of them, besides those of the Go runtime and of the process. docs/metrics.md
// is made of this list.
var Metrics = []Metric{
	{"webostrum_build_info", prometheus.GaugeValue, []string{"version"}, "1, with the version of the program."},
	{"webostrum_feed_state", prometheus.GaugeValue, []string{"feed", "state"}, "1 for the state that the feed is in."},
	{"webostrum_feed_up", prometheus.GaugeValue, []string{"feed"}, "1 while pictures come in, 0 while they should and do not. Missing for a feed that is off or idle, or waits for somebody to send."},
	{"webostrum_feed_degraded", prometheus.GaugeValue, []string{"feed"}, "1 while packets are lost or the frame rate is low."},
	{"webostrum_feed_down_seconds", prometheus.GaugeValue, []string{"feed"}, "How long the outage that goes on has lasted; 0 without one."},
	{"webostrum_feed_in_bits_per_second", prometheus.GaugeValue, []string{"feed"}, "Bits a second coming in."},
	{"webostrum_feed_in_frames_per_second", prometheus.GaugeValue, []string{"feed"}, "Frames a second coming in."},
	{"webostrum_feed_viewers", prometheus.GaugeValue, []string{"feed"}, "Who watches now."},
	{"webostrum_feed_session_packets_total", prometheus.CounterValue, []string{"feed"}, "RTP packets of the present session."},
	{"webostrum_feed_session_lost_packets_total", prometheus.CounterValue, []string{"feed"}, "RTP packets of the present session that never came."},
	{"webostrum_feed_session_dropped_frames_total", prometheus.CounterValue, []string{"feed"}, "Frames of the present session that were left out."},
	{"webostrum_feed_transcoding_cores", prometheus.GaugeValue, []string{"feed"}, "Processor time a second that transcoding takes."},
	{"webostrum_feed_transcoding_memory_bytes", prometheus.GaugeValue, []string{"feed"}, "Memory that transcoding takes."},
	{"webostrum_feed_transcoding_left_out_frames_total", prometheus.CounterValue, []string{"feed"}, "Frames that were left out because transcoding did not keep up."},
	{"webostrum_feed_transcoding_restarts_total", prometheus.CounterValue, []string{"feed"}, "Times the codec worker had to be started again."},
	{"webostrum_feed_recording", prometheus.GaugeValue, []string{"feed"}, "1 while the feed is being recorded, 0 while it should be and cannot. Missing for a feed that is not to be recorded now."},
	{"webostrum_feed_recording_left_out_frames_total", prometheus.CounterValue, []string{"feed"}, "Frames that are not in recordings since the start, the disk being slow. Missing likewise."},
	{"webostrum_sent_bytes_total", prometheus.CounterValue, []string{"feed", "delivery"}, "Bytes that went to viewers since the start."},
	{"webostrum_watched_seconds_total", prometheus.CounterValue, []string{"feed", "delivery"}, "Seconds that viewers watched since the start, of all together."},
	{"webostrum_allowance_used_ratio", prometheus.GaugeValue, nil, "Share of the month's allowance that is used; missing without one."},
	{"webostrum_http_requests_total", prometheus.CounterValue, []string{"route", "code"}, "Requests over HTTP that have ended, by route and the first digit of their status."},
	{"webostrum_events_total", prometheus.CounterValue, []string{"severity"}, "Events since the start."},
	{"webostrum_alerts_total", prometheus.CounterValue, []string{"by", "result"}, "Alerts that were sent, or could not be, since the start."},
	{"webostrum_certificate_ends_timestamp_seconds", prometheus.GaugeValue, nil, "When the certificate for HTTPS ends, in seconds since 1970; missing without one."},
	{"webostrum_disk_free_ratio", prometheus.GaugeValue, nil, "Share of the data folder's disk that is free."},
	{"webostrum_listener_connections_total", prometheus.CounterValue, []string{"listener"}, "Connections that were accepted since the listener was opened."},
	{"webostrum_listener_failures_total", prometheus.CounterValue, []string{"listener"}, "Times that accepting a connection failed since the listener was opened; it is tried again each time."},
	{"webostrum_listener_failing", prometheus.GaugeValue, []string{"listener"}, "1 while no connections are accepted, most likely for want of file descriptors."},
	{"webostrum_panics_total", prometheus.CounterValue, nil, "Mistakes of the service's own that ended a request or one try of a feed."},
}

// collector reads what there is at each scrape; nothing is counted twice.
type collector struct {
	api   *API
	descs map[string]*prometheus.Desc
	kinds map[string]prometheus.ValueType
}

func newRegistry(a *API) *prometheus.Registry {
	c := &collector{api: a, descs: make(map[string]*prometheus.Desc), kinds: make(map[string]prometheus.ValueType)}
	for _, m := range Metrics {
		c.descs[m.Name], c.kinds[m.Name] = prometheus.NewDesc(m.Name, m.Help, m.Labels, nil), m.Kind
	}
	r := prometheus.NewRegistry()
	r.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), c)
	return r
}

// Describe implements prometheus.Collector.
func (c *collector) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range c.descs {
		ch <- d
	}
}

// scrape is one look.
type scrape struct {
	*collector
	ch chan<- prometheus.Metric
}

func (s scrape) put(name string, v float64, labels ...string) {
	s.ch <- prometheus.MustNewConstMetric(s.descs["webostrum_"+name], s.kinds["webostrum_"+name], v, labels...)
}

// Collect implements prometheus.Collector.
func (c *collector) Collect(ch chan<- prometheus.Metric) {
	s, now := scrape{c, ch}, time.Now()
	counts := c.api.viewers.Counts(now)
	for _, f := range c.api.station.List() {
		s.feed(f, counts, now)
	}
	s.service(now)
	c.api.counted.each(s)
}

// recording tells how recording a feed goes.
func (s scrape) recording(name string) {
	if s.api.cfg.Recordings == nil {
		return
	}
	if r := s.api.cfg.Recordings.State(name); r.Recording {
		s.put("feed_recording", oneIf(r.Problem == nil), name)
		s.put("feed_recording_left_out_frames_total", float64(r.Left), name)
	}
}

func (s scrape) feed(f *station.Feed, counts map[string]int, now time.Time) {
	st := f.Status()
	name := st.Record.Name
	s.put("feed_state", 1, name, string(st.Condition.State))
	switch st.Condition.State {
	case station.StateOff, station.StateIdle, station.StateWaiting:
	case station.StateLive:
		s.put("feed_up", 1, name)
	default:
		s.put("feed_up", 0, name)
	}
	s.put("feed_degraded", oneIf(f.Health().Why != ""), name)
	down := 0.0
	if since := f.DownSince(); !since.IsZero() {
		down = max(now.Sub(since).Seconds(), 0)
	}
	s.put("feed_down_seconds", down, name)
	s.put("feed_in_bits_per_second", st.BitRate, name)
	s.put("feed_in_frames_per_second", st.FrameRate, name)
	s.put("feed_viewers", float64(counts[name]), name)
	s.put("feed_transcoding_cores", st.Costs.Processor, name)
	s.put("feed_transcoding_memory_bytes", float64(st.Costs.Memory), name)
	s.put("feed_transcoding_left_out_frames_total", float64(st.Costs.Dropped), name)
	s.put("feed_transcoding_restarts_total", float64(st.Costs.Restarts), name)
	s.recording(name)
	if st.Facts != nil {
		x := st.Facts.Stats
		s.put("feed_session_packets_total", float64(x.Packets), name)
		s.put("feed_session_lost_packets_total", float64(x.Lost), name)
		s.put("feed_session_dropped_frames_total", float64(x.Dropped), name)
	}
}

func (s scrape) service(now time.Time) {
	a := s.api
	s.put("build_info", 1, a.cfg.Version)
	s.put("panics_total", float64(a.panics.Load()+a.station.Panics()))
	if a.allowance().Bytes > 0 {
		s.put("allowance_used_ratio", a.AllowanceUsed(now))
	}
	if free, ok := a.store.FreeShare(); ok {
		s.put("disk_free_ratio", free)
	}
	if a.cfg.Certs != nil {
		if state := a.cfg.Certs.State(now); !state.Ends.IsZero() {
			s.put("certificate_ends_timestamp_seconds", float64(state.Ends.Unix()))
		}
	}
	for _, l := range a.cfg.Listeners.States() {
		s.put("listener_connections_total", float64(l.Taken), l.Name)
		s.put("listener_failures_total", float64(l.Failed), l.Name)
		s.put("listener_failing", oneIf(l.Failing != nil), l.Name)
	}
	for severity, n := range a.station.Noted() {
		s.put("events_total", float64(n), severities[severity])
	}
}

func oneIf(yes bool) float64 {
	if yes {
		return 1
	}
	return 0
}

// counted is what is counted since the start. Its keys are routes, deliveries and feeds: there
// are no more of them than those.
type counted struct {
	mu       sync.Mutex
	requests map[[2]string]uint64        // by route and code; guarded by mu
	alerts   map[[2]string]uint64        // by way and result; guarded by mu
	taken    map[[2]string]viewers.Taken // by feed and delivery; guarded by mu
}

func newCounted() counted {
	return counted{requests: make(map[[2]string]uint64), alerts: make(map[[2]string]uint64), taken: make(map[[2]string]viewers.Taken)}
}

func (c *counted) each(s scrape) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for k, n := range c.requests {
		s.put("http_requests_total", float64(n), k[0], k[1])
	}
	for k, n := range c.alerts {
		s.put("alerts_total", float64(n), k[0], k[1])
	}
	for k, t := range c.taken {
		s.put("sent_bytes_total", float64(t.Bytes), k[0], k[1])
		s.put("watched_seconds_total", t.Watched.Seconds(), k[0], k[1])
	}
}

func (c *counted) alert(by string, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.alerts[[2]string{by, map[bool]string{true: "sent", false: "failed"}[err == nil]}]++
}

func (c *counted) took(t viewers.Taken) {
	c.mu.Lock()
	defer c.mu.Unlock()
	k := [2]string{t.Feed, string(t.Method)}
	x := c.taken[k]
	x.Bytes, x.Watched = x.Bytes+t.Bytes, x.Watched+t.Watched
	c.taken[k] = x
}

// forget drops feeds that are gone.
func (c *counted) forget(has func(feed string) bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for k := range c.taken {
		if !has(k[0]) {
			delete(c.taken, k)
		}
	}
}

const noRoute = "none" // of files of the console and the player, and of what is not there

// count counts requests by their routes.
func (a *API) count(c *gin.Context) {
	c.Next()
	route := c.FullPath()
	if route == "" {
		route = noRoute
	}
	k := [2]string{route, strconv.Itoa(c.Writer.Status()/100) + "xx"}
	a.counted.mu.Lock()
	defer a.counted.mu.Unlock()
	a.counted.requests[k]++
}
