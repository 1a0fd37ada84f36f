package inspect

import (
	"context"
	"net/url"
	"strings"

	"webostrum/core/fault"
)

// generic are paths that say nothing but what a stream is, tried in this order.
var generic = []string{"/", "/stream", "/live", "/video", "/main", "/media", "/stream1", "/live1", "/video1", "/ch1", "/1", "/0"}

// RunTrying is Run, and goes on to a short list of paths where the camera has nothing under
// the one that was named. The report says which it was.
func RunTrying(ctx context.Context, cfg Config) (*Result, error) {
	first, err := Run(ctx, cfg)
	u, parseErr := url.Parse(cfg.URL)
	if !nothingThere(err) || parseErr != nil || !strings.HasPrefix(u.Scheme, "rtsp") {
		return first, err
	}
	for _, path := range generic {
		if path == u.Path {
			continue
		}
		next := *u
		next.Path, next.RawPath, next.RawQuery = path, "", ""
		cfg.URL = next.String()
		result, tryErr := Run(ctx, cfg)
		if nothingThere(tryErr) {
			continue
		}
		return result, tryErr
	}
	f := fault.As(err)
	return nil, fault.New(f.Kind.Code, err, "%s; nor is there anything under %s", f.Detail, strings.Join(generic, ", "))
}

// nothingThere says whether a camera answers, and has nothing under the path.
func nothingThere(err error) bool {
	if err == nil {
		return false
	}
	code := fault.As(err).Kind.Code
	return code == fault.PathUnknown || code == fault.NoVideo
}
