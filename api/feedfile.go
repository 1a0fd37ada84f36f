package api

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/hls"
	"webostrum/station/pipeline"
	"webostrum/store"
)

func (a *API) feedFileOperations(h huma.API) {
	huma.Register(h, operation("GET", "/feed-file", "export-feeds", "All feeds as a file keeps them", needsEngineer, 200), a.exportFeeds)
	op := operation("PUT", "/feed-file", "import-feeds", "Have feeds be as a file says, all of it or nothing", needsEngineer, 200)
	op.MaxBodyBytes = mostFeedFile
	huma.Register(h, op, a.importFeeds)
}

const mostFeedFile = 16 << 20

func (a *API) exportFeeds(context.Context, *struct{}) (*struct{ Body apitypes.FeedFile }, error) {
	records, err := a.store.Feeds()
	if err != nil {
		return nil, answerFor(err)
	}
	out := apitypes.FeedFile{Feeds: []apitypes.FeedEntry{}}
	for _, r := range records {
		out.Feeds = append(out.Feeds, entryOf(r))
	}
	return &struct{ Body apitypes.FeedFile }{out}, nil
}

func entryOf(r store.Feed) apitypes.FeedEntry {
	e := apitypes.FeedEntry{NewFeed: apitypes.NewFeed{Name: r.Name, Enabled: &r.Enabled, FeedSettings: settingsOf(r)}}
	list := []apitypes.NewRendition{}
	for _, x := range r.Renditions {
		list = append(list, apitypes.NewRendition{
			Name: x.Name, Codec: x.Codec, Size: x.Size, FrameRate: x.FrameRate, BitRate: x.BitRate, KeyframeSeconds: x.KeySeconds,
			Profile: x.Profile, Quality: x.Quality, Text: x.Text, TextCorner: x.TextCorner, TextSize: x.TextSize, View: x.View,
		})
	}
	e.Renditions = &list
	return e
}

type importInput struct {
	DryRun bool `query:"dry-run" doc:"Whether it is only looked at"`
	Remove bool `query:"remove-others" doc:"Whether feeds that the file does not have are removed"`
	Body   apitypes.FeedFile
}

// errOnlyLooked ends an import that is only looked at.
var errOnlyLooked = errors.New("it was only looked at")

func (a *API) importFeeds(ctx context.Context, in *importInput) (*struct{ Body apitypes.FeedFileResult }, error) {
	out := apitypes.FeedFileResult{Added: []string{}, Changed: []string{}, Removed: []string{}, Keys: []string{}, Done: !in.DryRun}
	var gone []int64
	err := a.by(ctx).Apply(func(present []store.Feed) (c store.Changes, err error) {
		c, gone, err = planImport(in, present, &out)
		if err == nil {
			err = a.filesFit(in.Body.Feeds, present, c)
		}
		if err == nil && in.DryRun {
			err = errOnlyLooked
		}
		return c, err
	}, tellChanges)
	if errors.Is(err, errOnlyLooked) {
		err = nil
	}
	if err != nil {
		return nil, answerFor(err)
	}
	if len(gone) > 0 && !in.DryRun {
		a.links.Drop(func(l *access.Link) bool { return slices.Contains(gone, l.Feed) })
	}
	a.grants.changed()
	return &struct{ Body apitypes.FeedFileResult }{out}, nil
}

// planImport says what has to change; gone are the IDs of feeds that are removed.
func planImport(in *importInput, present []store.Feed, out *apitypes.FeedFileResult) (c store.Changes, gone []int64, err error) {
	byName := make(map[string]store.Feed, len(present))
	for _, r := range present {
		byName[r.Name] = r
	}
	named := make(map[string]bool)
	for i, e := range in.Body.Feeds {
		if named[e.Name] {
			return c, nil, refused(fmt.Sprintf("feeds[%d].name", i), fmt.Sprintf("%s stands in the file twice", e.Name))
		}
		named[e.Name] = true
		before, known := byName[e.Name]
		after, err := importEntry(e, before, known)
		if err != nil {
			return c, nil, inEntry(err, i, e.Name)
		}
		switch {
		case !known:
			c.Add = append(c.Add, &after)
			out.Added = append(out.Added, e.Name)
			if after.Pushed {
				out.Keys = append(out.Keys, e.Name)
			}
		case reflect.DeepEqual(plainRecord(before), plainRecord(after)):
			out.Unchanged++
		default:
			c.Save = append(c.Save, &after)
			out.Changed = append(out.Changed, e.Name)
		}
	}
	if in.Remove {
		for _, r := range present {
			if !named[r.Name] {
				c.Remove = append(c.Remove, r.Name)
				gone = append(gone, r.ID)
			}
		}
		out.Removed = append(out.Removed, c.Remove...)
	}
	return c, gone, nil
}

// filesFit says whether the feeds of a file refer to what is there when the file is applied.
func (a *API) filesFit(entries []apitypes.FeedEntry, present []store.Feed, c store.Changes) error {
	r := a.newReferences()
	for _, f := range present {
		if !slices.Contains(c.Remove, f.Name) {
			r.add(f)
		}
	}
	for _, f := range slices.Concat(c.Add, c.Save) {
		r.add(*f)
	}
	for i, e := range entries {
		if err := r.check(e.Name); err != nil {
			return inEntry(err, i, e.Name)
		}
	}
	return nil
}

// importEntry is a feed's record as an entry says.
func importEntry(e apitypes.FeedEntry, before store.Feed, known bool) (store.Feed, error) {
	r := store.Feed{Name: e.Name}
	if known {
		r = before
		r.Renditions, r.Requests = slices.Clone(before.Renditions), slices.Clone(before.Requests)
	}
	r.Enabled = e.Enabled == nil || *e.Enabled
	s := e.FeedSettings
	if s.Camera.User == "" && s.Camera.Password != "" {
		if s.Camera.User = r.User; r.User == "" {
			return r, refused("camera.user", "a password without a user is of no use")
		}
	}
	if s.Camera.User == r.User && s.Camera.Password == "" {
		s.Camera.Password = r.Password
	}
	if s.Delivery.Off == nil {
		s.Delivery.Off = []string{string(access.RTSP)}
	}
	if err := apply(s, &r, s.Camera.User != ""); err != nil {
		return r, err
	}
	if e.Renditions == nil {
		return r, nil
	}
	r.Renditions = nil
	for _, b := range *e.Renditions {
		x := recordOf(b)
		if slices.Contains([]string{hls.Original, pipeline.Automatic, "index"}, b.Name) || slices.ContainsFunc(r.Renditions, func(y store.Rendition) bool { return y.Name == b.Name }) {
			return r, refused("renditions", fmt.Sprintf("%q has a meaning of its own here, or stands there twice; choose another name", b.Name))
		}
		if err := complete(&x, r); err != nil {
			return r, err
		}
		r.Renditions = append(r.Renditions, x)
	}
	return r, nil
}

func recordOf(b apitypes.NewRendition) store.Rendition {
	return store.Rendition{
		Name: b.Name, Codec: b.Codec, Size: b.Size, FrameRate: b.FrameRate, BitRate: b.BitRate, KeySeconds: b.KeyframeSeconds,
		Profile: b.Profile, Quality: b.Quality, Text: b.Text, TextCorner: b.TextCorner, TextSize: b.TextSize, View: b.View,
	}
}

// plainRecord is a record without what differs each time that it is written.
func plainRecord(r store.Feed) store.Feed {
	r.UserSealed, r.PasswordSealed, r.DeviceUserSealed, r.DevicePasswordSealed, r.QuerySealed, r.PublishKeySealed = nil, nil, nil, nil, nil, nil
	r.CreatedAt, r.UpdatedAt, r.Requests, r.Address = time.Time{}, time.Time{}, nil, ""
	list := make([]store.Rendition, len(r.Renditions))
	for i, x := range r.Renditions {
		x.ID, x.FeedID = 0, 0
		list[i] = x
	}
	slices.SortFunc(list, func(x, y store.Rendition) int { return strings.Compare(x.Name, y.Name) })
	r.Renditions, r.Named = list, append([]string{}, r.Named...)
	return r
}

// inEntry says which entry of a file a refusal is of.
func inEntry(err error, i int, name string) error {
	var p *apitypes.Problem
	if !errors.As(err, &p) {
		return err
	}
	q := *p
	q.Errors = nil
	for _, e := range p.Errors {
		q.Errors = append(q.Errors, apitypes.FieldError{Location: fmt.Sprintf("feeds[%d] (%s) %s", i, name, e.Location), Message: e.Message})
	}
	q.Detail = fmt.Sprintf("The file changes nothing: feed %s cannot be as it says. %s", name, p.Detail)
	return &q
}
