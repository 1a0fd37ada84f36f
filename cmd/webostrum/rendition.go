package main

import (
	"context"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

// partArgs are the names of a feed and of something of it.
func partArgs(what string) []cli.Argument {
	return []cli.Argument{&cli.StringArg{Name: "feed", UsageText: "FEED"}, &cli.StringArg{Name: "part", UsageText: what}}
}

// withPart finds both names and the service for an action on a part of a feed.
func (a *app) withPart(action func(ctx context.Context, c *cli.Command, cl *client.Client, feed, part string) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		feed, part := c.StringArg("feed"), c.StringArg("part")
		if feed == "" || part == "" {
			return usagef("this needs the feed's name and one more: %s FEED NAME", c.FullName())
		}
		if c.Args().Present() {
			return usagef("%q is one thing too many; flags come before the names", c.Args().First())
		}
		cl, err := a.service(c)
		if err != nil {
			return err
		}
		return action(ctx, c, cl, feed, part)
	}
}

func (a *app) rendition() *cli.Command {
	return &cli.Command{
		Name: "rendition", Usage: "what a feed is transcoded to: ladder, add, list, edit, remove", OnUsageError: usageError,
		Commands: []*cli.Command{a.renditionLadder(), a.renditionAdd(), a.renditionList(), a.renditionEdit(), a.partRemove("remove a rendition", "%s of %s is removed.", (*client.Client).RemoveRendition)},
	}
}

func renditionFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "size", Usage: "`SIZE` such as 640x360, 640x, x360, 1/2 or 50%; the camera's when left out"},
		&cli.FloatFlag{Name: "rate", Usage: "frames a second at most"},
		&cli.IntFlag{Name: "bit-rate", Usage: "H264: bits a second"},
		&cli.FloatFlag{Name: "keyframes", Usage: "H264: `SECONDS` from one keyframe to the next"},
		&cli.StringFlag{Name: "profile", Usage: "H264: baseline or main"},
		&cli.IntFlag{Name: "quality", Usage: "JPEG: 1 to 100"},
		&cli.StringFlag{Name: "text", Usage: "drawn on the picture; {date}, {time} and {place} stand for what they say"},
		&cli.StringFlag{Name: "corner", Usage: "where the text stands: top-left, top-right, bottom-left or bottom-right"},
		&cli.FloatFlag{Name: "text-size", Usage: "height of the text in hundredths of the picture's"},
		&cli.StringFlag{Name: "view", Usage: "flat view that is cut out of a picture of another projection: `PAN,TILT,FOV` in degrees, such as 90,-10,80"},
		outputFlag(),
	}
}

func (a *app) renditionLadder() *cli.Command {
	return &cli.Command{
		Name: "ladder", Usage: "add the smaller renditions that suit the camera, for weak lines", OnUsageError: usageError, Arguments: nameArg(), Flags: []cli.Flag{outputFlag()},
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			list, err := cl.AddLadder(ctx, name)
			if err != nil {
				return err
			}
			return a.show(c, list, func(w io.Writer) { renditionTable(w, list) })
		}),
	}
}

func (a *app) renditionAdd() *cli.Command {
	return &cli.Command{
		Name: "add", Usage: "add a rendition: rendition add FEED NAME", OnUsageError: usageError, Arguments: partArgs("NAME"),
		Flags: append(renditionFlags(), &cli.StringFlag{Name: "codec", Usage: "H264 for HLS or JPEG for Motion JPEG", Value: "H264"}),
		Action: a.withPart(func(ctx context.Context, c *cli.Command, cl *client.Client, feed, name string) error {
			r, err := cl.AddRendition(ctx, feed, apitypes.NewRendition{
				Name: name, Codec: strings.ToUpper(c.String("codec")), Size: c.String("size"), FrameRate: c.Float("rate"), BitRate: c.Int("bit-rate"),
				KeyframeSeconds: c.Float("keyframes"), Profile: c.String("profile"), Quality: c.Int("quality"),
				Text: c.String("text"), TextCorner: c.String("corner"), TextSize: c.Float("text-size"), View: c.String("view"),
			})
			if err != nil {
				return err
			}
			return a.showRendition(c, cl, r)
		}),
	}
}

func (a *app) renditionEdit() *cli.Command {
	return &cli.Command{
		Name: "edit", Usage: "change a rendition; what is not given stays", OnUsageError: usageError, Arguments: partArgs("NAME"), Flags: renditionFlags(),
		Action: a.withPart(func(ctx context.Context, c *cli.Command, cl *client.Client, feed, name string) error {
			change := apitypes.RenditionChange{
				Size: given(c, "size", c.String("size")), FrameRate: given(c, "rate", c.Float("rate")), BitRate: given(c, "bit-rate", c.Int("bit-rate")),
				KeyframeSeconds: given(c, "keyframes", c.Float("keyframes")), Profile: given(c, "profile", c.String("profile")),
				Quality: given(c, "quality", c.Int("quality")), Text: given(c, "text", c.String("text")),
				TextCorner: given(c, "corner", c.String("corner")), TextSize: given(c, "text-size", c.Float("text-size")), View: given(c, "view", c.String("view")),
			}
			if change == (apitypes.RenditionChange{}) {
				return usagef("nothing to change; \"webostrum rendition edit --help\" lists what can be")
			}
			r, err := cl.EditRendition(ctx, feed, name, change)
			if err != nil {
				return err
			}
			return a.showRendition(c, cl, r)
		}),
	}
}

// partRemove is the command that removes something of a feed; gone is the sentence
// that says so, with the part's name and the feed's.
func (a *app) partRemove(usage, gone string, remove func(*client.Client, context.Context, string, string) error) *cli.Command {
	return &cli.Command{
		Name: "remove", Usage: usage, OnUsageError: usageError, Arguments: partArgs("NAME"),
		Action: a.withPart(func(ctx context.Context, _ *cli.Command, cl *client.Client, feed, part string) error {
			if err := remove(cl, ctx, feed, part); err != nil {
				return err
			}
			fmt.Fprintf(a.out, gone+"\n", part, feed)
			return nil
		}),
	}
}

func (a *app) renditionList() *cli.Command {
	return &cli.Command{
		Name: "list", Usage: "a feed's renditions, and what they take", Flags: []cli.Flag{outputFlag()}, Arguments: nameArg(), OnUsageError: usageError,
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			f, err := cl.Feed(ctx, name)
			if err != nil {
				return err
			}
			return a.show(c, f.Renditions, func(w io.Writer) {
				if len(f.Renditions) == 0 {
					row(w, "None besides the camera's own. \"webostrum rendition add\" adds one.")
					return
				}
				renditionTable(w, f.Renditions)
				if cv := f.Transcoding; cv.Running && cv.Processor > 0 {
					row(w)
					row(w, fmt.Sprintf("The worker takes %s of a core, %s of it for decoding, and %d MiB.", share(cv.Processor), share(cv.Decoding), cv.Memory>>20))
				}
			})
		}),
	}
}

func renditionTable(w io.Writer, list []apitypes.Rendition) {
	row(w, "RENDITION", "CODEC", "ASKED", "MADE", "RUNNING", "USED BY", "RATE", "CORE", "NOTE")
	for _, r := range list {
		row(w, r.Name, r.Codec, firstOf(r.Size, "as the camera"), size(r.OutWidth, r.OutHeight), yesNo(r.Running), r.Users,
			rate(r.OutFrameRate), share(r.Share), firstOf(r.Note, why(r), "-"))
	}
}

func why(r apitypes.Rendition) string {
	if r.Automatic {
		return "made by itself: HLS cannot carry the camera's JPEG"
	}
	return ""
}

// share prints a share of a core.
func share(v float64) string {
	if v <= 0 {
		return "-"
	}
	return fmt.Sprintf("%.1f %%", 100*v)
}

func (a *app) showRendition(c *cli.Command, cl *client.Client, r apitypes.Rendition) error {
	return a.show(c, r, func(w io.Writer) {
		row(w, "rendition", r.Name)
		row(w, "codec", r.Codec)
		row(w, "size", fmt.Sprintf("%s asked, %s made", firstOf(r.Size, "the camera's"), size(r.OutWidth, r.OutHeight)))
		if r.Note != "" {
			row(w, "note", r.Note)
		}
		if r.Text != "" {
			row(w, "text", r.Text+", "+r.TextCorner)
		}
		if r.View != "" {
			row(w, "view", r.View+" (pan, tilt, field of view)")
		}
		row(w, "address", cl.Base()+r.Path)
		row(w, "made", "while somebody watches")
	})
}
