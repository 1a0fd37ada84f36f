package transcode_test

import (
	"bytes"
	"context"
	"image/color"
	"image/jpeg"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.uber.org/goleak"

	"webostrum/core/h264"
	"webostrum/core/hub"
	"webostrum/core/media"
	"webostrum/core/nalu"
	"webostrum/core/rendition"
	"webostrum/core/workerproto"
	"webostrum/testkit"
	"webostrum/testkit/pictures"
	"webostrum/transcode"
)

func TestMain(m *testing.M) { goleak.VerifyTestMain(m) }

func worker(t *testing.T) string {
	t.Helper()
	path, err := testkit.Program(transcode.Program)
	require.NoError(t, err)
	return path
}

func within(t *testing.T) context.Context {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	t.Cleanup(cancel)
	return ctx
}

// camera publishes samples at a pace until its end.
type camera struct {
	hub  *hub.Hub
	stop context.CancelFunc
	wg   sync.WaitGroup
}

func (c *camera) close() {
	c.stop()
	c.wg.Wait()
	c.hub.Close()
}

// motionJPEG plays a camera of Motion JPEG; every is the time between pictures.
func motionJPEG(t *testing.T, w, h int, every time.Duration) *camera {
	t.Helper()
	epoch := &media.Epoch{Tracks: []*media.Track{pictures.JPEGTrack(w, h)}}
	data := pictures.JPEG(w, h, color.RGBA{200, 40, 40, 255})
	return play(t, every, func(i int, now time.Time, began time.Time) *media.Sample {
		return &media.Sample{Epoch: epoch, Track: epoch.Tracks[0], PTS: epoch.Tracks[0].Ticks(now.Sub(began)), Captured: now, Key: true, Data: data}
	})
}

func play(t *testing.T, every time.Duration, make func(i int, now, began time.Time) *media.Sample) *camera {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	c := &camera{hub: hub.New(hub.Config{}), stop: cancel}
	began := time.Now()
	c.hub.Publish(make(0, began, began))
	c.wg.Go(func() {
		ticker := time.NewTicker(every)
		defer ticker.Stop()
		for i := 1; ; i++ {
			select {
			case <-ctx.Done():
				return
			case now := <-ticker.C:
				c.hub.Publish(make(i, now, began))
			}
		}
	})
	return c
}

// h264Camera plays a camera of H.264 with a keyframe every 25 pictures, made
// beforehand by the worker.
func h264Camera(t *testing.T, w, h int) *camera {
	t.Helper()
	const pics = 50
	type coded struct {
		key  bool
		data []byte
	}
	var made []coded
	var keeper h264.ParamKeeper
	done := make(chan struct{})
	wk, err := transcode.Start(worker(t), transcode.Events{Coded: func(s workerproto.Stamp, data []byte) {
		if made = append(made, coded{s.Key, keeper.TakeOut(data)}); len(made) == pics {
			close(done)
		}
	}})
	require.NoError(t, err)
	defer wk.Close()
	require.NoError(t, wk.Input(workerproto.Input{Codec: workerproto.Raw, Width: w, Height: h}))
	require.NoError(t, wk.Output(workerproto.Output{Number: 1, Encoding: rendition.Encoding{Codec: media.H264, Width: w, Height: h, FrameRate: 25, BitRate: 500_000, KeyMillis: 1000, Profile: rendition.Main}}))
	for i := range pics {
		raw := bytes.Repeat([]byte{byte(60 + i)}, workerproto.RawSize(w, h))
		require.NoError(t, wk.Frame(workerproto.Stamp{PTS: int64(i), Captured: int64(i+1) * int64(40*time.Millisecond)}, raw))
	}
	<-done
	track := media.VideoTrack(1, 90000, keeper.Current())
	epoch := &media.Epoch{Tracks: []*media.Track{track}}
	return play(t, 40*time.Millisecond, func(i int, now, _ time.Time) *media.Sample {
		m := made[i%pics]
		return &media.Sample{Epoch: epoch, Track: track, DTS: int64(i) * 3600, PTS: int64(i) * 3600, Captured: now, Key: m.key, Data: m.data}
	})
}

// notes gathers what a transcoder says.
type notes struct {
	mu  sync.Mutex
	all []string // guarded by mu
}

func (n *notes) add(text string) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.all = append(n.all, text)
}

func (n *notes) list() []string {
	n.mu.Lock()
	defer n.mu.Unlock()
	return append([]string(nil), n.all...)
}

func transcoder(t *testing.T, source *camera, change func(*transcode.Config)) (*transcode.Video, *notes) {
	t.Helper()
	n := &notes{}
	cfg := transcode.Config{Program: worker(t), Source: source.hub, Note: n.add}
	if change != nil {
		change(&cfg)
	}
	c := transcode.NewVideo(cfg)
	t.Cleanup(func() { c.Close(); source.close() })
	return c, n
}

func small(codec media.Codec) transcode.Request {
	return transcode.Request{Rendition: rendition.Rendition{Codec: codec, Size: rendition.Size{Width: 80}}}
}

// next reads the next sample of an output.
func next(t *testing.T, r *hub.Reader) *media.Sample {
	t.Helper()
	s, _, err := r.Next(within(t))
	require.NoError(t, err)
	return s
}

func TestOneDecodeManyUsers(t *testing.T) {
	c, n := transcoder(t, motionJPEG(t, 160, 120, 40*time.Millisecond), func(cfg *transcode.Config) { cfg.Grace = 300 * time.Millisecond })
	assert.False(t, c.Costs().Running, "nothing runs for nobody")
	video, err := c.Use(small(media.H264), transcode.MostOutputs)
	require.NoError(t, err)
	again, err := c.Use(small(media.H264), transcode.MostOutputs)
	require.NoError(t, err)
	assert.Same(t, video, again, "the same is made once")
	still, err := c.Use(small(media.JPEG), transcode.MostOutputs)
	require.NoError(t, err)
	vr, sr := video.Hub().NewReader(), still.Hub().NewReader()
	s := next(t, vr)
	assert.True(t, s.Key)
	assert.Equal(t, [2]int{80, 60}, [2]int{s.Track.Width, s.Track.Height})
	assert.NotNil(t, s.Track.Video.Sets)
	for range 5 {
		p := next(t, vr)
		assert.Same(t, s.Epoch, p.Epoch)
		assert.Greater(t, p.DTS, s.DTS)
		s = p
	}
	img, err := jpeg.Decode(bytes.NewReader(next(t, sr).Data))
	require.NoError(t, err)
	assert.Equal(t, 80, img.Bounds().Dx())

	ctx := within(t)
	require.NoError(t, testkit.Eventually(ctx, func() bool {
		k := c.Costs()
		return k.Running && k.Memory > 0 && k.Decoding > 0 && len(k.Outputs) == 2 && k.Outputs[0].Share > 0 && k.Outputs[0].FrameRate > 10
	}), "%+v", c.Costs())
	vr.Close()
	video.Release()
	again.Release()
	require.NoError(t, testkit.Eventually(ctx, func() bool { return len(c.Costs().Outputs) == 1 }), "one goes, the other stays")
	sr.Close()
	still.Release()
	require.NoError(t, testkit.Eventually(ctx, func() bool { return !c.Costs().Running }), "the worker goes after the grace time")
	assert.Empty(t, n.list())
}

// decodable checks a stream as a decoder sees it: an epoch begins with a keyframe, and
// within it no frame is missing by frame_num (ISO/IEC 14496-10, 7.4.3) and none comes
// twice.
type decodable struct {
	t     *testing.T
	epoch *media.Epoch
	sps   *h264.SPS
	num   uint32
	dts   int64
}

func (d *decodable) frame(s *media.Sample) {
	d.t.Helper()
	if s.Epoch != d.epoch {
		require.True(d.t, s.Key, "an epoch begins with a keyframe")
		var err error
		d.sps, err = h264.ParseSPS(s.Track.Video.Sets[0])
		require.NoError(d.t, err)
		d.epoch = s.Epoch
	} else {
		require.Greater(d.t, s.DTS, d.dts)
	}
	num, modulus := frameNum(d.t, d.sps, s.Data)
	if s.Key {
		require.Zero(d.t, num)
	} else {
		require.Equal(d.t, (d.num+1)%modulus, num, "no frame is missing")
	}
	d.num, d.dts = num, s.DTS
}

// frameNum reads frame_num of a frame's first slice.
func frameNum(t *testing.T, sps *h264.SPS, data []byte) (num, modulus uint32) {
	t.Helper()
	for nal := range nalu.Units(data) {
		if typ := h264.TypeOf(nal); typ == h264.NALSlice || typ == h264.NALIDR {
			num, modulus, err := h264.FrameNum(nal, sps)
			require.NoError(t, err)
			return num, modulus
		}
	}
	t.Fatal("a frame without slices")
	return 0, 0
}

// TestWorkerIsKilled kills the worker as a crash would. Its feed is back within a
// second of frames, and a decoder can go on with what comes.
func TestWorkerIsKilled(t *testing.T) {
	for _, camera := range []*camera{h264Camera(t, 160, 120), motionJPEG(t, 160, 120, 40*time.Millisecond)} {
		c, n := transcoder(t, camera, nil)
		o, err := c.Use(small(media.H264), transcode.MostOutputs)
		require.NoError(t, err)
		r := o.Hub().NewReader()
		decoder := &decodable{t: t}
		for kill := range uint64(3) {
			// Close behind a keyframe, and far from one.
			for frames := 0; frames < 2+int(kill)*9; frames++ {
				decoder.frame(next(t, r))
			}
			before := next(t, r)
			decoder.frame(before)
			first := before.Epoch
			require.NoError(t, syscall.Kill(c.Costs().PID, syscall.SIGSEGV))
			for {
				s := next(t, r)
				decoder.frame(s)
				if s.Epoch != first {
					assert.Less(t, s.Captured.Sub(before.Captured), time.Second)
					assert.True(t, s.Captured.After(before.Captured), "nothing is shown twice")
					break
				}
				before = s
			}
		}
		require.Len(t, n.list(), 3)
		assert.Contains(t, n.list()[0], "segmentation violation")
		r.Close()
		o.Release()
	}
}

func TestWorkerThatHangsIsReplaced(t *testing.T) {
	c, n := transcoder(t, motionJPEG(t, 160, 120, 40*time.Millisecond), nil)
	o, err := c.Use(small(media.JPEG), transcode.MostOutputs)
	require.NoError(t, err)
	defer o.Release()
	r := o.Hub().NewReader()
	defer r.Close()
	next(t, r)
	pid := c.Costs().PID
	require.NoError(t, syscall.Kill(pid, syscall.SIGSTOP))
	require.NoError(t, testkit.Eventually(within(t), func() bool { k := c.Costs(); return k.Running && k.PID != pid }))
	from := time.Now()
	for s := next(t, r); s.Captured.Before(from); s = next(t, r) {
		from = from.Add(-time.Millisecond)
	}
	require.NotEmpty(t, n.list())
	assert.Contains(t, n.list()[0], "hangs")
}

func TestGreedyWorkerIsEnded(t *testing.T) {
	c, n := transcoder(t, motionJPEG(t, 160, 120, 40*time.Millisecond), func(cfg *transcode.Config) { cfg.MaxMemory = 1 << 20 })
	o, err := c.Use(small(media.JPEG), transcode.MostOutputs)
	require.NoError(t, err)
	defer o.Release()
	require.NoError(t, testkit.Eventually(within(t), func() bool { return len(n.list()) > 0 }))
	assert.Contains(t, n.list()[0], "MiB of memory")
}

// TestSlowCameraGivesSteadyVideo has a camera that sends a still and then none
// for a long time.
func TestSlowCameraGivesSteadyVideo(t *testing.T) {
	c, _ := transcoder(t, motionJPEG(t, 160, 120, time.Hour), nil)
	video, err := c.Use(small(media.H264), transcode.MostOutputs)
	require.NoError(t, err)
	defer video.Release()
	r := video.Hub().NewReader()
	defer r.Close()
	first := next(t, r)
	for range 3 {
		s := next(t, r)
		assert.Less(t, s.Track.Duration(s.PTS-first.PTS), 5*time.Second)
	}
	// Something else that is asked for later comes at once.
	still, err := c.Use(small(media.JPEG), transcode.MostOutputs)
	require.NoError(t, err)
	defer still.Release()
	sr := still.Hub().NewReader()
	defer sr.Close()
	assert.Equal(t, media.JPEG, next(t, sr).Track.Codec)
}

func TestKeyframesAreEnoughForStills(t *testing.T) {
	c, _ := transcoder(t, h264Camera(t, 160, 120), nil)
	w := small(media.JPEG)
	w.KeyframesOnly = true
	o, err := c.Use(w, transcode.MostOutputs)
	require.NoError(t, err)
	defer o.Release()
	r := o.Hub().NewReader()
	defer r.Close()
	a := next(t, r)
	b := next(t, r)
	assert.Equal(t, int64(90000), b.PTS-a.PTS, "one for each keyframe")

	all, err := c.Use(small(media.JPEG), transcode.MostOutputs)
	require.NoError(t, err)
	defer all.Release()
	ar := all.Hub().NewReader()
	defer ar.Close()
	a = next(t, ar)
	b = next(t, ar)
	assert.Less(t, b.PTS-a.PTS, int64(30000), "every picture when somebody wants video")
}

func TestWhatCannotBeUsed(t *testing.T) {
	source := motionJPEG(t, 160, 120, time.Hour)
	c, _ := transcoder(t, source, nil)
	_, err := c.Use(transcode.Request{Rendition: rendition.Rendition{Codec: media.JPEG, Quality: 500}}, transcode.MostOutputs)
	assert.ErrorContains(t, err, "1 to 100")
	var last error
	for i := range 20 {
		_, last = c.Use(transcode.Request{Rendition: rendition.Rendition{Codec: media.JPEG, Quality: i + 1}}, transcode.MostOutputs)
	}
	var many transcode.TooManyError
	assert.ErrorAs(t, last, &many)

	none := transcode.NewVideo(transcode.Config{Source: source.hub})
	defer none.Close()
	_, err = none.Use(small(media.JPEG), transcode.MostOutputs)
	assert.ErrorIs(t, err, transcode.ErrNoWorker)
}

func TestFind(t *testing.T) {
	path := filepath.Join(t.TempDir(), "worker")
	_, err := transcode.Find(path)
	assert.ErrorIs(t, err, transcode.ErrNoWorker)
	require.NoError(t, os.WriteFile(path, nil, 0o700))
	found, err := transcode.Find(path)
	require.NoError(t, err)
	assert.Equal(t, path, found)
}

// TestFinishedOutputsEndAtOnce has a still be made, which nobody needs after that.
func TestFinishedOutputsEndAtOnce(t *testing.T) {
	c := motionJPEG(t, 320, 240, 40*time.Millisecond)
	defer c.close()
	transcoder := transcode.NewVideo(transcode.Config{Program: worker(t), Source: c.hub, Grace: time.Hour})
	defer transcoder.Close()
	o, err := transcoder.Use(transcode.Request{Rendition: rendition.Rendition{Codec: media.JPEG, Size: rendition.Size{Width: 160}}}, transcode.MostOutputs)
	require.NoError(t, err)
	reader := o.Hub().NewReader()
	_, _, err = reader.Next(within(t))
	require.NoError(t, err)
	reader.Close()
	o.Finish()
	require.NoError(t, testkit.Eventually(within(t), func() bool { return !transcoder.Costs().Running }), "long before the grace time is over")
	assert.Empty(t, transcoder.Costs().Outputs)
}
