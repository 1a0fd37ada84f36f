package apitypes

import "time"

// RecordingSettings say when a feed is recorded, how long that is kept, and who sees it.
type RecordingSettings struct {
	Mode      string  `json:"mode,omitempty" enum:"hand,always,timetable,motion" default:"hand" doc:"hand is only when somebody says so; motion when the picture changes, which needs the codec worker"`
	Timetable string  `json:"timetable,omitempty" maxLength:"1000" doc:"When the mode is timetable: days and times, such as mon-fri 07:00-19:00, sat 08:00-12:00" example:"mon-fri 07:00-19:00"`
	Zone      string  `json:"zone,omitempty" maxLength:"64" doc:"Time zone of the timetable, such as Europe/Zurich; empty is the service's own"`
	Minutes   int     `json:"fileMinutes,omitempty" minimum:"0" maximum:"120" default:"0" doc:"Length of a file, as soon as a keyframe comes; 0 is 10"`
	Before    int     `json:"beforeSeconds,omitempty" minimum:"0" maximum:"20" default:"0" doc:"Seconds before motion, as far as they are in memory; 0 is 3"`
	After     int     `json:"afterSeconds,omitempty" minimum:"0" maximum:"600" default:"0" doc:"Seconds after motion; 0 is 10"`
	Threshold float64 `json:"thresholdPercent,omitempty" minimum:"0" maximum:"100" default:"0" doc:"How much of the picture has to change to be motion, per cent of what is not masked; 0 is 1"`
	Mask      string  `json:"mask,omitempty" maxLength:"160" doc:"Cells that are not looked at: nine rows with / between them, of sixteen characters, x for masked and . for not"`
	Days      float64 `json:"days,omitempty" minimum:"0" maximum:"3660" default:"0" doc:"How long it is kept; 0 is as long as there is room"`
	Bytes     int64   `json:"bytes,omitempty" minimum:"0" maximum:"1000000000000000" default:"0" doc:"How much is kept, bytes; 0 is as much as there is room for"`
	GoBack    bool    `json:"goBack,omitempty" doc:"Whether everybody who may watch the feed may go back in time in it; otherwise engineers alone"`
}

// RecordedSpan is a stretch of time of which there is a recording, without a gap.
type RecordedSpan struct {
	Begins time.Time `json:"begins"`
	Ends   time.Time `json:"ends" doc:"So far, where it is being written"`
	Bytes  int64     `json:"bytes"`
	Width  int       `json:"width" doc:"Pixels"`
	Height int       `json:"height" doc:"Pixels"`
	Codec  string    `json:"codec" doc:"As in RFC 6381" example:"avc1.42c01f"`
	Audio  bool      `json:"audio"`
	Keep   bool      `json:"keep" doc:"Whether it is marked to be kept"`
	Away   bool      `json:"away,omitempty" doc:"Whether it is in the object store alone; it plays from there"`
	Why    string    `json:"why,omitempty" enum:"always,timetable,hand,motion" doc:"What had it recorded; empty when that is not known any more"`
}

// RecordingState is how recording a feed goes.
type RecordingState struct {
	Recording bool       `json:"recording"`
	Why       string     `json:"why,omitempty" doc:"always, timetable, hand or motion"`
	Since     *time.Time `json:"since,omitempty"`
	Until     *time.Time `json:"until,omitempty" doc:"When what was begun by hand ends"`
	Problem   string     `json:"problem,omitempty" doc:"Why nothing is written, in a sentence"`
	Remedy    string     `json:"remedy,omitempty" doc:"What to do next"`
	Code      string     `json:"code,omitempty" doc:"Kind of fault"`
	Left      uint64     `json:"leftOut" doc:"Frames that are not in recordings since the start, the disk being slow"`
}

// Recordings is what there is of a feed.
type Recordings struct {
	Feed   string         `json:"feed"`
	State  RecordingState `json:"state"`
	Oldest *time.Time     `json:"oldest,omitempty" doc:"When the oldest of all begins"`
	Newest *time.Time     `json:"newest,omitempty"`
	Bytes  int64          `json:"bytes" doc:"Of all"`
	Away   int64          `json:"awayBytes,omitempty" doc:"Of these, in the object store alone"`
	Files  int            `json:"files" doc:"Of all"`
	Spans  []RecordedSpan `json:"spans" doc:"Of the time that was asked for, the oldest first; 2,000 at most"`
	More   bool           `json:"more" doc:"Whether there are more"`
}

// RecordingRoom is how much recordings take.
type RecordingRoom struct {
	Folder  string           `json:"folder"`
	Files   int              `json:"files" doc:"On the disk"`
	Bytes   int64            `json:"bytes"`
	Kept    int64            `json:"keptBytes" doc:"Of what is marked to be kept"`
	Free    int64            `json:"freeBytes" doc:"On the disk"`
	Disk    int64            `json:"diskBytes" doc:"Size of the disk"`
	Most    int64            `json:"mostBytes" doc:"That recordings may take; 0 is no limit"`
	Spare   int64            `json:"spareBytes" doc:"That are to stay free"`
	Copies  *RecordingCopies `json:"copies,omitempty" doc:"Left out where none are made"`
	Problem string           `json:"problem,omitempty" doc:"Why the folder cannot be used"`
	Remedy  string           `json:"remedy,omitempty"`
	Feeds   []RecordedFeed   `json:"feeds" doc:"Of which there is something, or which are recorded now"`
}

// RecordingCopies is how copying recordings to an object store goes.
type RecordingCopies struct {
	To      string `json:"to"`
	Waiting int    `json:"waiting" doc:"Finished files that were not copied yet"`
	Files   int    `json:"files" doc:"That are there alone"`
	Bytes   int64  `json:"bytes" doc:"Of those"`
	Problem string `json:"problem,omitempty"`
	Remedy  string `json:"remedy,omitempty"`
}

// RecordedFeed is one feed's share.
type RecordedFeed struct {
	Feed   string         `json:"feed"`
	Gone   bool           `json:"gone,omitempty" doc:"Whether there is no such feed any more"`
	Files  int            `json:"files"`
	Bytes  int64          `json:"bytes"`
	Away   int64          `json:"awayBytes,omitempty" doc:"Of these, in the object store alone"`
	Oldest *time.Time     `json:"oldest,omitempty"`
	Newest *time.Time     `json:"newest,omitempty"`
	State  RecordingState `json:"state"`
}

// RecordNow has a feed recorded.
type RecordNow struct {
	Minutes float64 `json:"minutes" required:"false" minimum:"0" maximum:"1440" doc:"For how long; 0 until it is stopped" example:"30"`
}

// KeepRecordings marks what was recorded.
type KeepRecordings struct {
	From time.Time `json:"from"`
	To   time.Time `json:"to"`
	Keep bool      `json:"keep" doc:"Whether it is to be kept until somebody says otherwise"`
}

// RecordingsChanged is how many files a change touched.
type RecordingsChanged struct {
	Files int   `json:"files"`
	Bytes int64 `json:"bytes,omitempty"`
}

// Motion is how much of a feed's picture changed lately.
type Motion struct {
	Threshold float64       `json:"thresholdPercent" doc:"At which it is motion"`
	Points    []MotionPoint `json:"points" doc:"Of the last two minutes, the oldest first"`
	Cells     [][]float64   `json:"cells" doc:"The newest measure of each cell, per cent: nine rows of sixteen"`
	Problem   string        `json:"problem,omitempty" doc:"Why nothing is measured"`
}

// MotionPoint is one measure.
type MotionPoint struct {
	At      time.Time `json:"at"`
	Changed float64   `json:"changedPercent" doc:"Of what is not masked"`
}
