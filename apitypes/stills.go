package apitypes

import "time"

// StillSchedule says when stills of a feed are taken, and what films are made of them.
type StillSchedule struct {
	Name      string   `json:"name" pattern:"^[a-z0-9]+(-[a-z0-9]+)*$" patternDescription:"small letters, digits and single hyphens" maxLength:"40" doc:"Name in addresses and of the folder" example:"daylight"`
	Seconds   float64  `json:"seconds,omitempty" minimum:"0" maximum:"86400" doc:"From one still to the next, 1 at least; 0 when they are taken at times of day" example:"60"`
	At        []string `json:"at,omitempty" nullable:"false" maxItems:"48" doc:"Times of day instead" example:"[\"08:00\",\"12:00\"]"`
	Zone      string   `json:"zone,omitempty" maxLength:"64" doc:"Time zone of those, and of days and hours of films; empty is the service's own" example:"Europe/Zurich"`
	Sun       bool     `json:"sun,omitempty" doc:"Whether they are taken only while the sun is up, at the place below"`
	Latitude  float64  `json:"latitude,omitempty" minimum:"-90" maximum:"90" doc:"Degrees, north is positive"`
	Longitude float64  `json:"longitude,omitempty" minimum:"-180" maximum:"180" doc:"Degrees, east is positive"`
	Size      string   `json:"size,omitempty" maxLength:"20" doc:"Such as 640x360, 640x or 1/2; empty is the camera's"`
	Quality   int      `json:"quality,omitempty" minimum:"0" maximum:"100" doc:"JPEG quality of what is transcoded; 0 is the feed's"`
	Text      string   `json:"text,omitempty" maxLength:"200" doc:"Drawn in the lower left corner: {date}, {time} and {place} stand for what they say" example:"{place} {date} {time}"`
	Requests  []string `json:"requests,omitempty" nullable:"false" maxItems:"16" doc:"Camera requests of the feed that are sent before each still, since small boards forget"`
	Days      float64  `json:"days,omitempty" minimum:"0" maximum:"3660" doc:"How long stills are kept; 0 is for ever"`
	Show      bool     `json:"show,omitempty" doc:"Whether everybody who may watch the feed sees them and their films; otherwise engineers alone"`

	Film        string  `json:"film,omitempty" enum:"none,hour,day" doc:"Whether a film is made of each hour or day"`
	FilmSeconds float64 `json:"filmSeconds,omitempty" minimum:"0" maximum:"3600" doc:"How long it is to be; 0 shows every still, 25 a second" example:"60"`
	FilmFormat  string  `json:"filmFormat,omitempty" enum:"mp4,webm" doc:"MP4 with H.264, or WebM with VP9; MP4 when left out"`
	FilmEven    bool    `json:"filmEven,omitempty" doc:"Whether brightness that goes up and down is evened out"`
	FilmRemoves bool    `json:"filmRemoves,omitempty" doc:"Whether its stills are removed afterwards"`
	FilmDays    float64 `json:"filmDays,omitempty" minimum:"0" maximum:"3660" doc:"How long films are kept; 0 is for ever"`
}

// ScheduleState is how a schedule goes.
type ScheduleState struct {
	Name    string     `json:"name"`
	Next    *time.Time `json:"next,omitempty" doc:"When the next still is taken"`
	Newest  *time.Time `json:"newest,omitempty" doc:"When the newest was taken"`
	Oldest  *time.Time `json:"oldest,omitempty"`
	Files   int        `json:"files"`
	Bytes   int64      `json:"bytes"`
	Latest  string     `json:"latest" doc:"Address of the newest, below the service's"`
	Problem string     `json:"problem,omitempty" doc:"Why the last one was not taken"`
	Remedy  string     `json:"remedy,omitempty"`
}

// StillList is a feed's schedules, and the stills of one of them.
type StillList struct {
	Schedules []ScheduleState `json:"schedules"`
	Stills    []KeptStill     `json:"stills" doc:"Of the schedule that was asked for, 2,000 at most"`
}

// KeptStill is one still.
type KeptStill struct {
	At      time.Time `json:"at"`
	Bytes   int64     `json:"bytes"`
	Address string    `json:"address" doc:"Below the service's"`
}

// NewFilm says what film is made.
type NewFilm struct {
	Source  string    `json:"source" maxLength:"40" doc:"A schedule's name, or recording for the keyframes of what was recorded" example:"daylight"`
	From    time.Time `json:"from"`
	To      time.Time `json:"to"`
	Seconds float64   `json:"seconds,omitempty" minimum:"0" maximum:"3600" doc:"How long it is to be; 0 shows every picture, 25 a second" example:"60"`
	Format  string    `json:"format,omitempty" enum:"mp4,webm" default:"mp4"`
	Size    string    `json:"size,omitempty" maxLength:"20" doc:"Such as 1280x; empty is that of the first picture"`
	Even    bool      `json:"even,omitempty" doc:"Whether brightness that goes up and down is evened out"`
	Removes bool      `json:"removes,omitempty" doc:"Whether the stills are removed afterwards"`
}

// FilmJob is a film in the making, or one that was made since the service began.
type FilmJob struct {
	ID      int        `json:"id"`
	Source  string     `json:"source"`
	From    time.Time  `json:"from"`
	To      time.Time  `json:"to"`
	Format  string     `json:"format"`
	Done    int        `json:"done" doc:"Pictures that are in it so far"`
	All     int        `json:"all" doc:"Pictures that it will have; 0 while it waits"`
	Ended   *time.Time `json:"ended,omitempty" doc:"When it was made, or given up"`
	Problem string     `json:"problem,omitempty"`
	Remedy  string     `json:"remedy,omitempty"`
	Address string     `json:"address,omitempty" doc:"Below the service's, once it is there"`
}

// Film is one film.
type Film struct {
	Source  string    `json:"source"`
	Name    string    `json:"name" doc:"Of the file"`
	Format  string    `json:"format"`
	From    time.Time `json:"from"`
	To      time.Time `json:"to"`
	Bytes   int64     `json:"bytes"`
	Address string    `json:"address" doc:"Below the service's"`
	Latest  string    `json:"latest" doc:"Fixed address of the newest of this source and format"`
}

// FilmList is a feed's films.
type FilmList struct {
	Films []Film    `json:"films" doc:"The newest first"`
	Jobs  []FilmJob `json:"jobs" doc:"The newest first"`
}
