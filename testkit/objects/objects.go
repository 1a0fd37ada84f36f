// Package objects is a small store that speaks as much of S3 as clients need to put, list and
// remove: for tests.
package objects

import (
	"bufio"
	"bytes"
	"encoding/hex"
	"encoding/xml"
	"fmt"
	"io"
	"net/http"
	"sort"
	"strconv"
	"strings"
	"sync"
	"time"

	"crypto/md5"
)

// Store is a store with one account. It is an http.Handler, and safe for concurrent use.
type Store struct {
	Key string // access key that is let in

	mu      sync.Mutex
	objects map[string][]byte // by bucket and key
	order   []string          // as they were put
	broken  bool
}

// New makes an empty store.
func New(key string) *Store { return &Store{Key: key, objects: make(map[string][]byte)} }

// Break has it answer with errors, or no longer so.
func (s *Store) Break(on bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.broken = on
}

// Put lays something under a bucket and a key, and Remove takes it away.
func (s *Store) Put(name string, data []byte) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.objects[name] = data
}

// Remove is of what Put, or a client, has laid there.
func (s *Store) Remove(name string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.objects, name)
}

// Object returns what lies under a bucket and a key.
func (s *Store) Object(name string) ([]byte, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	data, ok := s.objects[name]
	return data, ok
}

// Names returns what lies there, and Order all that was ever put, in its order.
func (s *Store) Names() (list []string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for name := range s.objects {
		list = append(list, name)
	}
	sort.Strings(list)
	return list
}

// Order is like Names.
func (s *Store) Order() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]string(nil), s.order...)
}

type failure struct {
	XMLName xml.Name `xml:"Error"`
	Code    string
	Message string
}

func refuse(w http.ResponseWriter, status int, code string) {
	w.Header().Set("Content-Type", "application/xml")
	w.WriteHeader(status)
	_ = xml.NewEncoder(w).Encode(failure{Code: code, Message: code})
}

// ServeHTTP implements http.Handler.
func (s *Store) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, err := bodyOf(r)
	s.mu.Lock()
	defer s.mu.Unlock()
	name := strings.TrimPrefix(r.URL.Path, "/")
	bucket, key, _ := strings.Cut(name, "/")
	switch {
	case s.broken:
		refuse(w, http.StatusServiceUnavailable, "SlowDown")
	case !strings.Contains(r.Header.Get("Authorization"), "Credential="+s.Key+"/"):
		refuse(w, http.StatusForbidden, "InvalidAccessKeyId")
	case err != nil:
		refuse(w, http.StatusBadRequest, "IncompleteBody")
	case r.Method == http.MethodPut && key != "":
		s.objects[name], s.order = body, append(s.order, name)
		sum := md5.Sum(body)
		w.Header().Set("ETag", `"`+hex.EncodeToString(sum[:])+`"`)
	case r.Method == http.MethodDelete && key != "":
		delete(s.objects, name)
		w.WriteHeader(http.StatusNoContent)
	case r.Method == http.MethodGet && key == "" && r.URL.Query().Has("location"):
		_, _ = io.WriteString(w, `<LocationConstraint></LocationConstraint>`)
	case r.Method == http.MethodGet && key == "":
		s.list(w, bucket, r.URL.Query().Get("prefix"))
	case r.Method == http.MethodHead, r.Method == http.MethodGet:
		data, ok := s.objects[name]
		if !ok {
			refuse(w, http.StatusNotFound, "NoSuchKey")
			return
		}
		http.ServeContent(w, r, "", time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC), bytes.NewReader(data))
	default:
		refuse(w, http.StatusMethodNotAllowed, "MethodNotAllowed")
	}
}

func (s *Store) list(w http.ResponseWriter, bucket, prefix string) {
	type object struct {
		Key          string
		Size         int
		LastModified string
	}
	out := struct {
		XMLName     xml.Name `xml:"ListBucketResult"`
		Name        string
		IsTruncated bool
		Contents    []object
	}{Name: bucket}
	for name, data := range s.objects {
		if key, ok := strings.CutPrefix(name, bucket+"/"); ok && strings.HasPrefix(key, prefix) {
			out.Contents = append(out.Contents, object{key, len(data), "2026-11-27T12:00:00.000Z"})
		}
	}
	w.Header().Set("Content-Type", "application/xml")
	_ = xml.NewEncoder(w).Encode(out)
}

// bodyOf reads a body, in signed chunks or as it is.
func bodyOf(r *http.Request) ([]byte, error) {
	if !strings.HasPrefix(r.Header.Get("X-Amz-Content-Sha256"), "STREAMING-") {
		return io.ReadAll(r.Body)
	}
	var out bytes.Buffer
	in := bufio.NewReader(r.Body)
	for {
		line, err := in.ReadString('\n')
		if err != nil {
			return nil, err
		}
		size, _, _ := strings.Cut(strings.TrimSpace(line), ";")
		n, err := strconv.ParseInt(size, 16, 32)
		if err != nil {
			return nil, fmt.Errorf("a chunk of %q bytes", size)
		}
		if n == 0 {
			_, _ = io.Copy(io.Discard, in) // trailers
			return out.Bytes(), nil
		}
		if _, err := io.CopyN(&out, in, n); err != nil {
			return nil, err
		}
		if _, err := in.Discard(len("\r\n")); err != nil {
			return nil, err
		}
	}
}
