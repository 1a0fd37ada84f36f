package record

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"sync"
	"time"

	"github.com/minio/minio-go/v7"

	"webostrum/bucket"
	"webostrum/core/fault"
	"webostrum/station"
	"webostrum/store"
	"webostrum/wait"
)

// Copies says which object store finished files are copied to.
type Copies struct {
	To        string // s3+https://HOST/BUCKET/PREFIX; empty for none
	AccessKey string
	SecretKey string
	Days      float64 // that what is there alone is kept; 0 is as long as the store keeps it
}

const (
	copyEvery  = 10 * time.Second
	copyWithin = 30 * time.Minute // of one file
)

// copier copies finished files to an object store, behind the writing. What was not copied
// whole is copied again; files that are there already are left alone.
type copier struct {
	*bucket.Bucket

	mu     sync.Mutex
	lately []*distant // that were opened, the latest last; guarded by mu
}

func newCopier(c Copies) (*copier, error) {
	if c.To == "" {
		return nil, nil
	}
	b, err := bucket.Open(c.To, c.AccessKey, c.SecretKey)
	if err != nil {
		return nil, fmt.Errorf("%q is no place for copies of recordings: %w", c.To, err)
	}
	return &copier{Bucket: b}, nil
}

// copyFiles copies until ctx ends.
func (l *Library) copyFiles(ctx context.Context) {
	if l.copier == nil {
		return
	}
	var looked time.Time // at what is there
	for ctx.Err() == nil {
		err := l.copyOnce(ctx)
		now := time.Now()
		if err == nil && (looked.IsZero() || now.Sub(looked) >= lookAwayEvery) {
			if err = l.lookAway(ctx); err == nil {
				looked = now
			}
		}
		if err == nil && l.copyClock.trusted(now) {
			err = l.expire(now)
		}
		l.copied(err)
		wait.For(ctx, copyEvery)
	}
}

// copyOnce copies what was not copied yet, the oldest first.
func (l *Library) copyOnce(ctx context.Context) error {
	rows, err := l.store.UncopiedFiles()
	if err != nil {
		return err
	}
	for _, row := range rows {
		if ctx.Err() != nil {
			return nil
		}
		err := l.copier.copy(ctx, l.full(row.Path), row)
		if errors.Is(err, fs.ErrNotExist) {
			continue // removed, or marked, meanwhile
		}
		if err != nil {
			return err
		}
		if err := l.store.FileCopied(row.ID); err != nil {
			return err
		}
	}
	return nil
}

func (c *copier) copy(ctx context.Context, file string, row store.RecordedFile) error {
	ctx, cancel := context.WithTimeout(ctx, copyWithin)
	defer cancel()
	key := c.key(row.Path)
	if there, err := c.Client.StatObject(ctx, c.Name, key, minio.StatObjectOptions{}); err == nil && there.Size == row.Bytes {
		return nil
	}
	_, err := c.Client.FPutObject(ctx, c.Name, key, file, minio.PutObjectOptions{ContentType: "video/mp4"})
	return err
}

// copied tells once of copying that goes wrong, and once when it goes on.
func (l *Library) copied(err error) {
	var f *fault.Error
	if err != nil && !errors.Is(err, context.Canceled) {
		code := fault.CopiesFailed
		if bucket.Refused(err) {
			code = fault.CopiesRefused
		}
		f = fault.New(code, err, "%v", err)
	}
	l.mu.Lock()
	before := l.copying
	l.copying = f
	l.mu.Unlock()
	by := l.cfg.Station.By("", "")
	switch news, over := fault.Changed(before, f); {
	case news:
		by.Warn("", f.Kind.Code, "recordings are not copied: "+f.Error())
	case over:
		by.Note("", station.EventChange, "recordings are copied again")
	}
}

// Copying says where recordings are copied to, how many files wait, and why none is copied.
func (l *Library) Copying() (to string, waiting int, problem *fault.Error) {
	if l.copier == nil {
		return "", 0, nil
	}
	rows, _ := l.store.UncopiedFiles() // what cannot be counted is told by what fails
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.cfg.Copies.To, len(rows), l.copying
}
