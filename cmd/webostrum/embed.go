package main

import (
	"context"
	"io"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/boombuler/barcode/qr"
	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

// embedForms are what can be printed of a feed's embedding.
var embedForms = []string{"all", "iframe", "element", "image", "video", "address", "qr"}

func (a *app) embed() *cli.Command {
	plain := []string{"link", "address", "prefer", "rendition", "start", "controls", "fit", "poster"}
	return &cli.Command{
		Name: "embed", Usage: "print what puts a feed into a page", ArgsUsage: "FEED", Arguments: nameArg(), OnUsageError: usageError,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "as", Usage: strings.Join(embedForms, ", "), Value: "all"},
			&cli.StringFlag{Name: "link", Usage: "`NAME` of a link that opens the feed"},
			&cli.StringFlag{Name: "address", Usage: "`ADDRESS` of the service, as viewers reach it"},
			&cli.StringFlag{Name: "prefer", Usage: "delay, reach or simple: what is tried first"},
			&cli.FloatFlag{Name: "within", Usage: "`SECONDS` that the picture may be behind", HideDefault: true},
			&cli.StringFlag{Name: "rendition", Usage: "`NAME` of a rendition"},
			&cli.BoolFlag{Name: "audio", Usage: "start with audio, where the browser lets it"},
			&cli.StringFlag{Name: "start", Usage: "visible or press; at once when left out"},
			&cli.StringFlag{Name: "controls", Usage: "none hides them"},
			&cli.StringFlag{Name: "fit", Usage: "contain, cover or fill"},
			&cli.StringFlag{Name: "poster", Usage: "still shows one before it starts"},
			&cli.StringFlag{Name: "size", Usage: "`WIDTHxHEIGHT` in pixels; fills what there is when left out"},
			outputFlag(),
		},
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
			q := url.Values{}
			for _, name := range plain {
				if v := c.String(name); v != "" {
					q.Set(name, v)
				}
			}
			if c.IsSet("within") {
				q.Set("within", strconv.FormatFloat(c.Float("within"), 'f', -1, 64))
			}
			if c.Bool("audio") {
				q.Set("audio", "true")
			}
			if err := embedSize(c.String("size"), q); err != nil {
				return err
			}
			if form := c.String("as"); !slices.Contains(embedForms, form) {
				return usagef("--as %q is not one of %s", form, strings.Join(embedForms, ", "))
			}
			e, err := cl.Embed(ctx, feed, q)
			if err != nil {
				return err
			}
			return a.show(c, e, func(w io.Writer) { showEmbedding(w, e, c.String("as")) })
		}),
	}
}

func embedSize(text string, q url.Values) error {
	if text == "" {
		return nil
	}
	w, h, ok := strings.Cut(text, "x")
	if _, err := strconv.Atoi(w); !ok || err != nil {
		return usagef("--size %q is no size: write it like 640x360, or 640x", text)
	}
	q.Set("width", w)
	if h != "" {
		q.Set("height", h)
	}
	return nil
}

func showEmbedding(w io.Writer, e apitypes.Embedding, form string) {
	one := map[string]string{"iframe": e.Iframe, "element": e.Element, "image": e.Image, "video": e.Video, "address": e.Address}
	switch {
	case form == "qr":
		row(w, qrCode(e.Address))
	case form != "all":
		row(w, firstOf(one[form], "This feed gives no such delivery."))
	default:
		for _, part := range []struct{ what, text string }{
			{"A frame, which keeps the player apart from the page:", e.Iframe},
			{"The player as an element of the page:", e.Element},
			{"A plain image, for pages and panels without script:", e.Image},
			{"A plain video, for browsers that play HLS themselves:", e.Video},
			{"The page's address:", e.Address},
		} {
			if part.text != "" {
				row(w, part.what)
				row(w, part.text)
				row(w, "")
			}
		}
	}
	if form != "qr" {
		for _, n := range append([]string{e.ReachNote}, e.Notes...) {
			if n != "" {
				row(w, "Note: "+n)
			}
		}
	}
}

// qrCode draws a QR code (ISO/IEC 18004) with half blocks, dark on light whatever the
// terminal's colours are.
func qrCode(text string) string {
	code, err := qr.Encode(text, qr.M, qr.Auto)
	if err != nil {
		return text // too long for one
	}
	const quiet = 2 // modules around it
	size := code.Bounds().Dx()
	dark := func(x, y int) bool {
		x, y = x-quiet, y-quiet
		if x < 0 || y < 0 || x >= size || y >= size {
			return false
		}
		r, _, _, _ := code.At(x, y).RGBA()
		return r == 0
	}
	var b strings.Builder
	for y := 0; y < size+2*quiet; y += 2 {
		b.WriteString("\x1b[30;107m")
		for x := range size + 2*quiet {
			b.WriteString(map[[2]bool]string{{false, false}: " ", {true, false}: "▀", {false, true}: "▄", {true, true}: "█"}[[2]bool{dark(x, y), dark(x, y+1)}])
		}
		b.WriteString("\x1b[0m\n")
	}
	return strings.TrimSuffix(b.String(), "\n")
}
