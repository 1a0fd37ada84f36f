package record

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"path"
	"strings"
	"time"

	"github.com/minio/minio-go/v7"
	"github.com/minio/minio-go/v7/pkg/credentials"

	"webostrum/core/fault"
	"webostrum/core/recording"
	"webostrum/store"
	"webostrum/wait"
)

// Copies says which object store finished files are copied to.
type Copies struct {
	To        string // s3+https://HOST/BUCKET/PREFIX; empty for none
	AccessKey string
	SecretKey string
}

const (
	copyEvery  = 10 * time.Second
	copyWithin = 30 * time.Minute // of one file
)

// copier copies finished files to an object store, behind the writing. What was not copied
// whole is copied again; files that are there already are left alone.
type copier struct {
	client         *minio.Client
	bucket, prefix string
}

func newCopier(c Copies) (*copier, error) {
	if c.To == "" {
		return nil, nil
	}
	u, err := url.Parse(strings.TrimPrefix(c.To, "s3+"))
	if err != nil || !strings.HasPrefix(c.To, "s3+") || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" || strings.Trim(u.Path, "/") == "" || u.User != nil {
		return nil, fmt.Errorf("%q is no object store: write it like s3+https://store.example.org/bucket/cameras; the keys go beside it", c.To)
	}
	bucket, prefix, _ := strings.Cut(strings.Trim(u.Path, "/"), "/")
	client, err := minio.New(u.Host, &minio.Options{Creds: credentials.NewStaticV4(c.AccessKey, c.SecretKey, ""), Secure: u.Scheme == "https", BucketLookup: minio.BucketLookupPath})
	return &copier{client, bucket, prefix}, err
}

// copyFiles copies until ctx ends.
func (l *Library) copyFiles(ctx context.Context) {
	if l.copier == nil {
		return
	}
	for ctx.Err() == nil {
		l.copied(l.copyOnce(ctx))
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
	key := path.Join(c.prefix, recording.Kept(row.Path, false)) // one name, whether it is marked or not
	if there, err := c.client.StatObject(ctx, c.bucket, key, minio.StatObjectOptions{}); err == nil && there.Size == row.Bytes {
		return nil
	}
	_, err := c.client.FPutObject(ctx, c.bucket, key, file, minio.PutObjectOptions{ContentType: "video/mp4"})
	return err
}

// copied tells once of copying that goes wrong, and once when it goes on.
func (l *Library) copied(err error) {
	var f *fault.Error
	if err != nil && !errors.Is(err, context.Canceled) {
		code := fault.CopiesFailed
		if r := minio.ToErrorResponse(err); r.StatusCode == http.StatusForbidden || r.StatusCode == http.StatusUnauthorized {
			code = fault.CopiesRefused
		}
		f = fault.New(code, err, "%v", err)
	}
	l.mu.Lock()
	before := l.copying
	l.copying = f
	l.mu.Unlock()
	by := l.cfg.Station.By("", "")
	switch {
	case f != nil && (before == nil || before.Kind.Code != f.Kind.Code):
		by.Warn("", f.Kind.Code, "recordings are not copied: "+f.Error())
	case f == nil && before != nil:
		by.Note("", "change", "recordings are copied again")
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
