package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/wait"
)

const filmPoll = 300 * time.Millisecond

func (a *app) film() *cli.Command {
	return &cli.Command{
		Name: "film", Usage: "films of stills or recordings: make, list, remove", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "make", Usage: "make a film: film make FEED --of SCHEDULE --from 24h --seconds 60", OnUsageError: usageError, Arguments: feedArgument(),
				Flags: append(spanFlags(""),
					&cli.StringFlag{Name: "of", Usage: "`SCHEDULE` whose stills are shown, or recording", Value: "recording"},
					&cli.FloatFlag{Name: "seconds", Usage: "`SECONDS` that it is to be long (default: 25 pictures a second)", HideDefault: true},
					&cli.StringFlag{Name: "format", Usage: "mp4 or webm", Value: "mp4"},
					&cli.StringFlag{Name: "size", Usage: "`SIZE` such as 1280x (default: that of the first picture)"},
					&cli.BoolFlag{Name: "even", Usage: "even out brightness that goes up and down"},
					&cli.BoolFlag{Name: "remove-stills", Usage: "remove the stills afterwards"},
					&cli.BoolFlag{Name: "no-wait", Usage: "do not wait until it is made"}),
				Action: a.ofFeed(a.makeFilm),
			},
			{
				Name: "list", Usage: "a feed's films, and those in the making", OnUsageError: usageError, Arguments: feedArgument(), Flags: []cli.Flag{outputFlag()},
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					l, err := cl.Films(ctx, feed)
					if err != nil {
						return err
					}
					return a.show(c, l, func(w io.Writer) { printFilms(w, cl.Base(), l) })
				}),
			},
			{
				Name: "remove", Usage: "remove a film, as \"film list\" calls it", OnUsageError: usageError,
				Arguments: append(feedArgument(), &cli.StringArg{Name: "of", UsageText: "OF"}, &cli.StringArg{Name: "file", UsageText: "FILE"}),
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					if c.StringArg("file") == "" {
						return usagef("which film? Write \"%s FEED OF FILE\", as \"webostrum film list %s\" calls them", c.FullName(), feed)
					}
					return cl.RemoveFilm(ctx, feed, c.StringArg("of"), c.StringArg("file"))
				}),
			},
			{
				Name: "cancel", Usage: "end making a film, by its number", OnUsageError: usageError, Arguments: append(feedArgument(), &cli.StringArg{Name: "number", UsageText: "NUMBER"}),
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					id, err := strconv.Atoi(c.StringArg("number"))
					if err != nil {
						return usagef("which film? \"webostrum film list %s\" has its number", feed)
					}
					return cl.CancelFilm(ctx, feed, id)
				}),
			},
		},
	}
}

func (a *app) makeFilm(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
	from, to, err := spanOf(c, time.Now(), true)
	if err != nil {
		return err
	}
	j, err := cl.MakeFilm(ctx, feed, apitypes.NewFilm{
		Source: c.String("of"), From: from, To: to, Seconds: c.Float("seconds"), Format: c.String("format"), Size: c.String("size"), Even: c.Bool("even"), Removes: c.Bool("remove-stills"),
	})
	if err != nil || c.Bool("no-wait") {
		return err
	}
	err = a.wait("The film is being made", func() error {
		for {
			l, err := cl.Films(ctx, feed)
			if err != nil {
				return err
			}
			for _, x := range l.Jobs {
				if x.ID == j.ID && x.Ended != nil {
					j = x
					return nil
				}
			}
			if !wait.For(ctx, filmPoll) {
				return ctx.Err()
			}
		}
	})
	switch {
	case err != nil:
		return err
	case j.Problem != "":
		return errors.New(j.Problem + "\n  " + j.Remedy)
	}
	fmt.Fprintf(a.out, "%d pictures: %s%s\n", j.Done, cl.Base(), j.Address)
	return nil
}

func printFilms(w io.Writer, base string, l apitypes.FilmList) {
	if len(l.Films) > 0 {
		row(w, "OF", "FROM", "TO", "SIZE", "FILE")
	}
	for _, f := range l.Films {
		row(w, f.Source, clockText(f.From), clockText(f.To), sized(f.Bytes), f.Name)
	}
	if len(l.Films) == 0 {
		row(w, "There are no films: \"webostrum film make FEED --from 1h --seconds 30\" makes one of what was recorded.")
	}
	if len(l.Films) > 0 {
		fmt.Fprintln(w)
		row(w, fmt.Sprintf("The newest of %s has a fixed address: %s%s", l.Films[0].Source, base, l.Films[0].Latest))
	}
	for _, j := range l.Jobs {
		if j.Ended == nil {
			row(w, fmt.Sprintf("Number %d, of %s, is being made: %d of %d pictures.", j.ID, j.Source, j.Done, j.All))
		}
	}
}
