package api

import (
	"crypto/subtle"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"webostrum/access"
	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/store"
)

// operation describes one operation; its errors are all problems.
func operation(method, path, id, summary string, need needs, status int) huma.Operation {
	op := huma.Operation{
		OperationID: id, Method: method, Path: "/api/v1" + path, Summary: summary, DefaultStatus: status,
		Errors: []int{http.StatusUnprocessableEntity}, Metadata: map[string]any{needsMetadata: need},
	}
	if need != needsNobody {
		op.Errors = append(op.Errors, http.StatusUnauthorized, http.StatusForbidden)
		op.Security = []map[string][]string{{"session": {}}, {"token": {}}}
	}
	return op
}

func (a *API) operations() {
	const ok, created, none = http.StatusOK, http.StatusCreated, http.StatusNoContent
	h := a.huma
	huma.Register(h, operation("GET", "/sign-in", "sign-in-page", "What the sign-in page needs to know", needsNobody, ok), a.firstSignIn)
	huma.Register(h, operation("POST", "/sign-in", "sign-in", "Sign in", needsNobody, ok), a.signIn)
	huma.Register(h, operation("POST", "/sign-out", "sign-out", "Sign out", needsNobody, none), a.signOut)
	huma.Register(h, operation("GET", "/me", "me", "Who is signed in", needsViewer, ok), a.me)
	huma.Register(h, operation("GET", "/feeds", "list-feeds", "All feeds with their state", needsViewer, ok), a.listFeeds)
	huma.Register(h, operation("POST", "/feeds", "add-feed", "Add a feed", needsEngineer, created), a.addFeed)
	huma.Register(h, operation("GET", "/feeds/{name}", "show-feed", "One feed with its state", needsViewer, ok), a.showFeed)
	huma.Register(h, operation("PATCH", "/feeds/{name}", "edit-feed", "Change a feed", needsEngineer, ok), a.editFeed)
	a.takesMergePatch("/api/v1/feeds/{name}")
	huma.Register(h, operation("DELETE", "/feeds/{name}", "remove-feed", "Remove a feed", needsEngineer, none), a.removeFeed)
	huma.Register(h, operation("POST", "/feeds/{name}/start", "start-feed", "Switch a feed on, or try again at once", needsEngineer, ok), a.startFeed)
	huma.Register(h, operation("POST", "/feeds/{name}/stop", "stop-feed", "Switch a feed off", needsEngineer, ok), a.stopFeed)
	huma.Register(h, operation("GET", "/feeds/{name}/history", "feed-history", "Bit and frame rate of the last minutes", needsViewer, ok), a.feedHistory)
	a.transcodingOperations(h)
	a.accountOperations(h)
	a.linkOperations(h)
	a.publishOperations(h)
	a.deviceOperations(h)
	a.reachOperations(h)
	a.recordOperations(h)
	a.recordingOperations(h)
	a.stillOperations(h)
	a.combinedOperations(h)
	a.usageOperations(h)
	a.alertOperations(h)
	a.feedFileOperations(h)
	huma.Register(h, operation("GET", "/feeds/{name}/delay", "feed-delay", "What delay cannot be avoided in each delivery", needsViewer, ok), a.feedDelay)
	huma.Register(h, operation("GET", "/feeds/{name}/plan", "plan-feed", "What a feed will be like for its viewers", needsViewer, ok), a.planFeed)
	huma.Register(h, operation("POST", "/plan", "plan-camera", "What a feed of a camera would be like", needsEngineer, ok), a.planCamera)
	huma.Register(h, operation("GET", "/viewers", "list-viewers", "Who watches now", needsReader, ok), a.listViewers)
	huma.Register(h, operation("DELETE", "/viewers/{id}", "end-viewer", "End a viewer", needsEngineer, none), a.endViewer)
	huma.Register(h, operation("POST", "/inspect", "inspect", "Look into a camera", needsEngineer, ok), a.inspectCamera)
	huma.Register(h, operation("POST", "/searches", "start-search", "Search for cameras", needsEngineer, created), a.startSearch)
	huma.Register(h, operation("GET", "/searches/{id}", "show-search", "What a search has found so far", needsEngineer, ok), a.showSearch)
	huma.Register(h, operation("POST", "/offered-streams", "offered-streams", "What streams a camera offers by ONVIF", needsEngineer, ok), a.offeredStreams)
	huma.Register(h, operation("GET", "/events", "list-events", "What happened", needsReader, ok), a.listEvents)
	huma.Register(h, operation("GET", "/live", "live", "State of all feeds and new events, as server-sent events", needsViewer, ok), a.live)
	a.explain()
}

// takesMergePatch says in the document what a patch is of; huma sees only its bytes.
func (a *API) takesMergePatch(path string) {
	doc := a.huma.OpenAPI()
	doc.Paths[path].Patch.RequestBody.Content = map[string]*huma.MediaType{
		mergePatchType: {Schema: doc.Components.Schemas.Schema(settingsType, true, "")},
	}
}

func (a *API) transcodingOperations(h huma.API) {
	const ok, created, none = http.StatusOK, http.StatusCreated, http.StatusNoContent
	const renditions, requests = "/feeds/{name}/renditions", "/feeds/{name}/requests"
	huma.Register(h, operation("POST", "/feeds/{name}/ladder", "add-ladder", "Add the renditions that suit the camera", needsEngineer, ok), a.addLadder)
	huma.Register(h, operation("POST", renditions, "add-rendition", "Add a rendition", needsEngineer, created), a.addRendition)
	huma.Register(h, operation("PATCH", renditions+"/{rendition}", "edit-rendition", "Change a rendition", needsEngineer, ok), a.editRendition)
	huma.Register(h, operation("DELETE", renditions+"/{rendition}", "remove-rendition", "Remove a rendition", needsEngineer, none), a.removeRendition)
	huma.Register(h, operation("POST", requests, "add-camera-request", "Add a request to the camera", needsEngineer, created), a.addRequest)
	huma.Register(h, operation("POST", requests+"/{request}/run", "run-camera-request", "Send a request to the camera", needsEngineer, ok), a.runRequest)
	huma.Register(h, operation("DELETE", requests+"/{request}", "remove-camera-request", "Remove a request to the camera", needsEngineer, none), a.removeRequest)
}

func (a *API) accountOperations(h huma.API) {
	const ok, created, none = http.StatusOK, http.StatusCreated, http.StatusNoContent
	const accounts, tokens, sessions = "/accounts", "/tokens", "/sessions"
	huma.Register(h, operation("GET", accounts, "list-accounts", "All accounts", needsEngineer, ok), a.listAccounts)
	huma.Register(h, operation("POST", accounts, "add-account", "Add an account", needsEngineer, created), a.addAccount)
	huma.Register(h, operation("PATCH", accounts+"/{account}", "edit-account", "Change an account's role, or take its second factor away", needsEngineer, ok), a.editAccount)
	huma.Register(h, operation("PUT", accounts+"/{account}/password", "set-password", "Give an account another password", needsEngineer, none), a.setPassword)
	huma.Register(h, operation("DELETE", accounts+"/{account}", "remove-account", "Remove an account", needsEngineer, none), a.removeAccount)
	huma.Register(h, operation("GET", tokens, "list-tokens", "Tokens for programs", needsEngineer, ok), a.listTokens)
	huma.Register(h, operation("POST", tokens, "add-token", "Make a token for a program", needsEngineer, created), a.addToken)
	huma.Register(h, operation("DELETE", tokens+"/{id}", "end-token", "End a token", needsEngineer, none), a.endToken)
	huma.Register(h, operation("GET", sessions, "list-sessions", "Browsers that are signed in", needsPerson, ok), a.listSessions)
	huma.Register(h, operation("DELETE", sessions+"/{id}", "end-session", "Sign a browser out", needsPerson, none), a.endSession)
	huma.Register(h, operation("PUT", "/me/password", "set-own-password", "Change one's own password", needsPerson, none), a.setOwnPassword)
	huma.Register(h, operation("POST", "/me/second", "new-second-factor", "Make the secret of a second factor", needsPerson, ok), a.newSecond)
	huma.Register(h, operation("PUT", "/me/second", "set-second-factor", "Set a second factor up by a code of it, or take it away", needsPerson, none), a.setSecond)
}

func (a *API) linkOperations(h huma.API) {
	const ok, created, none = http.StatusOK, http.StatusCreated, http.StatusNoContent
	const links = "/feeds/{name}/links"
	huma.Register(h, operation("GET", links, "list-links", "A feed's links", needsEngineer, ok), a.listLinks)
	huma.Register(h, operation("POST", links, "add-link", "Make a link that lets whoever has it watch the feed", needsEngineer, created), a.addLink)
	huma.Register(h, operation("PUT", links+"/{link}", "edit-link", "Change what a link lets its viewers do", needsEngineer, ok), a.editLink)
	huma.Register(h, operation("DELETE", links+"/{link}", "remove-link", "End a link", needsEngineer, none), a.removeLink)
	huma.Register(h, operation("POST", "/link-key", "renew-link-key", "Sign links by another key", needsEngineer, ok), a.renewLinkKey)
	huma.Register(h, operation("GET", "/addresses", "list-addresses", "Addresses that the service can be reached by", needsViewer, ok), a.listAddresses)
	huma.Register(h, operation("GET", "/feeds/{name}/embed", "embed-feed", "What puts the feed into a page", needsViewer, ok), a.embedFeed)
}

func (a *API) publishOperations(h huma.API) {
	huma.Register(h, operation("GET", "/feeds/{name}/publishing", "show-publishing", "Where to send to a feed", needsEngineer, http.StatusOK), a.showPublishing)
	huma.Register(h, operation("POST", "/feeds/{name}/publish-key", "renew-publish-key", "Give a feed another key for publishers", needsEngineer, http.StatusOK), a.renewPublishKey)
	huma.Register(h, operation("POST", "/feeds/{name}/publish-passes", "add-publish-pass", "Make a pass that lets somebody send for a while", needsEngineer, http.StatusOK), a.addPass)
	const publisher = "/feeds/{name}/publisher"
	huma.Register(h, operation("GET", publisher, "show-publisher", "Who sends to a feed", needsEngineer, http.StatusOK), a.showPublisher)
	huma.Register(h, operation("DELETE", publisher, "end-publisher", "Cut off who sends to a feed", needsEngineer, http.StatusNoContent), a.endPublisher)
	huma.Register(h, operation("POST", publisher+"/camera", "ask-publisher-camera", "Ask a camera page for its light, zoom, focus or another camera", needsEngineer, http.StatusNoContent), a.askCamera)
}

// enter signs in with the demo's link.
func (a *API) enter(c *gin.Context) {
	if subtle.ConstantTimeCompare([]byte(c.Param("key")), []byte(a.cfg.EnterKey)) != 1 {
		problem.Write(c.Writer, fault.New(fault.PageUnknown, nil, ""))
		return
	}
	who, err := a.store.AccountByName(store.FirstAccount)
	if err == nil {
		var text string
		t := &store.Token{Kind: store.TokenSession, ExpiresAt: time.Now().Add(sessionLasts), Address: access.HostOf(c.Request.RemoteAddr), Browser: "the demo's link"}
		if text, err = a.store.NewToken(who, t); err == nil {
			cookie := a.sessionCookie(text, a.secure(c.Request))
			http.SetCookie(c.Writer, &cookie)
			c.Redirect(http.StatusSeeOther, a.at("/"))
			return
		}
	}
	problem.Write(c.Writer, err)
}
