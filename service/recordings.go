package service

import (
	"cmp"
	"io/fs"
	"path/filepath"

	"webostrum/record"
	"webostrum/station"
	"webostrum/store"
	"webostrum/web"
)

// recordingsFolder is the folder of recordings in the data folder, where no other is named.
const recordingsFolder = "recordings"

// Recordings says where recordings are kept, and how much of them.
type Recordings struct {
	Folder string // empty is one in the data folder
	Most   int64  // bytes; 0 is no limit
	Free   int64  // bytes that are to stay free on the disk
	Copies record.Copies
}

func (r Recordings) open(cfg Config, worker string, records *store.Store, feeds *station.Station) (*record.Library, error) {
	return record.New(record.Config{
		Folder: cmp.Or(r.Folder, filepath.Join(cfg.Data, recordingsFolder)), Own: r.Folder == "", Worker: worker,
		Most: r.Most, Free: r.Free, Copies: r.Copies, Store: records, Station: feeds, Log: cfg.Log,
	})
}

// outletPage is the page that is put beside a feed's files.
func outletPage() fs.FS {
	page, err := fs.Sub(web.Files(), "outlet")
	if err != nil {
		return nil
	}
	return page
}
