package outlet

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"github.com/minio/minio-go/v7"

	"webostrum/bucket"
	"webostrum/core/fault"
)

const (
	mostRedirections = 4
	putWithin        = 15 * time.Second
	fileRights       = 0o644 // a web server reads them
	folderRights     = 0o755
	markName         = ".webostrum-outlet"
	mostAnswer       = 4 << 10
)

// place is where files are put. Names have slashes.
type place interface {
	// claim sees that the place is ours, and says which files lie there.
	claim(ctx context.Context) ([]string, error)
	// put puts a file there, whole or not at all.
	put(ctx context.Context, name, kind string, data []byte) error
	remove(ctx context.Context, name string) error
}

// Parse reads where a feed's files are put, and says what is wrong with that: folder:NAME
// below the folder that the service was given, http:// or https:// for PUT, or s3+http:// or
// s3+https:// with a bucket and a prefix.
func Parse(to, root string) error {
	_, err := placeOf(to, "", "", root)
	return err
}

func placeOf(to, user, password, root string) (place, error) {
	if name, ok := strings.CutPrefix(to, "folder:"); ok {
		switch {
		case root == "":
			return nil, errors.New("the service was given no folder for web servers: start it with --outlet-folder")
		case !fs.ValidPath(name) || name == "." || strings.Contains(name, `\`):
			return nil, fmt.Errorf("%q is no folder below that of --outlet-folder: write it like folder:lower-station", name)
		}
		return folder(filepath.Join(root, filepath.FromSlash(name))), nil
	}
	if strings.HasPrefix(to, bucket.Scheme) {
		b, err := bucket.Open(to, user, password)
		return objectStore{b}, err
	}
	u, err := url.Parse(to)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil || u.RawQuery != "" || u.Fragment != "" {
		return nil, errors.New("write it like folder:lower-station, https://www.example.org/dav/lower-station or s3+https://store.example.org/bucket/lower-station; user and password go beside it")
	}
	return &webServer{strings.TrimSuffix(u.String(), "/"), user, password, &http.Client{Timeout: putWithin, CheckRedirect: sameServer}}, nil
}

// sameServer follows redirections at the same scheme, host and port alone: the password is
// for nobody else.
func sameServer(next *http.Request, before []*http.Request) error {
	first := before[0].URL
	if next.URL.Scheme != first.Scheme || next.URL.Host != first.Host || len(before) > mostRedirections {
		return http.ErrUseLastResponse
	}
	return nil
}

// Host is the host that files are put to; empty for a folder.
func Host(to string) string {
	if u, err := url.Parse(strings.TrimPrefix(to, bucket.Scheme)); err == nil {
		return u.Host
	}
	return ""
}

// Overlap says whether one of two places is the other one, or in it.
func Overlap(a, b string) bool {
	a, b = strings.TrimRight(a, "/")+"/", strings.TrimRight(b, "/")+"/"
	return len(a) > 1 && len(b) > 1 && (strings.HasPrefix(a, b) || strings.HasPrefix(b, a))
}

// folder is a folder of this machine.
type folder string

func (f folder) claim(context.Context) ([]string, error) {
	if err := os.MkdirAll(string(f), folderRights); err != nil {
		return nil, err
	}
	var list []string
	marked := false
	err := filepath.WalkDir(string(f), func(full string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		name, err := filepath.Rel(string(f), full)
		if name = filepath.ToSlash(name); name == markName {
			marked = true
		} else {
			list = append(list, name)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	if !marked && len(list) > 0 {
		return nil, fault.New(fault.OutletForeign, nil, "%s has other files in it, such as %s: choose an empty folder, or make an empty file %s in it.", string(f), list[0], markName)
	}
	return list, os.WriteFile(filepath.Join(string(f), markName), nil, fileRights)
}

func (f folder) put(_ context.Context, name, _ string, data []byte) error {
	full := filepath.Join(string(f), filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(full), folderRights); err != nil {
		return err
	}
	making := full + ".making"
	if err := os.WriteFile(making, data, fileRights); err != nil {
		_ = os.Remove(making)
		return err
	}
	return os.Rename(making, full)
}

func (f folder) remove(_ context.Context, name string) error {
	err := os.Remove(filepath.Join(string(f), filepath.FromSlash(name)))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// webServer takes files by PUT (RFC 9110, 9.3.4), as servers of WebDAV (RFC 4918) do.
type webServer struct {
	base, user, password string
	client               *http.Client
}

// claim knows of nothing that lies there: what an earlier run has left is removed by its names.
func (s *webServer) claim(context.Context) ([]string, error) { return nil, nil }

func (s *webServer) do(ctx context.Context, method, name, kind string, data []byte) (int, error) {
	var body io.Reader
	if data != nil {
		body = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(ctx, method, s.base+"/"+(&url.URL{Path: name}).EscapedPath(), body)
	if err != nil {
		return 0, err
	}
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	if s.user != "" {
		req.SetBasicAuth(s.user, s.password)
	}
	res, err := s.client.Do(req)
	if err != nil {
		return 0, fault.New(fault.OutletFailed, err, "%s does not answer.", s.base)
	}
	defer func() { _ = res.Body.Close() }()
	_, _ = io.Copy(io.Discard, io.LimitReader(res.Body, mostAnswer)) // so that the connection can be used again
	return res.StatusCode, nil
}

func (s *webServer) put(ctx context.Context, name, kind string, data []byte) error {
	status, err := s.do(ctx, http.MethodPut, name, kind, data)
	if err == nil && status == http.StatusConflict { // a folder is missing (RFC 4918, 9.7.1)
		for _, dir := range parents(name) {
			if _, err := s.do(ctx, "MKCOL", strings.TrimPrefix(dir+"/", "/"), "", nil); err != nil {
				return err
			}
		}
		status, err = s.do(ctx, http.MethodPut, name, kind, data)
	}
	return answered(s.base, status, err)
}

// parents are the folders that a name is in, the outermost first.
func parents(name string) (list []string) {
	for dir := path.Dir(name); dir != "."; dir = path.Dir(dir) {
		list = append([]string{dir}, list...)
	}
	return append([]string{""}, list...)
}

func answered(where string, status int, err error) error {
	switch {
	case err != nil:
		return err
	case status == http.StatusUnauthorized || status == http.StatusForbidden:
		return fault.New(fault.OutletRefused, nil, "%s answered %d %s.", where, status, http.StatusText(status))
	case status >= http.StatusMultipleChoices && status < http.StatusBadRequest:
		return fault.New(fault.OutletFailed, nil, "%s answered %d %s: it points to another server, to which the password is not sent. Name that one instead, if it is yours.", where, status, http.StatusText(status))
	case status >= http.StatusMultipleChoices:
		return fault.New(fault.OutletFailed, nil, "%s answered %d %s.", where, status, http.StatusText(status))
	}
	return nil
}

func (s *webServer) remove(ctx context.Context, name string) error {
	status, err := s.do(ctx, http.MethodDelete, name, "", nil)
	if status == http.StatusNotFound || status == http.StatusGone {
		return nil
	}
	return answered(s.base, status, err)
}

// objectStore is a bucket of a store that speaks S3.
type objectStore struct{ *bucket.Bucket }

func (s objectStore) claim(ctx context.Context) (list []string, err error) {
	for o, err := range s.List(ctx) {
		if err != nil {
			return nil, s.told(err)
		}
		list = append(list, o.Name)
	}
	return list, nil
}

func (s objectStore) told(err error) error {
	if err == nil {
		return nil
	}
	if bucket.Refused(err) {
		return fault.New(fault.OutletRefused, err, "The bucket %s: %v.", s.Name, err)
	}
	return fault.New(fault.OutletFailed, err, "The bucket %s: %v.", s.Name, err)
}

func (s objectStore) put(ctx context.Context, name, kind string, data []byte) error {
	ctx, cancel := context.WithTimeout(ctx, putWithin)
	defer cancel()
	cache := "no-cache"
	if strings.HasSuffix(name, ".m4s") {
		cache = "max-age=3600"
	}
	_, err := s.Client.PutObject(ctx, s.Name, s.Key(name), bytes.NewReader(data), int64(len(data)), minio.PutObjectOptions{ContentType: kind, CacheControl: cache, DisableMultipart: true})
	return s.told(err)
}

func (s objectStore) remove(ctx context.Context, name string) error {
	ctx, cancel := context.WithTimeout(ctx, putWithin)
	defer cancel()
	return s.told(s.Client.RemoveObject(ctx, s.Name, s.Key(name), minio.RemoveObjectOptions{}))
}
