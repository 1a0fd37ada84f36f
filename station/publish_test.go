package station_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fault"
	"webostrum/core/media"
	"webostrum/ingest/push"
	"webostrum/ingest/source"
	"webostrum/station"
	"webostrum/store"
	"webostrum/testkit/pictures"
)

const rightKey = "k3mw-7tqa-x2pd-9rvn"

func pushed(change func(*store.Feed)) store.Feed {
	r := record("")
	r.Pushed, r.PublishKey = true, rightKey
	if change != nil {
		change(&r)
	}
	return r
}

// asks is a request with a key; an empty one shows none.
func asks(feed, key, address string) push.Request {
	q := push.Request{Feed: feed, Protocol: push.RTMP, Address: address}
	if key != "" {
		q.Knows = func(want string) bool { return key == want }
	}
	return q
}

// publisher sends one frame after the other until its session ends.
type publisher struct {
	ended chan error
	quit  chan error // ends it with an error
}

// facts are those of a session of a test.
type facts source.Facts

func (f facts) Facts() source.Facts { return source.Facts(f) }

func (p *publisher) play(ctx context.Context, cfg source.Config) (uint64, error) {
	cfg.Settle()
	track := pictures.Track(pictures.SPS)
	epoch := &media.Epoch{Number: cfg.FirstEpoch, Tracks: []*media.Track{track}}
	cfg.AudioTrack(nil)
	ticker := time.NewTicker(10 * time.Millisecond)
	defer ticker.Stop()
	for i := int64(0); ; i++ {
		cfg.Publish(&media.Sample{Epoch: epoch, Track: track, DTS: i * 900, PTS: i * 900, Captured: time.Now(), Key: true, Data: pictures.Data(pictures.IDR(90, byte(i)))})
		if i == 0 {
			cfg.Started(facts{Transport: "rtmp", From: "192.0.2.9:4711", Codec: media.H264})
		}
		select {
		case <-ctx.Done():
			return epoch.Number + 1, ctx.Err()
		case err := <-p.quit:
			return epoch.Number + 1, err
		case <-ticker.C:
		}
	}
}

// publish has a publisher come; the error is that of being let in.
func publish(st *station.Station, q push.Request) (*publisher, error) {
	place, err := st.Admit(context.Background(), q)
	if err != nil {
		return nil, err
	}
	p := &publisher{ended: make(chan error, 1), quit: make(chan error, 1)}
	go func() { // ends with the session
		err := place.Run(context.Background(), p.play)
		place.Leave()
		p.ended <- err
	}()
	return p, nil
}

func codeOf(err error) fault.Code { return fault.As(err).Kind.Code }

// over returns why a session has ended.
func (p *publisher) over(t *testing.T) error {
	t.Helper()
	select {
	case err := <-p.ended:
		return err
	case <-time.After(20 * time.Second):
		require.Fail(t, "the publisher's session goes on")
		return nil
	}
}

func TestPublisherComesAndGoes(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	f, err := st.Add(pushed(nil))
	require.NoError(t, err)
	assert.Equal(t, station.StateWaiting, f.Condition().State)
	assert.Equal(t, "It waits for somebody to send.", f.Condition().Reason())
	assert.True(t, st.Pushed())

	p, err := publish(st, asks("gate", rightKey, "192.0.2.9:4711"))
	require.NoError(t, err)
	eventually(t, f, "is live", isState(station.StateLive))
	assert.Equal(t, "192.0.2.9:4711", f.Status().Facts.From)
	p.quit <- fault.New(fault.PublisherLeft, nil, "")
	assert.Equal(t, fault.PublisherLeft, codeOf(p.over(t)))
	eventually(t, f, "waits again", isState(station.StateWaiting))
	assert.Contains(t, f.Condition().Reason(), "The publisher ended the connection.")

	again, err := publish(st, asks("gate", rightKey, "192.0.2.9:4712"))
	require.NoError(t, err)
	eventually(t, f, "is live again, at once", isState(station.StateLive))
	_, err = st.Edit("gate", "off", func(r *store.Feed) error { r.Enabled = false; return nil })
	require.NoError(t, err)
	assert.Equal(t, fault.PublishNotWaiting, codeOf(again.over(t)))
	_, err = publish(st, asks("gate", rightKey, "192.0.2.9:4713"))
	assert.Equal(t, fault.PublishNotWaiting, codeOf(err))
	assert.False(t, st.Pushed())
}

func TestWhoMayPublish(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	_, err := st.Add(pushed(nil))
	require.NoError(t, err)
	opened := record("rtsp://127.0.0.1:1/main")
	opened.Name, opened.Enabled = "camera", false
	_, err = st.Add(opened)
	require.NoError(t, err)
	for name, tt := range map[string]struct {
		feed, key string
		want      fault.Code
	}{
		"no key":               {"gate", "", fault.PublishKeyMissing},
		"a wrong key":          {"gate", "guessed", fault.PublishKeyWrong},
		"no such feed":         {"none", rightKey, fault.PublishKeyWrong},
		"no such feed, no key": {"none", "", fault.PublishKeyMissing},
		"a feed with a camera": {"camera", rightKey, fault.PublishKeyWrong},
	} {
		_, err := publish(st, asks(tt.feed, tt.key, "192.0.2."+fmt.Sprint(len(name))+":1"))
		assert.Equal(t, tt.want, codeOf(err), name)
	}
}

func TestWrongKeysAreSlowed(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	_, err := st.Add(pushed(nil))
	require.NoError(t, err)
	owner, err := publish(st, asks("gate", rightKey, "192.0.2.9:1"))
	require.NoError(t, err)
	owner.quit <- errors.New("gone")
	owner.over(t)
	var codes []fault.Code
	for i := range 6 {
		_, err := publish(st, asks("gate", fmt.Sprint("guess", i), "192.0.2.66:1"))
		codes = append(codes, codeOf(err))
	}
	assert.Equal(t, fault.PublishTooOften, codes[5])
	_, err = publish(st, asks("gate", rightKey, "192.0.2.66:2"))
	assert.Equal(t, fault.PublishTooOften, codeOf(err), "even the right one is not looked at")
	for i := range 30 { // from many addresses
		_, _ = publish(st, asks("gate", "guess", fmt.Sprintf("198.51.100.%d:1", i)))
	}
	again, err := publish(st, asks("gate", rightKey, "192.0.2.9:2"))
	require.NoError(t, err, "who was let in before is not slowed by others")
	again.quit <- errors.New("gone")
	again.over(t)
}

func TestTwoPublishers(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	f, err := st.Add(pushed(nil))
	require.NoError(t, err)
	first, err := publish(st, asks("gate", rightKey, "192.0.2.9:1"))
	require.NoError(t, err)
	eventually(t, f, "is live", isState(station.StateLive))
	_, err = publish(st, asks("gate", rightKey, "192.0.2.10:1"))
	assert.Equal(t, fault.PublishPresent, codeOf(err))

	_, err = st.Edit("gate", "takes over", func(r *store.Feed) error { r.PublishTakeOver = true; return nil })
	require.NoError(t, err)
	assert.Equal(t, station.StateLive, f.Condition().State, "the change ends nothing")
	second, err := publish(st, asks("gate", rightKey, "192.0.2.10:1"))
	require.NoError(t, err)
	assert.Equal(t, fault.PublishReplaced, codeOf(first.over(t)))
	eventually(t, f, "is live by the second", isState(station.StateLive))

	key, err := st.By("", "").RenewKey("gate")
	require.NoError(t, err)
	assert.Equal(t, fault.PublishKeyWrong, codeOf(second.over(t)), "another key cuts off who came by the old one")
	_, err = publish(st, asks("gate", rightKey, "192.0.2.10:2"))
	assert.Equal(t, fault.PublishKeyWrong, codeOf(err))
	third, err := publish(st, asks("gate", key, "192.0.2.10:3"))
	require.NoError(t, err)
	third.quit <- errors.New("gone")
	third.over(t)
}

func TestOpenToAll(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	f, err := st.Add(pushed(func(r *store.Feed) { r.PublishOpen = true }))
	require.NoError(t, err)
	p, err := publish(st, asks("gate", "", "192.0.2.9:1"))
	require.NoError(t, err)
	eventually(t, f, "is live without a key", isState(station.StateLive))
	_, err = st.Edit("gate", "closed", func(r *store.Feed) error { r.PublishOpen = false; return nil })
	require.NoError(t, err)
	assert.Equal(t, fault.PublishKeyMissing, codeOf(p.over(t)), "who has shown no key is ended")
}

// TestPublisherThatPanics ends one session and nothing else.
func TestPublisherThatPanics(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	f, err := st.Add(pushed(nil))
	require.NoError(t, err)
	place, err := st.Admit(t.Context(), asks("gate", rightKey, "192.0.2.9:1"))
	require.NoError(t, err)
	err = place.Run(t.Context(), func(context.Context, source.Config) (uint64, error) { panic("a mistake of ours") })
	place.Leave()
	assert.Equal(t, fault.Failed, codeOf(err))
	eventually(t, f, "waits again", isState(station.StateWaiting))
	p, err := publish(st, asks("gate", rightKey, "192.0.2.9:2"))
	require.NoError(t, err)
	eventually(t, f, "is live", isState(station.StateLive))
	p.quit <- errors.New("gone")
	p.over(t)
}

// TestAKeyThatWasRenewedMeanwhile opens nothing to a publisher that waits for another one to
// give way.
func TestAKeyThatWasRenewedMeanwhile(t *testing.T) {
	t.Parallel()
	st, _ := open(t)
	_, err := st.Add(pushed(func(r *store.Feed) { r.PublishTakeOver = true }))
	require.NoError(t, err)
	first, err := st.Admit(t.Context(), asks("gate", rightKey, "192.0.2.9:4711"))
	require.NoError(t, err)
	waits := asks("gate", rightKey, "192.0.2.9:4712")
	looked := make(chan struct{}, 8)
	waits.Knows = func(want string) bool { looked <- struct{}{}; return want == rightKey }
	refused := make(chan error, 1)
	go func() {
		_, err := st.Admit(context.Background(), waits)
		refused <- err
	}()
	<-looked // at the door
	<-looked // and where it found the place taken
	_, err = st.By("", "").RenewKey("gate")
	require.NoError(t, err)
	first.Leave()
	assert.Equal(t, fault.PublishKeyWrong, codeOf(<-refused))
}
