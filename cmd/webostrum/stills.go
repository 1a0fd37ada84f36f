package main

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

// stills are the stills that are taken by schedules.
func (a *app) stills() *cli.Command {
	return &cli.Command{
		Name: "stills", Usage: "stills on a schedule: list, add, remove", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "a feed's schedules, what they have taken, and what comes next", OnUsageError: usageError, Arguments: feedArgument(), Flags: []cli.Flag{outputFlag()},
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					f, err := cl.Feed(ctx, feed)
					if err != nil {
						return err
					}
					l, err := cl.Stills(ctx, feed, "", time.Time{}, time.Time{})
					if err != nil {
						return err
					}
					return a.show(c, l, func(w io.Writer) { printSchedules(w, cl.Base(), f.Stills, l.Schedules) })
				}),
			},
			{
				Name: "add", Usage: "take stills of a feed: stills add FEED NAME --every 60", OnUsageError: usageError, Flags: scheduleFlags(),
				Arguments: append(feedArgument(), &cli.StringArg{Name: "name", UsageText: "NAME"}),
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					s, err := scheduleOf(c)
					if err != nil {
						return err
					}
					return changeSchedules(ctx, cl, feed, func(list []apitypes.StillSchedule) ([]apitypes.StillSchedule, error) {
						if slices.ContainsFunc(list, func(o apitypes.StillSchedule) bool { return o.Name == s.Name }) {
							return nil, usagef("%s has a schedule called %s already: choose another name, or remove that one", feed, s.Name)
						}
						return append(list, s), nil
					})
				}),
			},
			{
				Name: "remove", Usage: "take stills by a schedule no longer; what was taken stays", OnUsageError: usageError,
				Arguments: append(feedArgument(), &cli.StringArg{Name: "name", UsageText: "NAME"}),
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					name := c.StringArg("name")
					return changeSchedules(ctx, cl, feed, func(list []apitypes.StillSchedule) ([]apitypes.StillSchedule, error) {
						left := slices.DeleteFunc(slices.Clone(list), func(o apitypes.StillSchedule) bool { return o.Name == name })
						if len(left) == len(list) {
							return nil, usagef("%s has no schedule called %q: \"webostrum stills list %s\" lists them", feed, name, feed)
						}
						return left, nil
					})
				}),
			},
		},
	}
}

func changeSchedules(ctx context.Context, cl *client.Client, feed string, change func([]apitypes.StillSchedule) ([]apitypes.StillSchedule, error)) error {
	f, err := cl.Feed(ctx, feed)
	if err != nil {
		return err
	}
	list, err := change(f.Stills)
	if err != nil {
		return err
	}
	_, err = cl.EditFeed(ctx, feed, client.Patch{"stills": list})
	return err
}

func scheduleFlags() []cli.Flag {
	return []cli.Flag{
		&cli.FloatFlag{Name: "every", Usage: "`SECONDS` from one to the next, 1 to 86400"},
		&cli.StringSliceFlag{Name: "at", Usage: "or `TIMES` of day, 08:00,12:00"},
		&cli.StringFlag{Name: "zone", Usage: "time `ZONE` of those and of films, such as Europe/Zurich (default: the service's)"},
		&cli.StringFlag{Name: "sun", Usage: "only while the sun is up at `LATITUDE,LONGITUDE`, such as 47.05,8.3"},
		&cli.StringFlag{Name: "size", Usage: "`SIZE` such as 1280x or 1/2 (default: the camera's)"},
		&cli.IntFlag{Name: "quality", Usage: "JPEG quality, 1 to 100, of what is transcoded", HideDefault: true},
		&cli.StringFlag{Name: "text", Usage: "`TEXT` in the lower left corner; {date}, {time} and {place} stand for what they say"},
		&cli.StringSliceFlag{Name: "requests", Usage: "camera `REQUESTS` that are sent before each still, a,b"},
		&cli.FloatFlag{Name: "days", Usage: "`DAYS` that they are kept (default: for ever)", HideDefault: true},
		&cli.BoolFlag{Name: "show", Usage: "everybody who may watch the feed sees them and their films"},
		&cli.StringFlag{Name: "film", Usage: "make a film of each hour or day", Validator: oneOfOutputs("hour", "day", "none")},
		&cli.FloatFlag{Name: "film-seconds", Usage: "`SECONDS` that it is to be long (default: 25 stills a second)", HideDefault: true},
		&cli.StringFlag{Name: "film-format", Usage: "mp4 or webm", Value: "mp4"},
		&cli.BoolFlag{Name: "film-even", Usage: "even out brightness that goes up and down"},
		&cli.BoolFlag{Name: "film-removes", Usage: "remove its stills afterwards"},
		&cli.FloatFlag{Name: "film-days", Usage: "`DAYS` that films are kept (default: for ever)", HideDefault: true},
	}
}

func scheduleOf(c *cli.Command) (s apitypes.StillSchedule, err error) {
	s = apitypes.StillSchedule{
		Name: c.StringArg("name"), Seconds: c.Float("every"), At: listed(c, "at"), Zone: c.String("zone"), Size: c.String("size"), Quality: c.Int("quality"),
		Text: c.String("text"), Requests: listed(c, "requests"), Days: c.Float("days"), Show: c.Bool("show"), Film: c.String("film"),
		FilmSeconds: c.Float("film-seconds"), FilmFormat: c.String("film-format"), FilmEven: c.Bool("film-even"), FilmRemoves: c.Bool("film-removes"), FilmDays: c.Float("film-days"),
	}
	if s.Name == "" {
		return s, usagef("what is the schedule to be called? Write \"%s FEED NAME --every 60\"", c.FullName())
	}
	if text := c.String("sun"); text != "" {
		s.Sun = true
		if _, err := fmt.Sscanf(strings.ReplaceAll(text, " ", ""), "%g,%g", &s.Latitude, &s.Longitude); err != nil {
			return s, usagef("--sun %q: write latitude and longitude in degrees, such as 47.05,8.3", text)
		}
	}
	return s, nil
}

func printSchedules(w io.Writer, base string, settings []apitypes.StillSchedule, list []apitypes.ScheduleState) {
	if len(list) == 0 {
		row(w, "There are no schedules: \"webostrum stills add FEED NAME --every 60\" takes a still a minute.")
		return
	}
	row(w, "NAME", "WHEN", "NEXT", "FROM", "TO", "FILES", "SIZE", "FILM")
	for _, s := range list {
		when, film := "", "-"
		if i := slices.IndexFunc(settings, func(o apitypes.StillSchedule) bool { return o.Name == s.Name }); i >= 0 {
			when, film = whenText(settings[i]), filmText(settings[i])
		}
		row(w, s.Name, when, timeOr(s.Next), timeOr(s.Oldest), timeOr(s.Newest), s.Files, sized(s.Bytes), film)
	}
	fmt.Fprintln(w)
	for _, s := range list {
		row(w, fmt.Sprintf("The newest of %s: %s%s", s.Name, base, s.Latest))
		if s.Problem != "" {
			row(w, fmt.Sprintf("%s: %s %s", s.Name, s.Problem, s.Remedy))
		}
	}
}

func whenText(s apitypes.StillSchedule) string {
	text := "at " + strings.Join(s.At, ", ")
	if s.Seconds > 0 {
		text = fmt.Sprintf("every %g s", s.Seconds)
	}
	if s.Sun {
		text += ", by daylight"
	}
	return text
}

func filmText(s apitypes.StillSchedule) string {
	if s.Film == "" || s.Film == "none" {
		return "-"
	}
	return "of each " + s.Film
}
