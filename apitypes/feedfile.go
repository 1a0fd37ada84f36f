package apitypes

// FeedFile is feeds as people keep them in a file.
type FeedFile struct {
	Feeds []FeedEntry `json:"feeds" nullable:"false" maxItems:"5000"`
}

// FeedEntry is one of them. What is left out has its default; the camera's user and password
// stay as they are, and so do renditions.
type FeedEntry struct {
	NewFeed
	Renditions *[]NewRendition `json:"renditions,omitempty" maxItems:"12"`
}

// FeedFileResult says what a file changes, by the feeds' names.
type FeedFileResult struct {
	Added     []string `json:"added"`
	Changed   []string `json:"changed"`
	Removed   []string `json:"removed"`
	Unchanged int      `json:"unchanged"`
	Keys      []string `json:"keys" doc:"Feeds that somebody sends to, and that were added: their keys are shown by renewing them"`
	Done      bool     `json:"done" doc:"Whether it was done, or only looked at"`
}
