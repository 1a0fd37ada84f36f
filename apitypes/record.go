package apitypes

import "time"

// Strip is how a feed was, in cells of the same length; the last cell is the present one.
type Strip struct {
	Begins time.Time `json:"begins"`
	Cell   int       `json:"cellSeconds"`
	Cells  string    `json:"cells" doc:"A letter each: l live, g degraded, d down, w waiting, o off or idle, and a dot where the service did not run" example:"lllldlll"`
}

// Availability is how a feed was.
type Availability struct {
	Feed    string   `json:"feed"`
	Now     string   `json:"now" enum:"unknown,off,idle,waiting,down,degraded,live"`
	Why     string   `json:"why,omitempty" doc:"It is degraded"`
	Day     Strip    `json:"day" doc:"24 hours in cells of five minutes"`
	Month   Strip    `json:"month" doc:"30 days in cells of an hour"`
	DayUp   *float64 `json:"dayPercent,omitempty" doc:"Of the time that it should have been live pictures came in so much"`
	MonthUp *float64 `json:"monthPercent,omitempty"`
	Outages []Outage `json:"outages" doc:"Of 30 days, the newest first"`
}

// Outage is a stretch of time in which a feed was down.
type Outage struct {
	Began   time.Time `json:"began"`
	Seconds float64   `json:"seconds"`
	Over    bool      `json:"over"`
	Code    string    `json:"code,omitempty"`
	Reason  string    `json:"reason"`
}

// FeedStrip is a feed's last day, for lists.
type FeedStrip struct {
	Feed  string   `json:"feed"`
	Cells string   `json:"cells"`
	Up    *float64 `json:"percent,omitempty"`
}

// StripList is the last day of all feeds.
type StripList struct {
	Begins time.Time   `json:"begins"`
	Cell   int         `json:"cellSeconds"`
	Strips []FeedStrip `json:"strips"`
}

// Morning says what happened overnight.
type Morning struct {
	Since    time.Time      `json:"since"`
	Until    time.Time      `json:"until"`
	Headline string         `json:"headline"`
	Wrong    []MorningItem  `json:"wrong" doc:"Still, the longest first"`
	Was      []MorningItem  `json:"was" doc:"Wrong meanwhile, and is over"`
	Poor     []MorningItem  `json:"poor" doc:"Came, and not as it should"`
	Service  []MorningEvent `json:"service" doc:"What happened to the service itself"`
	Quiet    int            `json:"quiet" doc:"Feeds that were live all the time"`
	Off      int            `json:"off"`
	Idle     int            `json:"idle" doc:"Connected while needed, and nobody needs them"`
	Waiting  int            `json:"waiting"`
}

// MorningItem is one thing.
type MorningItem struct {
	Feeds   []string  `json:"feeds"`
	Text    string    `json:"text"`
	Remedy  string    `json:"remedy,omitempty"`
	Began   time.Time `json:"began"`
	Seconds float64   `json:"seconds"`
	Times   int       `json:"times,omitempty"`
}

// MorningEvent is something of the service's own.
type MorningEvent struct {
	At   time.Time `json:"at"`
	Text string    `json:"text"`
}

// Usage is what viewers took.
type Usage struct {
	From      string       `json:"from" doc:"Day, in UTC" example:"2026-11-01"`
	To        string       `json:"to" doc:"Day, included"`
	Rows      []UsageRow   `json:"rows" doc:"By day, feed and delivery, the oldest first"`
	Bytes     int64        `json:"bytes" doc:"Of all"`
	Hours     float64      `json:"viewerHours" doc:"Of all"`
	Month     int64        `json:"monthBytes" doc:"Of the month that goes on"`
	Allowance UsageLimit   `json:"allowance"`
	Totals    []UsageTotal `json:"totals" doc:"By feed, the most bytes first"`
}

// UsageRow is one day of one feed by one delivery.
type UsageRow struct {
	Day      string  `json:"day"`
	Feed     string  `json:"feed"`
	Delivery string  `json:"delivery"`
	Bytes    int64   `json:"bytes"`
	Hours    float64 `json:"viewerHours"`
	Most     int     `json:"mostViewers" doc:"At once"`
}

// UsageTotal is one feed's.
type UsageTotal struct {
	Feed  string  `json:"feed"`
	Bytes int64   `json:"bytes"`
	Hours float64 `json:"viewerHours"`
	Most  int     `json:"mostViewers" doc:"At once, by one delivery on one day"`
}

// UsageLimit is what may be sent to viewers in a month of the calendar, in UTC.
type UsageLimit struct {
	Bytes int64 `json:"bytes" minimum:"0" doc:"0 for no limit" example:"2000000000000"`
	Stop  bool  `json:"stop" doc:"Whether no new viewers are let in beyond it, but those who have signed in or have a link; else it is told and no more"`
}
