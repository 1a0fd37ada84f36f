package api

import (
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
)

// collector reads the station at each scrape; nothing is counted twice.
type collector struct {
	api *API

	state, bits, frames, viewers, packets, lost, dropped *prometheus.Desc
	processor, memory, leftOut, restarts                 *prometheus.Desc
}

func newRegistry(a *API) *prometheus.Registry {
	r := prometheus.NewRegistry()
	desc := func(name, help string, labels ...string) *prometheus.Desc {
		return prometheus.NewDesc("webostrum_feed_"+name, help, append([]string{"feed"}, labels...), nil)
	}
	r.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), &collector{
		api:     a,
		state:   desc("state", "1 for the state that the feed is in.", "state"),
		bits:    desc("in_bits_per_second", "Bits a second coming in."),
		frames:  desc("in_frames_per_second", "Frames a second coming in."),
		viewers: desc("viewers", "Who watches now."),
		packets: desc("session_packets_total", "RTP packets of the present session."),
		lost:    desc("session_lost_packets_total", "RTP packets of the present session that never came."),
		dropped: desc("session_dropped_frames_total", "Frames of the present session that were left out."),

		processor: desc("transcoding_cores", "Processor time a second that transcoding takes."),
		memory:    desc("transcoding_memory_bytes", "Memory that transcoding takes."),
		leftOut:   desc("transcoding_left_out_frames_total", "Frames that were left out because transcoding did not keep up."),
		restarts:  desc("transcoding_restarts_total", "Times the codec worker had to be started again."),
	})
	r.MustRegister(prometheus.NewCounterFunc(prometheus.CounterOpts{
		Name: "webostrum_panics_total", Help: "Mistakes of the service's own that ended a request or one try of a feed.",
	}, func() float64 { return float64(a.panics.Load() + a.station.Panics()) }))
	return r
}

// Describe implements prometheus.Collector.
func (c *collector) Describe(ch chan<- *prometheus.Desc) { prometheus.DescribeByCollect(c, ch) }

// Collect implements prometheus.Collector.
func (c *collector) Collect(ch chan<- prometheus.Metric) {
	counts := c.api.viewers.Counts(time.Now())
	for _, f := range c.api.station.List() {
		s := f.Status()
		name := s.Record.Name
		gauge := func(d *prometheus.Desc, v float64, labels ...string) {
			ch <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, append([]string{name}, labels...)...)
		}
		gauge(c.state, 1, string(s.Condition.State))
		gauge(c.bits, s.BitRate)
		gauge(c.frames, s.FrameRate)
		gauge(c.viewers, float64(counts[name]))
		gauge(c.processor, s.Costs.Processor)
		gauge(c.memory, float64(s.Costs.Memory))
		c.count(ch, name, map[*prometheus.Desc]uint64{c.leftOut: s.Costs.Dropped, c.restarts: s.Costs.Restarts})
		if s.Facts != nil {
			st := s.Facts.Stats
			c.count(ch, name, map[*prometheus.Desc]uint64{c.packets: st.Packets, c.lost: st.Lost, c.dropped: st.Dropped})
		}
	}
}

func (c *collector) count(ch chan<- prometheus.Metric, name string, values map[*prometheus.Desc]uint64) {
	for d, v := range values {
		ch <- prometheus.MustNewConstMetric(d, prometheus.CounterValue, float64(v), name)
	}
}
