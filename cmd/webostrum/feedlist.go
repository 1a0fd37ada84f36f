package main

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
)

func (a *app) feedList() *cli.Command {
	return &cli.Command{
		Name: "list", Usage: "all feeds with their state, what is broken first", OnUsageError: usageError,
		Flags: []cli.Flag{
			outputFlag(),
			&cli.StringFlag{Name: "search", Usage: "only feeds with this `TEXT` in name, title, tags or camera's address"},
			&cli.StringSliceFlag{Name: "state", Usage: "only feeds in one of these `STATES`, a,b; broken is all that should be live and are not"},
			&cli.StringSliceFlag{Name: "tag", Usage: "only feeds with one of these `TAGS`, a,b"},
			&cli.BoolFlag{Name: "by-tag", Usage: "group them by their first tag"},
			&cli.StringFlag{Name: "sort", Usage: "broken first, or by name", Value: "broken", Validator: oneOfOutputs("broken", "name")},
			&cli.IntFlag{Name: "limit", Usage: "how many at most; 0 for all"},
			&cli.IntFlag{Name: "skip", Usage: "how many to leave out before"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			all, err := cl.Feeds(ctx)
			if err != nil {
				return err
			}
			if len(all) == 0 && c.String("output") == "table" {
				fmt.Fprintln(a.out, "No feeds yet. Look into a camera with \"webostrum inspect URL\", then add it with \"webostrum feed add NAME URL\".")
				return nil
			}
			feeds := chosenFeeds(c, all)
			found := len(feeds)
			feeds = feeds[min(max(c.Int("skip"), 0), len(feeds)):]
			if n := c.Int("limit"); n > 0 {
				feeds = feeds[:min(n, len(feeds))]
			}
			return a.show(c, feeds, func(w io.Writer) { printFeeds(w, feeds, found, len(all), c.Bool("by-tag")) })
		},
	}
}

// isBroken says whether a feed should be live and is not.
func isBroken(f apitypes.Feed) bool {
	return f.State == "refused" || f.State == "retrying" || f.State == "stalled"
}

// chosenFeeds are those that flags ask for, in their order.
func chosenFeeds(c *cli.Command, all []apitypes.Feed) []apitypes.Feed {
	states, tags, search := listed(c, "state"), listed(c, "tag"), strings.ToLower(c.String("search"))
	feeds := []apitypes.Feed{}
	for _, f := range all {
		inState := len(states) == 0 || slices.Contains(states, f.State) || slices.Contains(states, "broken") && isBroken(f)
		tagged := len(tags) == 0 || slices.ContainsFunc(f.Tags, func(t string) bool { return slices.Contains(tags, t) })
		text := strings.ToLower(strings.Join(append([]string{f.Name, f.Title, f.Camera.URL}, f.Tags...), "\n"))
		if inState && tagged && strings.Contains(text, search) {
			feeds = append(feeds, f)
		}
	}
	rank := func(f apitypes.Feed) int {
		switch {
		case c.String("sort") == "name":
			return 0
		case f.State == "refused":
			return 0
		case isBroken(f):
			return 1
		case f.State == "connecting":
			return 2
		case f.State == "live":
			return 3
		}
		return 4
	}
	slices.SortStableFunc(feeds, func(x, y apitypes.Feed) int {
		if c.Bool("by-tag") {
			if n := strings.Compare(firstTag(x), firstTag(y)); n != 0 {
				return n
			}
		}
		return cmp.Compare(rank(x), rank(y))
	})
	return feeds
}

func firstTag(f apitypes.Feed) string {
	if len(f.Tags) == 0 {
		return "without a tag"
	}
	return f.Tags[0]
}

func printFeeds(w io.Writer, feeds []apitypes.Feed, found, all int, byTag bool) {
	const head = "FEED\tSTATE\tFOR\tSIZE\tRATE\tINCOMING\tVIEWERS\tAUDIENCE\tREASON"
	if !byTag && len(feeds) > 0 {
		fmt.Fprintln(w, head)
	}
	tag := ""
	for _, f := range feeds {
		if t := firstTag(f); byTag && t != tag {
			if tag != "" {
				fmt.Fprintln(w)
			}
			tag = t
			fmt.Fprintln(w, strings.ToUpper(t[:1])+t[1:])
			fmt.Fprintln(w, head)
		}
		row(w, f.Name, f.State, ago(f.Since), size(f.Width, f.Height), rate(f.FrameRate), bits(f.BitRate), f.Viewers, f.Audience.Who, f.Reason)
	}
	if len(feeds) < all {
		fmt.Fprintln(w)
		text := fmt.Sprintf("%d of %d feeds.", len(feeds), all)
		if len(feeds) < found {
			text = fmt.Sprintf("%d of %d that fit, of %d feeds; --skip %d shows what comes then.", len(feeds), found, all, len(feeds))
		}
		fmt.Fprintln(w, text)
	}
}
