package main

import (
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

func (a *app) link() *cli.Command {
	return &cli.Command{
		Name: "link", Usage: "links that open one feed to whoever has them: add, list, show, edit, remove, new-key", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "make a link: link add FEED NAME", Arguments: partArgs("NAME"), OnUsageError: usageError, Flags: append(linkFlags(), outputFlag()),
				Action: a.withPart(func(ctx context.Context, c *cli.Command, cl *client.Client, feed, name string) error {
					in := apitypes.NewLink{Name: name}
					if err := linkSettings(c, &in.LinkSettings, time.Now()); err != nil {
						return err
					}
					l, err := cl.AddLink(ctx, feed, in)
					if err != nil {
						return err
					}
					return a.showLink(c, cl, l)
				}),
			},
			{
				Name: "list", Usage: "the links of a feed", Arguments: nameArg(), OnUsageError: usageError, Flags: []cli.Flag{outputFlag()}, Action: a.withFeed(a.listLinks),
			},
			{
				Name: "show", Usage: "a link's addresses, and a QR code of its page", Arguments: partArgs("NAME"), OnUsageError: usageError, Flags: []cli.Flag{outputFlag()},
				Action: a.withLink(func(_ context.Context, c *cli.Command, cl *client.Client, l apitypes.Link) error {
					return a.showLink(c, cl, l)
				}),
			},
			{
				Name: "edit", Usage: "change what a link lets its viewers do; what is not given stays", Arguments: partArgs("NAME"), OnUsageError: usageError, Flags: append(linkFlags(), outputFlag()),
				Action: a.withLink(func(ctx context.Context, c *cli.Command, cl *client.Client, l apitypes.Link) error {
					if err := linkSettings(c, &l.LinkSettings, time.Now()); err != nil {
						return err
					}
					l, err := cl.EditLink(ctx, l.Feed, l.Name, l.LinkSettings)
					if err != nil {
						return err
					}
					return a.showLink(c, cl, l)
				}),
			},
			a.partRemove("end a link", "Link %s of %s opens nothing any more.", (*client.Client).RemoveLink),
			a.linkKey(),
		},
	}
}

func linkFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "ends", Usage: "`TIME` when it ends, such as 2027-05-01 or 2027-05-01T18:00; never for no end"},
		&cli.StringFlag{Name: "for", Usage: "`TIME` after which it ends, such as 90m, 12h or 30d"},
		&cli.StringSliceFlag{Name: "sites", Usage: "`SITES` whose pages may show it, a,b; none for those of the feed"},
		&cli.StringSliceFlag{Name: "deliveries", Usage: "`DELIVERIES` that it opens: hls, fragments, webrtc, motion-jpeg, still; none for all that the feed gives"},
		&cli.IntFlag{Name: "most", Usage: "viewers at a `TIME`; 0 for no limit of its own", HideDefault: true},
	}
}

// linkSettings puts the flags that were given into a link's settings.
func linkSettings(c *cli.Command, s *apitypes.LinkSettings, now time.Time) error {
	ends, err := linkEnd(c, now)
	if err != nil {
		return err
	}
	if c.IsSet("ends") || c.IsSet("for") {
		s.Ends = ends
	}
	if c.IsSet("sites") {
		s.Sites = listed(c, "sites")
	}
	if c.IsSet("deliveries") {
		s.Deliveries = listed(c, "deliveries")
	}
	if c.IsSet("most") {
		s.Most = c.Int("most")
	}
	return nil
}

func linkEnd(c *cli.Command, now time.Time) (*time.Time, error) {
	at, after := c.String("ends"), c.String("for")
	switch {
	case at != "" && after != "":
		return nil, usagef("a link ends at a time or after one: give --ends or --for")
	case after != "":
		d, err := longDuration(after)
		if err != nil {
			return nil, err
		}
		end := now.Add(d)
		return &end, nil
	case at == "" || at == "never":
		return nil, nil
	}
	if end, ok := dateOf(at); ok {
		return &end, nil
	}
	return nil, usagef("--ends %q is no time: write it like 2027-05-01, 2027-05-01T18:00 or 2027-05-01T18:00:00Z", at)
}

// longDuration reads what time.ParseDuration does, and days.
func longDuration(text string) (time.Duration, error) {
	if days, ok := strings.CutSuffix(text, "d"); ok {
		const most = 36500
		if n, err := strconv.ParseFloat(days, 64); err == nil && n > 0 && n <= most {
			return time.Duration(n * 24 * float64(time.Hour)), nil
		}
	}
	d, err := time.ParseDuration(text)
	if err != nil || d <= 0 {
		return 0, usagef("%q is no length of time: write it like 90m, 12h or 30d", text)
	}
	return d, nil
}

// listed returns the values of a flag that takes a list; "none" is an empty one.
func listed(c *cli.Command, flag string) []string {
	list := []string{}
	for _, v := range c.StringSlice(flag) {
		for part := range strings.FieldsFuncSeq(v, func(r rune) bool { return r == ',' || r == ' ' }) {
			if part != "none" {
				list = append(list, part)
			}
		}
	}
	return list
}

// withLink is withPart for a link that is there.
func (a *app) withLink(action func(context.Context, *cli.Command, *client.Client, apitypes.Link) error) cli.ActionFunc {
	return a.withPart(func(ctx context.Context, c *cli.Command, cl *client.Client, feed, name string) error {
		list, err := cl.Links(ctx, feed)
		if err != nil {
			return err
		}
		for _, l := range list {
			if l.Name == name {
				return action(ctx, c, cl, l)
			}
		}
		return &apitypes.Problem{Status: 404, Code: "link-unknown", Detail: "The feed has no link of that name.", Remedy: "\"webostrum link list " + feed + "\" shows them."}
	})
}

func (a *app) listLinks(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
	list, err := cl.Links(ctx, feed)
	if err != nil {
		return err
	}
	return a.show(c, list, func(w io.Writer) {
		if len(list) == 0 {
			row(w, "None. \"webostrum link add "+feed+" NAME\" makes one.")
			return
		}
		row(w, "LINK", "ENDS", "SITES", "OPENS", "VIEWERS", "USED")
		for _, l := range list {
			row(w, l.Name, linkEnds(l), firstOf(strings.Join(l.Sites, ", "), "of the feed"), firstOf(strings.Join(l.Deliveries, ", "), "all"), linkViewers(l), usedAgo(l.Used))
		}
	})
}

func linkEnds(l apitypes.Link) string {
	switch {
	case l.Ends == nil:
		return "never"
	case l.Over:
		return "ended " + isoTime(*l.Ends)
	}
	return isoTime(*l.Ends)
}

func linkViewers(l apitypes.Link) string {
	if l.Most == 0 {
		return strconv.Itoa(l.Viewers)
	}
	return fmt.Sprintf("%d of %d", l.Viewers, l.Most)
}

func usedAgo(at *time.Time) string {
	if at == nil {
		return "never"
	}
	return ago(*at) + " ago"
}

func (a *app) showLink(c *cli.Command, cl *client.Client, l apitypes.Link) error {
	return a.show(c, l, func(w io.Writer) {
		row(w, "link", l.Name+" of "+l.Feed)
		row(w, "ends", linkEnds(l))
		row(w, "sites", firstOf(strings.Join(l.Sites, ", "), "those of the feed"))
		row(w, "opens", firstOf(strings.Join(l.Deliveries, ", "), "all that the feed gives"))
		row(w, "viewers", linkViewers(l))
		row(w, "used", usedAgo(l.Used))
		if l.Text == "" {
			row(w, "addresses", "not kept: this link is from an earlier version, which showed them once")
			return
		}
		row(w, "watch page", cl.Base()+l.Watch)
		row(w, "embed page", cl.Base()+l.Embed)
		for _, m := range [][2]string{{"WebRTC (WHEP)", "whep"}, {"HLS address", "hls/index.m3u8"}, {"Motion JPEG", "mjpeg"}, {"still picture", "still.jpg"}} {
			row(w, m[0], cl.Base()+l.Media+m[1])
		}
		row(w, "")
		row(w, qrCode(cl.Base()+l.Watch))
	})
}

func (a *app) linkKey() *cli.Command {
	return &cli.Command{
		Name: "new-key", Usage: "sign links by another key from now on", OnUsageError: usageError,
		Flags: []cli.Flag{&cli.BoolFlag{Name: "end-others", Usage: "end all links of all feeds that were made before"}, outputFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			k, err := cl.RenewLinkKey(ctx, c.Bool("end-others"))
			if err != nil {
				return err
			}
			return a.show(c, k, func(w io.Writer) {
				row(w, fmt.Sprintf("Links are signed by key %d from now on; %d links ended.", k.Key, k.Ended))
			})
		},
	}
}
