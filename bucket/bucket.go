// Package bucket opens buckets of object stores that speak S3, by their address.
package bucket

import (
	"context"
	"errors"
	"iter"
	"net/http"
	"net/url"
	"path"
	"strings"

	"github.com/minio/minio-go/v7"
	"github.com/minio/minio-go/v7/pkg/credentials"
)

// Scheme is what such an address begins with, in front of that of HTTP.
const Scheme = "s3+"

// Bucket is a bucket, or what lies below a prefix of it.
type Bucket struct {
	Client *minio.Client
	Name   string
	Prefix string // without slashes around it; empty for all of the bucket
}

// Open opens what is at an address, s3+https://HOST/BUCKET/PREFIX. It asks nobody.
func Open(to, accessKey, secretKey string) (*Bucket, error) {
	rest, ok := strings.CutPrefix(to, Scheme)
	u, err := url.Parse(rest)
	if !ok || err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil || u.RawQuery != "" || u.Fragment != "" {
		return nil, errors.New("write an object store like s3+https://store.example.org/bucket/cameras; its keys go beside it")
	}
	name, prefix, _ := strings.Cut(strings.Trim(u.Path, "/"), "/")
	if name == "" {
		return nil, errors.New("which bucket? Write it like s3+https://store.example.org/bucket/cameras")
	}
	client, err := minio.New(u.Host, &minio.Options{Creds: credentials.NewStaticV4(accessKey, secretKey, ""), Secure: u.Scheme == "https", BucketLookup: minio.BucketLookupPath})
	if err != nil {
		return nil, err
	}
	return &Bucket{client, name, prefix}, nil
}

// Key is what a file below the prefix is called in the bucket.
func (b *Bucket) Key(name string) string { return path.Join(b.Prefix, name) }

// Object is something that lies in a bucket.
type Object struct {
	Name string // below the prefix
	Size int64  // bytes
}

// List goes over what lies below the prefix. An error is the last that comes.
func (b *Bucket) List(ctx context.Context) iter.Seq2[Object, error] {
	below := strings.TrimPrefix(b.Prefix+"/", "/")
	return func(yield func(Object, error) bool) {
		for o := range b.Client.ListObjects(ctx, b.Name, minio.ListObjectsOptions{Prefix: below, Recursive: true}) {
			if !yield(Object{strings.TrimPrefix(o.Key, below), o.Size}, o.Err) || o.Err != nil {
				return
			}
		}
	}
}

// Refused says whether a store's error is that the keys may not do that.
func Refused(err error) bool {
	status := minio.ToErrorResponse(err).StatusCode
	return status == http.StatusUnauthorized || status == http.StatusForbidden
}
