package pictures

import (
	_ "embed"

	"webostrum/core/h264"
	"webostrum/core/media"
	"webostrum/core/nalu"
)

// reorderedFilm is 48 pictures of 320x240, high profile: two groups of 24, two B
// pictures between others, four slices a picture. It was made with libx264.
//
//go:embed reordered.264
var reorderedFilm []byte

// displayed is at which place in its group each picture is shown, in the order in
// which they are coded.
var displayed = []int64{0, 3, 1, 2, 6, 4, 5, 9, 7, 8, 12, 10, 11, 15, 13, 14, 18, 16, 17, 21, 19, 20, 23, 22}

// Coded is one picture of a film.
type Coded struct {
	Data  []byte // as in media.Sample
	Shown int64  // place in the order of showing
	Key   bool
}

// Reordered returns a real film whose pictures are not coded in the order in which
// they are shown, and its track.
func Reordered() (film []Coded, track *media.Track) {
	var keeper h264.ParamKeeper
	group := int64(len(displayed))
	const slices = 4
	var picture []byte
	n := 0
	for nal := range nalu.Units(nalu.FromByteStream(reorderedFilm)) {
		kind := h264.TypeOf(nal)
		if !kind.IsVCL() {
			if err := keeper.Add(nal); err != nil {
				panic(err)
			}
			continue
		}
		picture = nalu.Append(picture, nal)
		if n++; n%slices > 0 {
			continue
		}
		at := int64(len(film))
		film = append(film, Coded{picture, at/group*group + displayed[at%group], kind == h264.NALIDR})
		picture = nil
	}
	return film, media.VideoTrack(1, 90000, keeper.Current())
}
