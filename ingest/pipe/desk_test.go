package pipe_test

import "webostrum/ingest/push"

// request is one that is let in.
var request = push.Request{Feed: "gate", Protocol: push.HTTP, Address: "192.0.2.9:1", Knows: func(key string) bool { return key == "right" }}
