package api_test

import (
	"context"
	"encoding/base64"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/apitypes"
	"webostrum/client"
)

// may says who gets what a route is asked for: y for the row's own status, else the
// status. The letters stand for those in askers, in their order.
type may [len(askers)]int

const y = 0

// askers are all kinds of caller. The feed "gate" names the viewer and the panel.
var askers = [...]string{"stranger", "viewer", "other viewer", "panel", "engineer", "reads", "manages", "media", "media elsewhere", "metrics"}

var (
	anybody   = may{y, y, y, y, y, y, y, y, y, y}
	people    = may{401, y, y, 401, y, y, y, 403, 403, 403} // who see something, such as a list of what is theirs
	themself  = may{401, y, y, 401, y, 403, y, 403, 403, 403}
	theirs    = may{401, y, 404, 401, y, y, y, 403, 403, 403} // who see the feed
	readers   = may{401, 403, 403, 401, y, y, y, 403, 403, 403}
	engineers = may{401, 403, 403, 401, y, 403, y, 403, 403, 403}
	measuring = may{401, 403, 403, 401, y, y, y, 403, 403, y}
	watchers  = may{401, y, 403, y, y, y, y, y, 403, 403}   // who may watch the feed
	visitors  = may{303, y, 403, 303, y, y, y, y, 403, 403} // the same, of a page for people
	framed    = may{401, y, 403, 401, y, y, y, y, 403, 403} // the same, of a page for frames: nobody is asked for a name and password there
)

// row is what comes of a route when it is let in.
type row struct {
	may    may
	status int
}

// routes says who may do what, route by route. LINK is a link of the feed, OTHER one of
// another feed; most other things that are asked for do not exist.
var routes = map[string]row{
	"GET /healthz": {anybody, 200}, "GET /readyz": {anybody, 200}, "GET /clock": {anybody, 200}, "GET /clock/time": {anybody, 200},
	"GET /metrics":    {measuring, 200},
	"GET /enter/gate": {anybody, 404},

	"GET /watch/gate":                           {visitors, 200},
	"GET /watch/gate/link/LINK":                 {anybody, 200},
	"GET /watch/gate/link/OTHER":                {anybody, 403},
	"GET /embed/gate":                           {framed, 200},
	"GET /embed/gate/link/LINK":                 {anybody, 200},
	"GET /embed/gate/link/OTHER":                {anybody, 403},
	"GET /wall?feeds=gate":                      {may{303, y, y, 303, y, y, y, y, y, y}, 200}, // a place that is not theirs says so
	"GET /wall?links=LINK":                      {anybody, 200},
	"GET /oembed?url=HOST/watch/gate":           {may{401, 401, 403, 401, 401, 401, 401, 401, 403, 403}, 401}, // nobody is signed in where it is shown
	"GET /oembed?url=HOST/embed/gate/link/LINK": {anybody, 200},
	"GET /media/gate/time":                      {watchers, 200},
	"GET /media/gate/link/LINK/time":            {anybody, 200},
	"GET /media/gate/link/OTHER/time":           {anybody, 403},
	"GET /media/gate/link/FORGED/time":          {anybody, 404},

	"GET /api/v1/sign-in":   {anybody, 200},
	"POST /api/v1/sign-in":  {anybody, 422},
	"POST /api/v1/sign-out": {anybody, 204},
	"GET /api/v1/me":        {people, 200}, "PUT /api/v1/me/password": {themself, 422},
	"POST /api/v1/me/second": {themself, 200}, "PUT /api/v1/me/second": {themself, 422},
	"GET /api/v1/sessions": {themself, 200}, "DELETE /api/v1/sessions/999": {themself, 404},
	"GET /api/v1/addresses": {people, 200},

	"GET /api/v1/feeds":              {people, 200},
	"POST /api/v1/feeds":             {engineers, 422},
	"GET /api/v1/feeds/gate":         {theirs, 200},
	"GET /api/v1/feeds/gate/history": {theirs, 200},
	"GET /api/v1/feeds/gate/delay":   {theirs, 200},
	"GET /api/v1/feeds/gate/plan":    {theirs, 200},
	"GET /api/v1/feeds/gate/embed":   {theirs, 200},

	"PATCH /api/v1/feeds/gate":                  {engineers, 200},
	"DELETE /api/v1/feeds/none":                 {engineers, 404},
	"POST /api/v1/feeds/gate/start":             {engineers, 200},
	"POST /api/v1/feeds/gate/stop":              {engineers, 200},
	"POST /api/v1/feeds/gate/renditions":        {engineers, 422},
	"PATCH /api/v1/feeds/gate/renditions/gate":  {engineers, 404},
	"DELETE /api/v1/feeds/gate/renditions/gate": {engineers, 404},
	"POST /api/v1/feeds/gate/requests":          {engineers, 422},
	"POST /api/v1/feeds/gate/requests/gate/run": {engineers, 404},
	"DELETE /api/v1/feeds/gate/requests/gate":   {engineers, 404},
	"GET /api/v1/feeds/gate/links":              {engineers, 200},
	"POST /api/v1/feeds/gate/links":             {engineers, 422},
	"PUT /api/v1/feeds/gate/links/gate":         {engineers, 404},
	"DELETE /api/v1/feeds/gate/links/gate":      {engineers, 404},
	"GET /api/v1/feeds/gate/publishing":         {engineers, 409},
	"POST /api/v1/feeds/gate/publish-key":       {engineers, 409},
	"POST /api/v1/feeds/gate/publish-passes":    {engineers, 409},
	"GET /api/v1/feeds/gate/publisher":          {engineers, 409},
	"DELETE /api/v1/feeds/gate/publisher":       {engineers, 409},
	"POST /api/v1/feeds/gate/publisher/camera":  {engineers, 409},
	"GET /publish/gate":                         {anybody, 200},
	"POST /publish/gate/stream":                 {may{401, 403, 403, 401, 403, 403, 429, 429, 429, 429}, 0}, // tokens are taken for keys, and wrong ones are slowed
	"POST /publish/gate/whip":                   {anybody, 404},                                             // nobody is let in by being signed in; WebRTC is off here
	"OPTIONS /publish/gate/whip":                {anybody, 204},
	"OPTIONS /publish/gate/whip/none":           {anybody, 204},
	"DELETE /publish/gate/whip/none":            {anybody, 404},
	"POST /api/v1/link-key":                     {engineers, 200},
	"GET /api/v1/accounts":                      {engineers, 200},
	"POST /api/v1/accounts":                     {engineers, 422},
	"PATCH /api/v1/accounts/none":               {engineers, 404},
	"PUT /api/v1/accounts/none/password":        {engineers, 422},
	"DELETE /api/v1/accounts/none":              {engineers, 404},
	"GET /api/v1/tokens":                        {engineers, 200},
	"POST /api/v1/tokens":                       {engineers, 422},
	"DELETE /api/v1/tokens/999":                 {engineers, 404},
	"GET /api/v1/viewers":                       {readers, 200},
	"DELETE /api/v1/viewers/gate":               {engineers, 404},
	"POST /api/v1/inspect":                      {engineers, 422},
	"POST /api/v1/searches":                     {engineers, 201},
	"GET /api/v1/searches/gate":                 {engineers, 404},
	"POST /api/v1/offered-streams":              {engineers, 422},
	"GET /api/v1/feeds/gate/camera":             {engineers, 409},
	"PATCH /api/v1/feeds/gate/camera/video":     {engineers, 422},
	"PATCH /api/v1/feeds/gate/camera/picture":   {engineers, 422},
	"POST /api/v1/feeds/gate/camera/move":       {engineers, 422},
	"POST /api/v1/feeds/gate/camera/keyframe":   {engineers, 409},
	"POST /api/v1/feeds/gate/camera/follow":     {engineers, 409},
	"POST /api/v1/plan":                         {engineers, 422},
	"POST /api/v1/feeds/gate/ladder":            {engineers, 422},
	"GET /api/v1/events":                        {readers, 200},
	"GET /api/v1/live":                          {people, 200},
	"GET /api/v1/openapi.json":                  {anybody, 200},
	"GET /api/v1/openapi.yaml":                  {anybody, 200},
	"GET /api/v1/openapi-3.0.json":              {anybody, 200},
	"GET /api/v1/openapi-3.0.yaml":              {anybody, 200},
	"GET /api/v1/schemas/gate":                  {anybody, 200},
	"GET /trust":                                {anybody, 404},
	"GET /trust/root.cer":                       {anybody, 404},
	"GET /reach":                                {may{y, y, y, y, 303, y, 303, y, y, y}, 404}, // engineers are led to the console's page
	"GET /reach/none":                           {anybody, 404},
	"GET /reach/none/plan":                      {anybody, 404},
	"POST /reach/none/report":                   {anybody, 404},
	"GET /api/v1/reach":                         {readers, 200},
	"POST /api/v1/reach/checks":                 {engineers, 201},
	"GET /api/v1/reach/checks/none":             {engineers, 404},
	"POST /api/v1/reach/rules":                  {engineers, 409},
	"DELETE /api/v1/reach/rules":                {engineers, 409},
	"GET /api/v1/feeds/gate/availability":       {readers, 200},
	"GET /api/v1/availability":                  {readers, 200},
	"GET /api/v1/morning":                       {readers, 200},
	"POST /api/v1/backup":                       {engineers, 422}, "POST /api/v1/restore": {engineers, 422}, "GET /api/v1/feed-file": {engineers, 200}, "PUT /api/v1/feed-file": {engineers, 422},
	"GET /api/v1/feeds/gate/outlet":             {readers, 200},
	"GET /api/v1/feeds/gate/turn":               {theirs, 409},
	"PUT /api/v1/feeds/gate/turn":               {engineers, 409},
	"GET /api/v1/feeds/gate/stills":             {theirs, 200},
	"GET /api/v1/feeds/gate/films":              {theirs, 200},
	"POST /api/v1/feeds/gate/films":             {engineers, 422},
	"DELETE /api/v1/feeds/gate/films/none/none": {engineers, 404},
	"DELETE /api/v1/feeds/gate/film-jobs/999":   {engineers, 404},
	"GET /media/gate/stills/none/latest.jpg":    {may{401, 404, 403, 404, y, y, y, 404, 403, 403}, 404},
	"GET /media/gate/films/none/latest.mp4":     {may{401, 404, 403, 404, y, y, y, 404, 403, 403}, 404},
	"GET /api/v1/recordings":                    {readers, 200},
	"GET /api/v1/feeds/gate/recordings":         {may{401, 404, 404, 401, y, y, y, 403, 403, 403}, 200}, // the feed lets no viewer go back
	"PUT /api/v1/feeds/gate/recordings/keep":    {engineers, 422},
	"DELETE /api/v1/feeds/gate/recordings":      {engineers, 422},
	"POST /api/v1/feeds/gate/recording":         {engineers, 200},
	"DELETE /api/v1/feeds/gate/recording":       {engineers, 200},
	"GET /api/v1/feeds/gate/motion":             {engineers, 200},
	"GET /api/v1/feeds/gate/recordings/export":  {may{401, 404, 404, 401, y, y, y, 403, 403, 403}, 422},
	"GET /media/gate/past/list.m3u8":            {may{401, 404, 403, 404, y, y, y, 404, 403, 403}, 422},
	"GET /media/gate/past/1.mp4":                {may{401, 404, 403, 404, y, y, y, 404, 403, 403}, 404},
	"GET /media/gate/past/still.jpg":            {may{401, 404, 403, 404, y, y, y, 404, 403, 403}, 422},
	"GET /media/gate/link/LINK/past/list.m3u8":  {may{404, 404, 404, 404, y, y, y, 404, 404, 404}, 422},
	"GET /api/v1/usage":                         {readers, 200},
	"GET /api/v1/usage.csv":                     {readers, 200},
	"PUT /api/v1/usage/allowance":               {engineers, 422},
	"GET /api/v1/alerts":                        {engineers, 200},
	"PUT /api/v1/alerts":                        {engineers, 200},
	"POST /api/v1/alerts/test":                  {engineers, 422},
	"GET /feeds/gate":                           {anybody, 200}, // the console, which asks the API
	"GET /assets/none.js":                       {anybody, 404},
}

// askedFirst are routes that need a camera that sends; others switch the feed off.
var askedFirst = []string{"GET /api/v1/feeds/gate/plan", "POST /api/v1/feeds/gate/ladder"}

// TestEveryRoute asks each route as everybody, and fails when there is one that the table
// does not have.
func TestEveryRoute(t *testing.T) {
	t.Parallel()
	w := start(t)
	w.addFeed("gate", false)
	w.addFeed("yard", false)
	c, ctx := client.New(w.url, w.engineer), context.Background()
	for name, role := range map[string]string{"panel": "panel", "other": "viewer"} {
		_, err := c.AddAccount(ctx, apitypes.NewAccount{Name: name, Role: role, Password: password})
		require.NoError(t, err)
	}
	_, err := c.EditFeed(ctx, "gate", client.Patch{"audience": client.Patch{"who": "named", "accounts": []string{"guest", "panel"}}})
	require.NoError(t, err)
	link, err := c.AddLink(ctx, "gate", apitypes.NewLink{Name: "panel"})
	require.NoError(t, err)
	other, err := c.AddLink(ctx, "yard", apitypes.NewLink{Name: "panel"})
	require.NoError(t, err)
	fill := strings.NewReplacer("LINK", link.Text, "OTHER", other.Text, "FORGED", strings.Repeat("A", len(link.Text)), "HOST", w.url)
	token := func(in apitypes.NewToken) string {
		in.Name = in.Scope
		made, err := c.AddToken(ctx, in)
		require.NoError(t, err)
		return "Bearer " + made.Text
	}
	headers := [len(askers)]string{
		"", "Bearer " + w.viewer, "Bearer " + w.session("other"), "Basic " + base64.StdEncoding.EncodeToString([]byte("panel:"+password)), "Bearer " + w.engineer,
		token(apitypes.NewToken{Scope: "read"}), token(apitypes.NewToken{Scope: "manage"}),
		token(apitypes.NewToken{Scope: "media", Feeds: []string{"gate"}}), token(apitypes.NewToken{Scope: "media", Feeds: []string{"yard"}}), token(apitypes.NewToken{Scope: "metrics"}),
	}
	left := map[string]bool{}
	for _, r := range w.api.Routes() {
		if strings.HasPrefix(r, "GET /media/") || !strings.Contains(r, "/media/") { // the other methods of media are its handlers' own
			left[r] = true
		}
	}
	rest := maps.Clone(left)
	w.live("gate")
	for _, route := range askedFirst {
		for i, name := range askers {
			w.checkRoute(t, route, name, headers[i], routes[route], i)
		}
	}
	for route, want := range routes {
		delete(rest, pattern(route))
		if slices.Contains(askedFirst, route) || pattern(route) == "POST /api/v1/link-key" {
			continue // the key is made anew last: all links end by it
		}
		for i, name := range askers {
			w.checkRoute(t, fill.Replace(route), name, headers[i], want, i)
		}
	}
	for i, name := range askers {
		w.checkRoute(t, "POST /api/v1/link-key", name, headers[i], routes["POST /api/v1/link-key"], i)
	}
	assert.Empty(t, rest, "routes without a row")
}

func (w *world) checkRoute(t *testing.T, route, name, header string, want row, i int) {
	t.Helper()
	method, path, _ := strings.Cut(route, " ")
	status := want.may[i]
	if status == y {
		status = want.status
	}
	if path == "/api/v1/live" && status == http.StatusOK {
		return // it does not end; see TestTakingAccessAwayEndsWhatGoesOn
	}
	res, text := w.do(method, path, "", "{}", "Authorization", header)
	assert.Equal(t, status, res.StatusCode, "%s as %s: %s", route, name, text)
	page := strings.HasPrefix(path, "/watch/") || strings.HasPrefix(path, "/embed/") || path == "/trust" || path == "/reach" || path == "/reach/none"
	if status >= 400 && !page {
		assert.Equal(t, apitypes.ProblemType, res.Header.Get("Content-Type"), route)
	}
	if strings.HasPrefix(path, "/api/v1/") && !strings.Contains(path, "openapi") && !strings.Contains(path, "schemas") {
		assert.Equal(t, "no-store", res.Header.Get("Cache-Control"), route)
	}
}

// pattern is the route that a row asks for.
func pattern(row string) string {
	method, path, _ := strings.Cut(row, " ")
	path, _, _ = strings.Cut(path, "?")
	parts := strings.Split(path, "/")
	names := map[string]string{
		"watch": ":feed", "publish": ":feed", "whip": ":id", "embed": ":feed", "enter": ":key", "feeds": ":name", "renditions": ":rendition", "requests": ":request", "links": ":link",
		"link": ":text", "accounts": ":account", "viewers": ":id", "tokens": ":id", "sessions": ":id", "searches": ":id", "checks": ":code", "schemas": ":schema", "films": ":source", ":source": ":file", "film-jobs": ":id",
	}
	for i := 1; i < len(parts); i++ {
		if name, ok := names[parts[i-1]]; ok {
			parts[i] = name
		}
	}
	if len(parts) > 2 && parts[1] == "reach" {
		parts[2] = ":code"
	}
	if len(parts) > 1 && parts[1] == "media" {
		return method + " /media/:feed/*rest"
	}
	return method + " " + strings.Join(parts, "/")
}
