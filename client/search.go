package client

import (
	"context"
	"net/url"

	"webostrum/apitypes"
)

// StartSearch begins to search for cameras.
func (c *Client) StartSearch(ctx context.Context, in apitypes.NewSearch) (s apitypes.Search, err error) {
	return s, c.call(ctx, "POST", "/searches", in, &s)
}

// Search returns what a search has found so far.
func (c *Client) Search(ctx context.Context, id string) (s apitypes.Search, err error) {
	return s, c.call(ctx, "GET", "/searches/"+url.PathEscape(id), nil, &s)
}

// OfferedStreams asks a camera for its streams by ONVIF.
func (c *Client) OfferedStreams(ctx context.Context, in apitypes.DeviceSignIn) (s apitypes.OfferedStreams, err error) {
	return s, c.call(ctx, "POST", "/offered-streams", in, &s)
}

func cameraPath(feed, what string) string { return "/feeds/" + url.PathEscape(feed) + "/camera" + what }

// CameraControls returns what a feed's camera can be set to by ONVIF, and is.
func (c *Client) CameraControls(ctx context.Context, feed string) (out apitypes.CameraControls, err error) {
	return out, c.call(ctx, "GET", cameraPath(feed, ""), nil, &out)
}

// SetCameraVideo changes how a feed's camera codes, and returns what it made of it.
func (c *Client) SetCameraVideo(ctx context.Context, feed string, in apitypes.VideoChange) (out apitypes.CameraControls, err error) {
	return out, c.call(ctx, "PATCH", cameraPath(feed, "/video"), in, &out)
}

// SetCameraPicture changes how a feed's camera sets its picture, and returns what it made of
// it.
func (c *Client) SetCameraPicture(ctx context.Context, feed string, in apitypes.PictureChange) (out apitypes.CameraControls, err error) {
	return out, c.call(ctx, "PATCH", cameraPath(feed, "/picture"), in, &out)
}

// MoveCamera moves a feed's camera.
func (c *Client) MoveCamera(ctx context.Context, feed string, in apitypes.CameraMove) error {
	return c.call(ctx, "POST", cameraPath(feed, "/move"), in, nil)
}

// FollowCamera searches for a feed's camera, and sets the feed to where it is.
func (c *Client) FollowCamera(ctx context.Context, feed string) (*apitypes.Feed, error) {
	f := &apitypes.Feed{}
	return f, c.call(ctx, "POST", cameraPath(feed, "/follow"), nil, f)
}

// CameraKeyframe asks a feed's camera for a keyframe.
func (c *Client) CameraKeyframe(ctx context.Context, feed string) error {
	return c.call(ctx, "POST", cameraPath(feed, "/keyframe"), nil, nil)
}
