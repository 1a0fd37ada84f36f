// Package night writes the note that a colleague would leave in the morning: what is wrong
// now, what was wrong meanwhile and for how long, and what belongs together.
package night

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"webostrum/core/uptime"
)

// Feed is how a feed was.
type Feed struct {
	Name    string
	Now     uptime.Kind
	Why     string // it is degraded, now
	Remedy  string // what to do about its present fault
	Outages []uptime.Outage
	Sums    uptime.Sums
}

// Event is something of the service's own.
type Event struct {
	At   time.Time
	Text string
}

// Input is what a note is written from.
type Input struct {
	Since, Until time.Time
	Zone         *time.Location // that times are written in
	Feeds        []Feed
	Events       []Event
}

// Item is one thing of a note.
type Item struct {
	Feeds  []string
	Began  time.Time     // of the first outage
	Lasted time.Duration // in all; of several feeds the longest
	Times  int           // outages
	Text   string        // without the feeds' names
	Remedy string
}

// Note is the whole.
type Note struct {
	Headline string
	Wrong    []Item // still, the longest first
	Was      []Item // and is over, the longest first
	Poor     []Item // came, and not as they should
	Service  []Event
	Quiet    int // feeds that were live all the time
	Off      int // that are switched off
	Idle     int // that are connected while needed, and nobody needs
	Waiting  int // that nobody sends to, and nobody has to
}

const (
	together     = 45 * time.Second // beginnings that are this close belong together
	leastShared  = 3                // feeds
	oftenFrom    = 4                // outages of one feed that are told as one
	poorShare    = 100              // a hundredth of the time is worth telling
	longestEvent = 20
)

// Write writes the note.
func Write(in Input) Note {
	w := writer{in: in}
	shared := w.shared()
	for _, f := range in.Feeds {
		w.feed(f, shared[f.Name])
	}
	byLength := func(a, b Item) int {
		return cmp.Or(cmp.Compare(b.Lasted, a.Lasted), a.Began.Compare(b.Began), strings.Compare(a.Feeds[0], b.Feeds[0]))
	}
	slices.SortFunc(w.note.Wrong, byLength)
	slices.SortFunc(w.note.Was, byLength)
	slices.SortFunc(w.note.Poor, byLength)
	w.note.Service = in.Events
	if len(w.note.Service) > longestEvent {
		w.note.Service = w.note.Service[:longestEvent]
	}
	w.note.Headline = w.headline()
	return w.note
}

type writer struct {
	in   Input
	note Note

	live, wrong, was int // feeds
}

// outage is one of a feed's, for looking for what belongs together.
type outage struct {
	feed Feed
	uptime.Outage
}

// shared tells what many feeds went through together, and returns the beginnings of those
// outages by feed.
func (w *writer) shared() map[string][]time.Time {
	var all []outage
	for _, f := range w.in.Feeds {
		for _, o := range f.Outages {
			all = append(all, outage{f, o})
		}
	}
	slices.SortFunc(all, func(a, b outage) int {
		return cmp.Or(a.Began.Compare(b.Began), strings.Compare(a.feed.Name, b.feed.Name))
	})
	told := make(map[string][]time.Time)
	for i := 0; i < len(all); {
		j := i + 1
		for j < len(all) && all[j].Began.Sub(all[i].Began) <= together {
			j++
		}
		w.group(all[i:j], told)
		i = j
	}
	return told
}

// group tells outages that began together as one, those that are over apart from those that
// go on.
func (w *writer) group(list []outage, told map[string][]time.Time) {
	for _, over := range []bool{false, true} {
		item := Item{}
		var mine []outage
		for _, o := range list {
			if o.Over == over && !slices.Contains(item.Feeds, o.feed.Name) {
				mine = append(mine, o)
				item.Feeds = append(item.Feeds, o.feed.Name)
				item.Lasted = max(item.Lasted, o.Lasted)
			}
		}
		if len(item.Feeds) < leastShared {
			continue
		}
		for _, o := range mine {
			told[o.feed.Name] = append(told[o.feed.Name], o.Began)
		}
		item.Began, item.Times = mine[0].Began, 1
		reason := commonReason(mine)
		item.Remedy = "Look at what they share: power, a switch, a network, a recorder that they come through."
		if over {
			item.Text = fmt.Sprintf("went down together at %s, for up to %s. %s", w.clock(item.Began), length(item.Lasted), reason)
			w.note.Was = append(w.note.Was, item)
			continue
		}
		item.Text = fmt.Sprintf("have been down together since %s, for %s. %s", w.clock(item.Began), length(item.Lasted), reason)
		w.note.Wrong = append(w.note.Wrong, item)
	}
}

// commonReason is the one that most have.
func commonReason(list []outage) string {
	counts := make(map[string]int)
	best := ""
	for _, o := range list {
		counts[o.Reason]++
		if best == "" || counts[o.Reason] > counts[best] {
			best = o.Reason
		}
	}
	return best
}

// feed tells of one feed what was not told of many.
func (w *writer) feed(f Feed, told []time.Time) {
	var over, going []uptime.Outage
	for _, o := range f.Outages {
		switch {
		case slices.Contains(told, o.Began):
		case o.Over:
			over = append(over, o)
		default:
			going = append(going, o)
		}
	}
	w.count(f)
	for _, o := range going {
		w.note.Wrong = append(w.note.Wrong, Item{
			Feeds: []string{f.Name}, Began: o.Began, Lasted: o.Lasted, Times: 1, Remedy: f.Remedy,
			Text: fmt.Sprintf("has been down since %s, for %s. %s", w.clock(o.Began), length(o.Lasted), o.Reason),
		})
	}
	w.past(f, over)
	w.poor(f)
}

func (w *writer) count(f Feed) {
	switch f.Now {
	case uptime.Off:
		w.note.Off++
	case uptime.Idle:
		w.note.Idle++
	case uptime.Waiting:
		w.note.Waiting++
	case uptime.Down:
		w.wrong++
	case uptime.Live, uptime.Degraded:
		w.live++
	}
	ended := slices.ContainsFunc(f.Outages, func(o uptime.Outage) bool { return o.Over })
	if ended && f.Now != uptime.Down {
		w.was++
	}
	if f.Now == uptime.Live && len(f.Outages) == 0 {
		w.note.Quiet++
	}
}

// past tells of outages that are over: each by itself, or many as one.
func (w *writer) past(f Feed, over []uptime.Outage) {
	slices.SortFunc(over, func(a, b uptime.Outage) int { return a.Began.Compare(b.Began) })
	if len(over) < oftenFrom {
		for _, o := range over {
			w.note.Was = append(w.note.Was, Item{
				Feeds: []string{f.Name}, Began: o.Began, Lasted: o.Lasted, Times: 1,
				Text: fmt.Sprintf("was down from %s, for %s. %s", w.clock(o.Began), length(o.Lasted), o.Reason),
			})
		}
		return
	}
	item := Item{Feeds: []string{f.Name}, Began: over[0].Began, Times: len(over)}
	for _, o := range over {
		item.Lasted += o.Lasted
	}
	last := over[len(over)-1]
	item.Text = fmt.Sprintf("went down %d times between %s and %s, %s in all. Most recently: %s", len(over), w.clock(item.Began), w.clock(last.Began.Add(last.Lasted)), length(item.Lasted), last.Reason)
	item.Remedy = "A camera that comes and goes often has a bad cable, a weak radio link or too little power."
	w.note.Was = append(w.note.Was, item)
}

func (w *writer) poor(f Feed) {
	if f.Sums.Degraded <= 0 || f.Sums.Degraded*poorShare < f.Sums.Wanted() {
		return
	}
	text := fmt.Sprintf("had poor pictures for %s: packets lost, or a low frame rate.", length(f.Sums.Degraded))
	if f.Now == uptime.Degraded && f.Why != "" {
		text = fmt.Sprintf("had poor pictures for %s, and does so now: %s.", length(f.Sums.Degraded), f.Why)
	}
	w.note.Poor = append(w.note.Poor, Item{Feeds: []string{f.Name}, Began: w.in.Since, Lasted: f.Sums.Degraded, Text: text})
}

// headline sums the note up.
func (w *writer) headline() string {
	wanted := w.live + w.wrong
	switch {
	case wanted > 0:
	case w.note.Idle > 0:
		return "No camera is connected now: nobody needs one."
	default:
		return "No feed is switched on."
	}
	since := w.clock(w.in.Since)
	var b strings.Builder
	if w.wrong == 0 {
		fmt.Fprintf(&b, "%s live.", allOf(wanted))
	} else {
		fmt.Fprintf(&b, "%d of %d feeds %s down.", w.wrong, wanted, are(w.wrong))
	}
	switch {
	case w.was == 0 && w.wrong == 0 && len(w.note.Poor) == 0:
		fmt.Fprintf(&b, " Nothing happened since %s.", since)
	case w.was > 0:
		fmt.Fprintf(&b, " Since %s, %d %s down and %s back.", since, w.was, were(w.was), are(w.was))
	}
	if n := len(w.note.Poor); n > 0 {
		fmt.Fprintf(&b, " %d had poor pictures for a while.", n)
	}
	return b.String()
}

func allOf(n int) string {
	switch n {
	case 1:
		return "The one feed is"
	case 2:
		return "Both feeds are"
	}
	return fmt.Sprintf("All %d feeds are", n)
}

func are(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

func were(n int) string {
	if n == 1 {
		return "was"
	}
	return "were"
}

// clock writes a time of day, and the day where it is not the note's last.
func (w *writer) clock(t time.Time) string {
	zone := w.in.Zone
	if zone == nil {
		zone = time.UTC
	}
	t, until := t.In(zone), w.in.Until.In(zone)
	if t.YearDay() == until.YearDay() && t.Year() == until.Year() {
		return t.Format("15:04")
	}
	if day := until.AddDate(0, 0, -6); t.After(day) && !t.After(until) {
		return t.Format("Mon 15:04")
	}
	return t.Format("2 Jan 15:04")
}

// length writes a length of time as people say it.
func length(d time.Duration) string {
	plural := func(n int, unit string) string {
		if n == 1 {
			return "1 " + unit
		}
		return fmt.Sprintf("%d %ss", n, unit)
	}
	switch minutes := int(d.Round(time.Minute) / time.Minute); {
	case d < time.Minute:
		return plural(max(int(d.Round(time.Second)/time.Second), 1), "second")
	case minutes < 60:
		return plural(minutes, "minute")
	case minutes < 48*60:
		return fmt.Sprintf("%d h %02d min", minutes/60, minutes%60)
	default:
		return plural(minutes/60/24, "day")
	}
}
