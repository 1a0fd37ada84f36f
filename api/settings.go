package api

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"webostrum/access"
	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/core/projection"
	"webostrum/core/rendition"
	"webostrum/ingest/source"
	"webostrum/outlet"
	"webostrum/station"
	"webostrum/store"
)

// A feed's settings go from the API to its record and back here, and nowhere else.

// hidden stands for the value of a query's parameter, which may be a password.
const hidden = "***"

func seconds(millis int) float64 { return (time.Duration(millis) * time.Millisecond).Seconds() }
func millis(seconds float64) int { return int(math.Round(seconds * 1000)) }

// settingsOf are a feed's settings without its credentials.
func settingsOf(r store.Feed) apitypes.FeedSettings {
	return apitypes.FeedSettings{
		Title:    r.Title,
		Audience: apitypes.AudienceSettings{Who: cmp.Or(r.Audience, string(access.SignedIn)), Accounts: append([]string{}, r.Named...)}, Sites: words(r.Sites), Tags: words(r.Tags), Reports: r.Reports, WhileNeeded: r.WhileNeeded,
		Camera: apitypes.CameraSettings{
			URL: hideQuery(r.URL), Transport: r.Transport, Fetch: r.Fetch, Fingerprint: r.Fingerprint, Device: r.Device, DeviceProfile: r.DeviceProfile, DeviceID: r.DeviceID, Follow: r.Follow, PollSeconds: seconds(r.PollMillis),
			AnswerSeconds: seconds(r.AnswerMillis), FirstFrameSeconds: seconds(r.FirstMillis), StallSeconds: seconds(r.StallMillis),
		},
		Publish: apitypes.PublishSettings{Pushed: r.Pushed, Open: r.PublishOpen, TakeOver: r.PublishTakeOver},
		Delivery: apitypes.DeliverySettings{
			Off: words(r.SwitchedOff), Within: seconds(r.WithinMillis),
			SegmentSeconds: seconds(r.SegmentMillis), PartSeconds: seconds(r.PartMillis), PlaylistLength: r.PlaylistLength,
		},
		Pictures: apitypes.PictureSettings{Size: r.PictureSize, FrameRate: r.PictureRate, Quality: r.PictureQuality},
		Audio:    apitypes.AudioSettings{Mode: r.Audio, HLS: r.AudioHLS, WebRTC: r.AudioWebRTC}, Recording: recordingOf(r.Recording), Combined: combinedOf(r.Combined), Lens: lensOf(r), Outlet: apitypes.OutletSettings{To: r.OutletTo, User: r.OutletUser, StillSeconds: seconds(r.OutletStillMillis)}, Stills: schedulesOf(r.Stills),
	}
}

// flatPicture is what a picture is that is not projected otherwise.
const flatPicture = "flat"

func lensOf(r store.Feed) apitypes.LensSettings {
	return apitypes.LensSettings{Projection: cmp.Or(r.Projection, flatPicture), FieldOfView: r.FieldOfView}
}

// applyOutlet puts into a record where a feed's files are put. The password stays as long as
// the host does.
func applyOutlet(s apitypes.OutletSettings, r *store.Feed) error {
	if s.StillSeconds != 0 && s.StillSeconds < 1 {
		return refused("outlet.stillSeconds", "a still a second is the most that can be had; 0 puts none")
	}
	before, password := r.OutletTo, s.Password
	if password == "" && outlet.Host(before) == outlet.Host(s.To) {
		password = r.OutletPassword
	}
	if s.To == "" {
		s.User, password = "", ""
	}
	r.OutletTo, r.OutletUser, r.OutletPassword, r.OutletStillMillis = s.To, s.User, password, millis(s.StillSeconds)
	return nil
}

func applyLens(s apitypes.LensSettings, r *store.Feed) error {
	fisheye := s.Projection == string(projection.Fisheye)
	switch {
	case s.FieldOfView != 0 && !fisheye:
		return refused("lens.fieldOfView", "only a fisheye has a field of view: set lens.projection to fisheye, or leave it out")
	case s.FieldOfView != 0 && (s.FieldOfView < 90 || s.FieldOfView > 240):
		return refused("lens.fieldOfView", "a fisheye of 90 to 240 degrees can be shown; 0 is 180")
	}
	r.Projection, r.FieldOfView = s.Projection, s.FieldOfView
	if r.Projection == flatPicture {
		r.Projection = ""
	}
	return nil
}

const longestTag = 40

var tagForm = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// words are those of a text that a record keeps a list in.
func words(text string) []string { return append([]string{}, strings.Fields(text)...) }

// hideQuery hides the values of an address's query.
func hideQuery(raw string) string {
	address, query, ok := strings.Cut(raw, "?")
	if !ok {
		return raw
	}
	parts := strings.Split(query, "&")
	for i, part := range parts {
		if name, _, ok := strings.Cut(part, "="); ok {
			parts[i] = name + "=" + hidden
		} else {
			parts[i] = hidden
		}
	}
	return address + "?" + strings.Join(parts, "&")
}

// revealQuery puts the values back that hideQuery has hidden in an address that comes
// back: those of the address before, the first of a name for its first, and so on.
func revealQuery(raw, before string) string {
	address, query, ok := strings.Cut(raw, "?")
	_, old, _ := strings.Cut(before, "?")
	if !ok {
		return raw
	}
	values := map[string][]string{}
	for part := range strings.SplitSeq(old, "&") {
		name, value := queryPart(part)
		values[name] = append(values[name], value)
	}
	parts := strings.Split(query, "&")
	seen := map[string]int{}
	for i, part := range parts {
		name, value := queryPart(part)
		if part == hidden {
			name, value = "", hidden
		}
		was := ""
		if at := seen[name]; at < len(values[name]) {
			was = values[name][at]
		}
		seen[name]++
		switch {
		case value == hidden && name == "":
			parts[i] = was
		case value == hidden:
			parts[i] = name + "=" + was
		}
	}
	return address + "?" + strings.Join(parts, "&")
}

// queryPart takes a part of a query apart; one without a name has an empty one.
func queryPart(part string) (name, value string) {
	name, value, ok := strings.Cut(part, "=")
	if !ok {
		return "", part
	}
	return name, value
}

// apply puts settings into a feed's record. Without a user or password in them those of
// the record stay, as long as the camera's host does.
func apply(s apitypes.FeedSettings, r *store.Feed, credentials bool) error {
	var err error
	if r.Combined, err = applyCombined(s, r.Name); err != nil {
		return err
	}
	if err := applySource(s, r, credentials); err != nil {
		return err
	}
	if _, err := rendition.ParseSize(s.Pictures.Size); err != nil {
		return refused("pictures.size", err.Error())
	}
	sites, err := access.ParseSites(s.Sites)
	if err != nil {
		return refused("sites", err.Error())
	}
	if r.Recording, err = applyRecording(s.Recording); err != nil {
		return err
	}
	if r.Stills, err = applySchedules(s.Stills, r.Requests); err != nil {
		return err
	}
	if err := applyOutlet(s.Outlet, r); err != nil {
		return err
	}
	if err := applyLens(s.Lens, r); err != nil {
		return err
	}
	if s.WhileNeeded && s.Publish.Pushed {
		return refused("whileNeeded", "a feed that somebody sends to is not connected by the service, and so not while needed either: leave it out")
	}
	r.Title, r.Sites, r.Reports, r.WhileNeeded = s.Title, strings.Join(sites.Strings(), " "), s.Reports, s.WhileNeeded
	r.Audience, r.Named = s.Audience.Who, slices.Compact(slices.Sorted(slices.Values(s.Audience.Accounts)))
	r.SwitchedOff = strings.Join(slices.Compact(slices.Sorted(slices.Values(s.Delivery.Off))), " ")
	for _, t := range s.Tags {
		if len(t) > longestTag || !tagForm.MatchString(t) {
			return refused("tags", fmt.Sprintf("%q is no tag: write small letters, digits and single hyphens, 40 at most", t))
		}
	}
	r.Tags = strings.Join(slices.Compact(slices.Sorted(slices.Values(s.Tags))), " ")
	if r.Title == "" {
		r.Title = r.Name
	}
	if err := applyLengths(s.Delivery, r); err != nil {
		return err
	}
	r.PictureSize, r.PictureRate, r.PictureQuality = s.Pictures.Size, s.Pictures.FrameRate, s.Pictures.Quality
	r.Audio, r.AudioHLS, r.AudioWebRTC = s.Audio.Mode, s.Audio.HLS, s.Audio.WebRTC
	return nil
}

// applyLengths puts the delay that is wished for, and what an expert sets, into a record.
func applyLengths(d apitypes.DeliverySettings, r *store.Feed) error {
	switch {
	case d.SegmentSeconds != 0 && d.SegmentSeconds < 0.5:
		return refused("delivery.segmentSeconds", "segments of 0.5 to 60 s can be had; 0 lets the length follow from within")
	case d.PlaylistLength != 0 && d.PlaylistLength < 3:
		return refused("delivery.playlistLength", "a list of 3 to 64 segments can be had; 0 lets the number follow from within")
	case d.PartSeconds != 0 && d.PartSeconds < 0.05:
		return refused("delivery.partSeconds", "parts of 0.05 s to half a segment can be had; 0 lets the length follow from within")
	}
	r.WithinMillis, r.PlaylistLength = millis(d.Within), d.PlaylistLength
	r.SegmentMillis, r.PartMillis = millis(d.SegmentSeconds), millis(d.PartSeconds)
	return nil
}

// applySource puts into a record where the feed comes from: a camera that is opened, or
// somebody who sends. The key for publishers is made with the first such setting.
func applySource(s apitypes.FeedSettings, r *store.Feed, credentials bool) error {
	p := s.Publish
	if r.Combined.Kind != "" {
		return applyNoSource(s, r)
	}
	if !p.Pushed {
		if p.Open || p.TakeOver {
			return refused("publish.pushed", "who may send, and who takes over, is for feeds that somebody sends to: set publish.pushed")
		}
		if err := applyCamera(s.Camera, r, credentials); err != nil {
			return err
		}
		r.Pushed, r.PublishOpen, r.PublishTakeOver, r.PublishKey = false, false, false, ""
		return nil
	}
	if s.Camera.URL != "" && (!r.Pushed && s.Camera.URL != hideQuery(r.URL) || r.Pushed) {
		return refused("camera.url", "a feed that somebody sends to opens no camera: leave the address out, or set publish.pushed to false")
	}
	r.URL, r.User, r.Password, r.Fingerprint = "", "", "", ""
	r.Device, r.DeviceProfile, r.DeviceID, r.Follow, r.DeviceUser, r.DevicePassword = "", "", "", false, "", ""
	r.Transport, r.Fetch = s.Camera.Transport, s.Camera.Fetch
	applyPatience(s.Camera, r)
	r.Pushed, r.PublishOpen, r.PublishTakeOver = true, p.Open, p.TakeOver
	if r.PublishKey == "" {
		r.PublishKey = station.NewPublishKey()
	}
	return nil
}

// applyNoSource is applySource of a feed that is made of others.
func applyNoSource(s apitypes.FeedSettings, r *store.Feed) error {
	if s.Camera.URL != "" && s.Camera.URL != hideQuery(r.URL) || s.Publish.Pushed {
		return refused("combined.kind", "a feed that is made of others opens no camera, and nobody sends to it: leave camera.url and publish.pushed out")
	}
	r.URL, r.User, r.Password, r.Fingerprint = "", "", "", ""
	r.Device, r.DeviceProfile, r.DeviceID, r.Follow, r.DeviceUser, r.DevicePassword = "", "", "", false, "", ""
	r.Pushed, r.PublishOpen, r.PublishTakeOver, r.PublishKey = false, false, false, ""
	r.Transport, r.Fetch = s.Camera.Transport, s.Camera.Fetch
	applyPatience(s.Camera, r)
	return nil
}

// applyPatience puts into a record how long is waited for what.
func applyPatience(c apitypes.CameraSettings, r *store.Feed) {
	r.PollMillis, r.AnswerMillis = millis(c.PollSeconds), millis(c.AnswerSeconds)
	r.FirstMillis, r.StallMillis = millis(c.FirstFrameSeconds), millis(c.StallSeconds)
}

func applyCamera(c apitypes.CameraSettings, r *store.Feed, credentials bool) error {
	u, user, password, err := source.ParseURL(revealQuery(c.URL, r.URL))
	if err != nil {
		return refused("camera.url", err.Error())
	}
	before, _, _, err := source.ParseURL(r.URL)
	moved := err == nil && !sameHost(before, u)
	switch {
	case credentials:
		r.User, r.Password, r.DigestOnly = c.User, c.Password, false
	case user != "":
		r.User, r.Password, r.DigestOnly = user, password, false
	case moved && r.User != "":
		return refusedAs(fault.PasswordNeeded, "camera.password", "the host was "+before.Host+" and is now "+u.Host)
	}
	if r.User == "" {
		if r.Password != "" {
			return refused("camera.user", "a password without a user is of no use")
		}
	}
	if moved && r.URL != "" && strings.Contains(c.URL, hidden) {
		return refused("camera.url", "values of the address's query that are hidden go to the same host alone: write them out")
	}
	if err := applyDevice(c, r, u); err != nil {
		return err
	}
	r.URL = u.String()
	r.Transport, r.Fetch, r.Fingerprint = c.Transport, c.Fetch, c.Fingerprint
	applyPatience(c, r)
	return nil
}

// applyDevice puts the ONVIF device into a record. The camera's credentials go to it, so it
// is on the camera's host; one that is left behind when the camera moves is forgotten.
func applyDevice(c apitypes.CameraSettings, r *store.Feed, camera *url.URL) error {
	before, user, password := r.Device, r.DeviceUser, r.DevicePassword
	if old, err := url.Parse(r.URL); err != nil || !sameHost(old, camera) {
		user, password = "", ""
	}
	r.Device, r.DeviceProfile, r.DeviceID, r.Follow, r.DeviceUser, r.DevicePassword = "", "", "", false, "", ""
	if c.Device == "" {
		return nil
	}
	u, err := deviceURL(c.Device)
	switch {
	case err != nil:
		return refused("camera.device", err.Error())
	case !sameHost(u, camera) && c.Device == before:
		return nil
	case !sameHost(u, camera):
		return refused("camera.device", "the ONVIF device is to be on the camera's host, "+camera.Hostname())
	case c.DeviceProfile == "":
		return refused("camera.deviceProfile", "which profile of the device does the feed show? POST /api/v1/offered-streams lists them")
	}
	if c.Follow && c.DeviceID == "" {
		return refused("camera.follow", "a device that does not say what it is called cannot be followed: set camera.deviceId")
	}
	if c.DeviceUser != "" {
		user, password = c.DeviceUser, ""
	}
	if c.DevicePassword != "" {
		if password = c.DevicePassword; user == "" {
			return refused("camera.deviceUser", "a password without a user is of no use")
		}
	}
	r.Device, r.DeviceProfile, r.DeviceID, r.Follow, r.DeviceUser, r.DevicePassword = u.String(), c.DeviceProfile, c.DeviceID, c.Follow, user, password
	return nil
}

func sameHost(a, b *url.URL) bool { return strings.EqualFold(a.Hostname(), b.Hostname()) }

// mergeSettings applies a merge patch (RFC 7396) to settings and checks what comes out.
// credentials says that the patch has a user or a password.
func (a *API) mergeSettings(present apitypes.FeedSettings, patch []byte) (s apitypes.FeedSettings, credentials bool, err error) {
	var changes map[string]any
	if err := json.Unmarshal(patch, &changes); err != nil || changes == nil {
		return s, false, refused("", "a change is a JSON object such as {\"title\": \"Gate\"}")
	}
	body, err := json.Marshal(present)
	if err != nil {
		return s, false, err
	}
	var whole map[string]any
	if err := json.Unmarshal(body, &whole); err != nil {
		return s, false, err
	}
	merge(whole, changes)
	if err := a.validate(whole); err != nil {
		return s, false, err
	}
	if body, err = json.Marshal(whole); err != nil {
		return s, false, err
	}
	camera, _ := changes["camera"].(map[string]any)
	_, user := camera["user"]
	_, password := camera["password"]
	return s, user || password, json.Unmarshal(body, &s)
}

// merge applies a merge patch to an object.
func merge(target, patch map[string]any) {
	for name, value := range patch {
		inner, isObject := value.(map[string]any)
		old, wasObject := target[name].(map[string]any)
		switch {
		case value == nil:
			delete(target, name)
		case isObject && wasObject:
			merge(old, inner)
		default:
			target[name] = value
		}
	}
}

// validate checks settings against their schema.
func (a *API) validate(settings map[string]any) error {
	registry := a.huma.OpenAPI().Components.Schemas
	schema := registry.Schema(settingsType, true, "")
	path := huma.NewPathBuffer([]byte("body"), len("body"))
	result := &huma.ValidateResult{}
	huma.Validate(registry, schema, path, huma.ModeWriteToServer, settings, result)
	if len(result.Errors) == 0 {
		return nil
	}
	p := refused("", "")
	p.Detail, p.Errors = "The settings cannot be used.", nil
	for _, err := range result.Errors {
		var detail *huma.ErrorDetail
		if errors.As(err, &detail) {
			p.Errors = append(p.Errors, apitypes.FieldError{Location: detail.Location, Message: detail.Message})
		}
	}
	return p
}
