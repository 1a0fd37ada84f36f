package film_test

import (
	"bytes"
	"context"
	"errors"
	"image"
	"image/color"
	"image/jpeg"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/fmp4"
	"webostrum/core/media"
	"webostrum/core/rendition"
	"webostrum/film"
	"webostrum/testkit"
	"webostrum/transcode"
)

// still is a JPEG of one brightness.
func still(t *testing.T, width, height int, grey byte) film.Picture {
	t.Helper()
	p := image.NewGray(image.Rect(0, 0, width, height))
	for i := range p.Pix {
		p.Pix[i] = grey
	}
	c := image.NewRGBA(p.Rect)
	for y := range height {
		for x := range width {
			c.Set(x, y, color.Gray{Y: grey})
		}
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, c, nil))
	return film.Picture{Track: media.VideoTrack(1, 90_000, &media.VideoConfig{Codec: media.JPEG, Width: width, Height: height}), Data: b.Bytes()}
}

func makeFilm(t *testing.T, cfg film.Config) (film.Film, []byte, error) {
	t.Helper()
	worker, err := testkit.Program("webostrum-codecs")
	require.NoError(t, err)
	cfg.Worker = worker
	f, err := os.Create(filepath.Join(t.TempDir(), "film"))
	require.NoError(t, err)
	defer func() { _ = f.Close() }()
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	made, err := film.Make(ctx, cfg, f)
	data, readErr := os.ReadFile(f.Name())
	require.NoError(t, readErr)
	return made, data, err
}

// TestAFilmOfManyPicturesShowsAllOfTheirTime, although it cannot show all of them.
func TestAFilmOfManyPicturesShowsAllOfTheirTime(t *testing.T) {
	t.Parallel()
	first, last := -1, 0
	_, _, err := makeFilm(t, film.Config{Format: film.MP4, Count: 3 * film.Most, Length: time.Second, Picture: func(i int) (film.Picture, error) {
		if first < 0 {
			first = i
		}
		last = i
		return still(t, 64, 64, 9), nil
	}})
	require.NoError(t, err)
	assert.Zero(t, first)
	assert.Greater(t, last, 9*film.Most/4)
}

func TestAFilmOfStillsThatChangeTheirSize(t *testing.T) {
	t.Parallel()
	done := 0
	made, data, err := makeFilm(t, film.Config{Format: film.MP4, Count: 60, Length: 2 * time.Second, Progress: func(d, all int) { done = d; assert.Equal(t, 60, all) }, Picture: func(i int) (film.Picture, error) {
		if i == 10 {
			return film.Picture{}, errors.New("torn")
		}
		if i > 30 {
			return still(t, 320, 180, byte(4*i)), nil
		}
		return still(t, 160, 90, byte(4*i)), nil
	}})
	require.NoError(t, err)
	assert.Equal(t, [2]int{160, 90}, [2]int{made.Width, made.Height}, "of the first")
	assert.Equal(t, 59, made.Pictures)
	assert.Equal(t, 59, done)
	assert.Equal(t, 1, made.Left)
	assert.InDelta(t, 2, made.Length.Seconds(), 0.05)
	sizes := fmp4.Find(data, "moov", "trak", "mdia", "minf", "stbl", "stsz")
	assert.Equal(t, []byte{0, 0, 0, 59}, sizes[8:12])
	assert.Equal(t, []byte("ftyp"), data[4:8], "its tables stand in front")
}

func TestALongDayInAShortFilm(t *testing.T) {
	t.Parallel()
	var shown []int
	made, data, err := makeFilm(t, film.Config{Format: film.WebM, Count: 1000, Length: time.Second, Size: rendition.Size{Width: 64}, Picture: func(i int) (film.Picture, error) {
		shown = append(shown, i)
		return still(t, 128, 72, byte(i)), nil
	}})
	require.NoError(t, err)
	assert.Equal(t, 30, made.Pictures, "30 a second at most")
	assert.Equal(t, 33, shown[1], "evenly")
	assert.Equal(t, 64, made.Width)
	assert.Equal(t, []byte{0x1A, 0x45, 0xDF, 0xA3}, data[:4])
}

func TestFilmsThatCannotBe(t *testing.T) {
	t.Parallel()
	_, _, err := makeFilm(t, film.Config{Format: film.MP4})
	assert.ErrorIs(t, err, film.ErrNothing)
	_, _, err = makeFilm(t, film.Config{Format: film.MP4, Count: 3, Picture: func(int) (film.Picture, error) { return film.Picture{}, errors.New("torn") }})
	assert.ErrorIs(t, err, film.ErrNothing, "none could be read")
	_, err = film.Make(t.Context(), film.Config{Count: 1}, nil)
	assert.ErrorIs(t, err, transcode.ErrNoWorker)
}
