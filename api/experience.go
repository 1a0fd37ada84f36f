package api

import (
	"encoding/json"
	"hash/maphash"
	"io"
	"math"
	"net/http"
	"slices"
	"sync"
	"time"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/plan"
	"webostrum/core/shown"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/store"
)

const (
	reportName = "report"

	mostReport     = 2 << 10         // bytes
	mostReported   = 2 * time.Minute // that one report can tell of
	mostDelay      = 10 * time.Minute
	mostReason     = 120       // bytes
	mostReporters  = 50_000    // told apart at a time
	forgetReporter = time.Hour // after which a client's play or failure counts anew
	countedDays    = 7         // that a plan looks back at
)

// experience gathers what players report until it is written. What is written is read
// once, and kept with what came since.
type experience struct {
	seed maphash.Seed

	mu     sync.Mutex
	fresh  map[experienceKey]*store.Experience // not written yet; guarded by mu
	told   map[uint64]time.Time                // who has told what, and when; guarded by mu
	before map[int64]remembered                // of each feed; guarded by mu
}

type experienceKey struct {
	feed             int64
	engine, delivery string
}

// remembered is what was read of a feed.
type remembered struct {
	at  time.Time
	all []plan.Experience
}

func newExperience() *experience {
	return &experience{
		seed: maphash.MakeSeed(), fresh: map[experienceKey]*store.Experience{}, told: map[uint64]time.Time{}, before: map[int64]remembered{},
	}
}

// serveReport takes what a viewer's player tells of how it plays, where the feed wants to
// know.
func (a *API) serveReport(w http.ResponseWriter, r *http.Request, m admission) {
	var in apitypes.PlayReport
	rules := m.feed.Rules()
	switch {
	case !rules.Reports:
		problem.Write(w, fault.New(fault.ReportsOff, nil, ""))
		return
	case json.NewDecoder(io.LimitReader(r.Body, mostReport)).Decode(&in) != nil || !readReport(&in):
		problem.Write(w, fault.New(fault.Input, nil, "this is no report: it takes delivery, began, failed, seconds, stalls, stalledSeconds, delaySeconds and h265"))
		return
	}
	if engine, version := plan.EngineOf(r.UserAgent()); engine != "" {
		a.experience.add(rules.ID, access.ClientOf(r.RemoteAddr), engine, version, in, time.Now())
	}
	w.WriteHeader(http.StatusNoContent)
}

// readReport says whether a report can be, and cuts what is too much.
func readReport(in *apitypes.PlayReport) bool {
	known := []plan.Delivery{plan.HLS, plan.Fragments, plan.WebRTC, plan.MotionJPEG}
	if !slices.Contains(known, plan.Delivery(in.Delivery)) || in.Stalls < 0 {
		return false
	}
	for _, v := range []*float64{&in.Seconds, &in.StalledSeconds} {
		if !(*v >= 0) {
			return false
		}
		*v = min(*v, mostReported.Seconds())
	}
	in.Stalls = min(in.Stalls, int(in.Seconds)+1)
	if d := in.DelaySeconds; d != nil && (math.IsNaN(*d) || math.Abs(*d) > mostDelay.Seconds()) {
		in.DelaySeconds = nil
	}
	in.Failed = shown.Text(in.Failed, mostReason)
	return true
}

// add adds a report. A client's plays and failures count once an hour, so that one viewer
// alone does not decide.
func (x *experience) add(feed int64, client, engine string, version int, in apitypes.PlayReport, now time.Time) {
	x.mu.Lock()
	defer x.mu.Unlock()
	k := experienceKey{feed, engine, in.Delivery}
	e := x.fresh[k]
	if e == nil {
		e = &store.Experience{FeedID: feed, Day: store.Day(now), Engine: engine, Delivery: in.Delivery}
		x.fresh[k] = e
	}
	e.Version = max(e.Version, version)
	watched := int64(in.Seconds * 1000)
	e.WatchedMillis += watched
	e.Stalls += in.Stalls
	e.StalledMillis += int64(in.StalledSeconds * 1000)
	if d := in.DelaySeconds; d != nil {
		e.TimedMillis += watched
		e.DelaySum += int64(max(*d, 0)*1000) * watched
	}
	if in.Began && x.firstLocked(k, client, "began", now) {
		e.Plays++
		switch {
		case in.H265 == nil:
		case *in.H265:
			e.H265Plays++
		default:
			e.H265Cannot++
		}
	}
	if in.Failed != "" && x.firstLocked(k, client, "failed", now) {
		e.Failures++
		e.Reason = in.Failed
	}
}

func (x *experience) firstLocked(k experienceKey, client, what string, now time.Time) bool {
	var h maphash.Hash
	h.SetSeed(x.seed)
	for _, text := range []string{client, k.engine, k.delivery, what} {
		_, _ = h.WriteString(text + "\n")
	}
	maphash.WriteComparable(&h, k.feed)
	who := h.Sum64()
	if at, ok := x.told[who]; ok && now.Sub(at) < forgetReporter {
		return false
	}
	if len(x.told) >= mostReporters {
		for id, at := range x.told {
			if now.Sub(at) >= forgetReporter {
				delete(x.told, id)
			}
		}
		if len(x.told) >= mostReporters {
			return false
		}
	}
	x.told[who] = now
	return true
}

// flushExperience writes what was reported.
func (a *API) flushExperience(now time.Time) error {
	x := a.experience
	x.mu.Lock()
	list := make([]store.Experience, 0, len(x.fresh))
	for _, e := range x.fresh {
		list = append(list, *e)
	}
	clear(x.fresh)
	x.mu.Unlock()
	if len(list) == 0 {
		return nil
	}
	return a.store.AddExperience(list, now)
}

// experienceNow is what viewers' players have reported of a feed in the last days.
func (a *API) experienceNow(f *station.Feed) ([]plan.Experience, error) {
	rules, now := f.Rules(), time.Now()
	if !rules.Reports {
		return nil, nil
	}
	if err := a.flushExperience(now); err != nil {
		return nil, err
	}
	records, err := a.store.ExperienceOf(rules.ID, now.AddDate(0, 0, 1-countedDays))
	if err != nil {
		return nil, err
	}
	all := summed(records)
	a.experience.mu.Lock()
	defer a.experience.mu.Unlock()
	a.experience.before[rules.ID] = remembered{now, all}
	return all, nil
}

// experienceOf is the same, as it was some seconds ago: for players, of whom many ask.
func (a *API) experienceOf(f *station.Feed) []plan.Experience {
	rules := f.Rules()
	if !rules.Reports {
		return nil
	}
	a.experience.mu.Lock()
	known := a.experience.before[rules.ID]
	fresh := time.Since(known.at) < usesEvery
	if !fresh { // one of all who ask reads it again
		a.experience.before[rules.ID] = remembered{time.Now(), known.all}
	}
	a.experience.mu.Unlock()
	if fresh {
		return known.all
	}
	if all, err := a.experienceNow(f); err == nil {
		return all
	}
	return known.all // the order as it was is better than none
}

// summed adds up the days, by engine and delivery.
func summed(records []store.Experience) (all []plan.Experience) {
	type sum struct{ timed, delay int64 }
	sums := []sum{}
	for _, r := range records {
		i := slices.IndexFunc(all, func(e plan.Experience) bool { return e.Engine == r.Engine && string(e.Delivery) == r.Delivery })
		if i < 0 {
			i = len(all)
			all, sums = append(all, plan.Experience{Engine: r.Engine, Delivery: plan.Delivery(r.Delivery)}), append(sums, sum{})
		}
		e := &all[i]
		e.Version, e.Plays, e.Failures = max(e.Version, r.Version), e.Plays+r.Plays, e.Failures+r.Failures
		e.Watched += time.Duration(r.WatchedMillis) * time.Millisecond
		e.Stalls, e.Stalled = e.Stalls+r.Stalls, e.Stalled+time.Duration(r.StalledMillis)*time.Millisecond
		e.H265Plays, e.H265Cannot = e.H265Plays+r.H265Plays, e.H265Cannot+r.H265Cannot
		if r.Reason != "" {
			e.Reason = r.Reason
		}
		if sums[i].timed, sums[i].delay = sums[i].timed+r.TimedMillis, sums[i].delay+r.DelaySum; sums[i].timed > 0 {
			e.Delay = time.Duration(sums[i].delay/sums[i].timed) * time.Millisecond
		}
	}
	return all
}
