package api

import (
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/apitypes"
	"webostrum/deliver/viewers"
	"webostrum/station"
	"webostrum/store"
)

const (
	usageEvery     = time.Minute
	settingUsage   = "allowance"
	warnAt         = 0.8 // of the allowance
	usageLongest   = 400 // days that are asked for at once
	usageUsualDays = 30
	millisAnHour   = 3_600_000
)

// usage gathers what viewers take.
type usage struct {
	writing sync.Mutex // one at a time, or what is fresh would be written twice

	mu    sync.Mutex
	fresh map[usageKey]*store.Usage // not written yet; guarded by mu
	limit apitypes.UsageLimit       // guarded by mu
	told  string                    // what was warned of, and in which month; guarded by mu
}

type usageKey struct {
	feed          int64
	day, delivery string
}

func newUsage(s *store.Store) (*usage, error) {
	u := &usage{fresh: make(map[usageKey]*store.Usage)}
	text, err := s.Setting(settingUsage)
	if err != nil || text == "" {
		return u, err
	}
	return u, json.Unmarshal([]byte(text), &u.limit)
}

// keepUsage writes what viewers take, until ctx ends, and once more then.
func (a *API) keepUsage(ctx context.Context) {
	ticker := time.NewTicker(usageEvery)
	defer ticker.Stop()
	a.judgeAllowance(time.Now())
	for ctx.Err() == nil {
		select {
		case <-ctx.Done():
		case <-ticker.C:
		}
		now := time.Now()
		if err := a.flushUsage(now); err != nil {
			a.cfg.Log.Warn("what viewers took could not be written; it is tried again", "error", err)
			continue
		}
		a.judgeAllowance(now)
	}
}

// flushUsage writes what has come together. What cannot be written is kept.
func (a *API) flushUsage(now time.Time) error {
	ids := make(map[string]int64)
	for _, f := range a.station.List() {
		r := f.Rules()
		ids[r.Name] = r.ID
	}
	u := a.usage
	u.writing.Lock()
	defer u.writing.Unlock()
	u.mu.Lock()
	for _, t := range a.viewers.Take(now) {
		u.addLocked(ids[t.Feed], t, store.Day(now))
		a.counted.took(t)
	}
	list := make([]store.Usage, 0, len(u.fresh))
	for _, x := range u.fresh {
		list = append(list, *x)
	}
	u.mu.Unlock()
	a.counted.forget(func(feed string) bool { return ids[feed] != 0 })
	if err := a.store.AddUsage(list); err != nil {
		return err
	}
	u.mu.Lock()
	clear(u.fresh)
	u.mu.Unlock()
	return a.store.ForgetUsage(now)
}

func (u *usage) addLocked(feed int64, t viewers.Taken, day string) {
	if feed == 0 {
		return // it was removed meanwhile
	}
	k := usageKey{feed, day, string(t.Method)}
	x := u.fresh[k]
	if x == nil {
		x = &store.Usage{FeedID: feed, Day: day, Delivery: k.delivery}
		u.fresh[k] = x
	}
	x.Bytes += int64(t.Bytes)
	x.ViewerMillis += t.Watched.Milliseconds()
	x.Most = max(x.Most, t.Most)
}

// judgeAllowance warns of an allowance that is nearly or wholly used, and stops new viewers
// where that is wanted.
func (a *API) judgeAllowance(now time.Time) {
	share, err := a.allowanceUsed(now)
	if err != nil {
		return
	}
	stop := a.allowance().Stop
	a.viewers.Close(stop && share >= 1)
	level, what := "", ""
	switch {
	case share >= 1 && stop:
		level, what = "stopped", "what may be sent to viewers this month is sent: new viewers who have not signed in and have no link are turned away"
	case share >= 1:
		level, what = "used", "what may be sent to viewers this month is sent; it goes on"
	case share >= warnAt:
		level, what = "nearly", fmt.Sprintf("%.0f %% of what may be sent to viewers this month is sent", share*100)
	}
	told := now.UTC().Format("2006-01 ") + level
	a.usage.mu.Lock()
	news := what != "" && a.usage.told != told
	if news {
		a.usage.told = told
	}
	a.usage.mu.Unlock()
	if news {
		a.station.By("", "").Note("", station.EventWarning, what)
	}
}

func (a *API) allowance() apitypes.UsageLimit {
	a.usage.mu.Lock()
	defer a.usage.mu.Unlock()
	return a.usage.limit
}

// AllowanceUsed is the share of the month's allowance that is used; 0 where there is none, or
// it cannot be told.
func (a *API) AllowanceUsed(now time.Time) float64 {
	share, _ := a.allowanceUsed(now)
	return share
}

func (a *API) allowanceUsed(now time.Time) (share float64, err error) {
	limit := a.allowance()
	if limit.Bytes <= 0 {
		return 0, nil
	}
	used, err := a.monthBytes(now)
	return float64(used) / float64(limit.Bytes), err
}

func (a *API) monthBytes(now time.Time) (int64, error) {
	return a.store.BytesSince(now.UTC().Format("2006-01") + "-01")
}

func (a *API) usageOperations(h huma.API) {
	huma.Register(h, operation("GET", "/usage", "show-usage", "What viewers took, by day, feed and delivery", needsReader, 200), a.showUsage)
	table := operation("GET", "/usage.csv", "usage-table", "The same as CSV (RFC 4180)", needsReader, 200)
	table.Responses = map[string]*huma.Response{"200": {Description: "OK", Content: map[string]*huma.MediaType{"text/csv": {Schema: &huma.Schema{Type: huma.TypeString}}}}}
	huma.Register(h, table, a.usageTable)
	huma.Register(h, operation("PUT", "/usage/allowance", "set-allowance", "Set what may be sent to viewers in a month", needsEngineer, 200), a.setAllowance)
}

type usageInput struct {
	Feed string `query:"feed" maxLength:"63" doc:"Only this feed"`
	From string `query:"from" pattern:"^[0-9]{4}-[0-9]{2}-[0-9]{2}$" patternDescription:"a day such as 2026-11-01" doc:"First day, in UTC; 29 days before the last one when left out" example:"2026-11-01"`
	To   string `query:"to" pattern:"^[0-9]{4}-[0-9]{2}-[0-9]{2}$" patternDescription:"a day such as 2026-11-30" doc:"Last day; today when left out" example:"2026-11-30"`
}

// days reads what time is asked for.
func (in *usageInput) days(now time.Time) (from, to string, err error) {
	last, err := time.Parse(time.DateOnly, cmp.Or(in.To, store.Day(now)))
	if err != nil {
		return "", "", refusedQuery("to", "there is no such day")
	}
	first := last.AddDate(0, 0, 1-usageUsualDays)
	if in.From != "" {
		if first, err = time.Parse(time.DateOnly, in.From); err != nil {
			return "", "", refusedQuery("from", "there is no such day")
		}
	}
	if first.After(last) || last.Sub(first) > usageLongest*24*time.Hour {
		return "", "", refusedQuery("from", fmt.Sprintf("from comes before to, by %d days at most", usageLongest))
	}
	return first.Format(time.DateOnly), last.Format(time.DateOnly), nil
}

func (a *API) usageOf(in *usageInput) (u apitypes.Usage, err error) {
	now := time.Now()
	if u.From, u.To, err = in.days(now); err != nil {
		return u, err
	}
	if err := a.flushUsage(now); err != nil {
		return u, answerFor(err)
	}
	names, feed, err := a.feedNames(in.Feed)
	if err != nil {
		return u, answerFor(err)
	}
	records, err := a.store.UsageOf(feed, u.From, u.To)
	if err != nil {
		return u, answerFor(err)
	}
	u.Rows, u.Totals, u.Allowance = []apitypes.UsageRow{}, []apitypes.UsageTotal{}, a.allowance()
	totals := make(map[string]*apitypes.UsageTotal)
	for _, r := range records {
		if r.Bytes == 0 && r.ViewerMillis == 0 {
			continue
		}
		row := apitypes.UsageRow{Day: r.Day, Feed: names[r.FeedID], Delivery: r.Delivery, Bytes: r.Bytes, Hours: float64(r.ViewerMillis) / millisAnHour, Most: r.Most}
		u.Rows = append(u.Rows, row)
		t := totals[row.Feed]
		if t == nil {
			t = &apitypes.UsageTotal{Feed: row.Feed}
			totals[row.Feed] = t
		}
		t.Bytes, t.Hours, t.Most = t.Bytes+row.Bytes, t.Hours+row.Hours, max(t.Most, row.Most)
		u.Bytes, u.Hours = u.Bytes+row.Bytes, u.Hours+row.Hours
	}
	for _, t := range totals {
		u.Totals = append(u.Totals, *t)
	}
	slices.SortFunc(u.Totals, func(x, y apitypes.UsageTotal) int {
		return cmp.Or(cmp.Compare(y.Bytes, x.Bytes), cmp.Compare(x.Feed, y.Feed))
	})
	u.Month, err = a.monthBytes(now)
	return u, answerFor(err)
}

// feedNames are feeds' names by their IDs; only, where it is one that is asked for, its ID.
func (a *API) feedNames(only string) (names map[int64]string, id int64, err error) {
	names = make(map[int64]string)
	for _, f := range a.station.List() {
		r := f.Rules()
		names[r.ID] = r.Name
		if r.Name == only {
			id = r.ID
		}
	}
	if only != "" && id == 0 {
		return nil, 0, store.ErrNotFound
	}
	return names, id, nil
}

func (a *API) showUsage(_ context.Context, in *usageInput) (*struct{ Body apitypes.Usage }, error) {
	u, err := a.usageOf(in)
	if err != nil {
		return nil, err
	}
	return &struct{ Body apitypes.Usage }{u}, nil
}

type tableOutput struct {
	Kind string `header:"Content-Type"`
	Name string `header:"Content-Disposition"`
	Body []byte
}

func (a *API) usageTable(_ context.Context, in *usageInput) (*tableOutput, error) {
	u, err := a.usageOf(in)
	if err != nil {
		return nil, err
	}
	var b strings.Builder
	w := csv.NewWriter(&b)
	_ = w.Write([]string{"day", "feed", "delivery", "bytes", "viewer_hours", "most_viewers"}) // a strings.Builder takes everything
	for _, r := range u.Rows {
		_ = w.Write([]string{r.Day, r.Feed, r.Delivery, strconv.FormatInt(r.Bytes, 10), strconv.FormatFloat(r.Hours, 'f', 3, 64), strconv.Itoa(r.Most)})
	}
	w.Flush()
	return &tableOutput{"text/csv; charset=utf-8", `attachment; filename="usage-` + u.From + "-" + u.To + `.csv"`, []byte(b.String())}, nil
}

func (a *API) setAllowance(ctx context.Context, in *struct{ Body apitypes.UsageLimit }) (*struct{ Body apitypes.UsageLimit }, error) {
	text, err := json.Marshal(in.Body)
	if err == nil {
		err = a.store.SetSetting(settingUsage, string(text))
	}
	if err != nil {
		return nil, answerFor(err)
	}
	a.usage.mu.Lock()
	a.usage.limit, a.usage.told = in.Body, ""
	a.usage.mu.Unlock()
	what := "there is no allowance for what is sent to viewers"
	if in.Body.Bytes > 0 {
		what = fmt.Sprintf("%d bytes may be sent to viewers in a month; beyond it %s", in.Body.Bytes, map[bool]string{true: "no new ones are let in", false: "it is told"}[in.Body.Stop])
	}
	a.by(ctx).Note("", station.EventChange, what)
	a.judgeAllowance(time.Now())
	return &struct{ Body apitypes.UsageLimit }{in.Body}, nil
}
