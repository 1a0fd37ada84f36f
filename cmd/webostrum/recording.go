package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/service"
)

// recordingFlags say where the service keeps recordings.
func (a *app) recordingFlags() []cli.Flag {
	isBytes := func(text string) error { _, err := parseBytes(text); return err }
	return []cli.Flag{
		&cli.StringFlag{Name: "recordings-folder", Usage: "`FOLDER` for recordings (default: recordings in the data folder)", Sources: a.from("recordings-folder")},
		&cli.StringFlag{Name: "outlet-folder", Usage: "`FOLDER` that feeds' files for a web server of your own are put below; none may be without", Sources: a.from("outlet-folder")},
		&cli.StringFlag{Name: "recordings-copy", Usage: "object store that finished files of recordings are copied to, `s3+https://HOST/BUCKET/PREFIX`; none are without", Sources: a.from("recordings-copy")},
		&cli.StringFlag{Name: "recordings-copy-key", Usage: "access `KEY` of it", Sources: a.from("recordings-copy-key")},
		&cli.StringFlag{Name: "recordings-copy-secret-file", Usage: "`FILE` with the secret key of it", Sources: a.from("recordings-copy-secret-file")},
		&cli.FloatFlag{Name: "recordings-copy-days", Usage: "`DAYS` that recordings are kept there which are on the disk no longer; 0 is as long as the store keeps them", Validator: notNegative, Sources: a.from("recordings-copy-days")},
		&cli.StringFlag{Name: "recordings-most", Usage: "`BYTES` that all recordings may take, such as 500G; the oldest are removed", Value: "none", Validator: isBytes, Sources: a.from("recordings-most")},
		&cli.StringFlag{Name: "recordings-spare", Usage: "`BYTES` that are to stay free on their disk; the oldest are removed", Value: "2G", Validator: isBytes, Sources: a.from("recordings-spare")},
	}
}

func notNegative(days float64) error {
	if days < 0 {
		return errors.New("days are 0 or more")
	}
	return nil
}

func recordingsOf(c *cli.Command) (r service.Recordings, err error) {
	if r.Folder = c.String("recordings-folder"); r.Folder != "" {
		if r.Folder, err = filepath.Abs(r.Folder); err != nil {
			return r, err
		}
	}
	r.Copies.To, r.Copies.AccessKey = c.String("recordings-copy"), c.String("recordings-copy-key")
	r.Copies.Days = c.Float("recordings-copy-days")
	if file := c.String("recordings-copy-secret-file"); file != "" {
		secret, err := os.ReadFile(file)
		if err != nil {
			return r, usagef("the secret key cannot be read: %v", err)
		}
		r.Copies.SecretKey = strings.TrimSpace(string(secret))
	}
	if r.Most, err = parseBytes(c.String("recordings-most")); err != nil {
		return r, err
	}
	r.Free, err = parseBytes(c.String("recordings-spare"))
	return r, err
}

func (a *app) recording() *cli.Command {
	return &cli.Command{
		Name: "recording", Usage: "what was recorded: list, show, export, keep, remove; start and stop", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "how much there is of each feed, and how much room", OnUsageError: usageError, Flags: []cli.Flag{outputFlag()},
				Action: func(ctx context.Context, c *cli.Command) error {
					cl, err := a.service(c)
					if err != nil {
						return err
					}
					r, err := cl.RecordingRoom(ctx)
					if err != nil {
						return err
					}
					return a.show(c, r, func(w io.Writer) { printRoom(w, r) })
				},
			},
			{
				Name: "show", Usage: "what there is of a feed, from when to when", OnUsageError: usageError, Flags: append(spanFlags("the last 24 hours"), outputFlag()), Arguments: feedArgument(),
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					from, to, err := spanOf(c, time.Now(), false)
					if err != nil {
						return err
					}
					r, err := cl.Recordings(ctx, feed, from, to)
					if err != nil {
						return err
					}
					return a.show(c, r, func(w io.Writer) { printRecordings(w, r) })
				}),
			},
			{
				Name: "export", Usage: "write what was recorded between two times as MP4", OnUsageError: usageError, Arguments: feedArgument(),
				Flags: append(spanFlags(""), &cli.StringFlag{Name: "to-file", Aliases: []string{"f"}, Usage: "`FILE` to write; - for standard output (default: FEED-BEGINNING.mp4)"},
					&cli.BoolFlag{Name: "exact", Usage: "begin at the very time, by an edit list; otherwise with the keyframe before it"}),
				Action: a.ofFeed(a.exportRecording),
			},
			{
				Name: "keep", Usage: "mark what was recorded between two times as to be kept", OnUsageError: usageError, Arguments: feedArgument(),
				Flags: append(spanFlags(""), &cli.BoolFlag{Name: "no-longer", Usage: "take the mark away"}),
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					from, to, err := spanOf(c, time.Now(), true)
					if err != nil {
						return err
					}
					r, err := cl.KeepRecordings(ctx, feed, apitypes.KeepRecordings{From: from, To: to, Keep: !c.Bool("no-longer")})
					if err == nil {
						fmt.Fprintf(a.out, "%s marked anew. What is being written now can be marked once its file is finished.\n", counted(r.Files, "file"))
					}
					return err
				}),
			},
			{
				Name: "remove", Usage: "remove what lies wholly between two times and is not marked", OnUsageError: usageError, Arguments: feedArgument(), Flags: spanFlags(""),
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					from, to, err := spanOf(c, time.Now(), true)
					if err != nil {
						return err
					}
					r, err := cl.RemoveRecordings(ctx, feed, from, to)
					if err == nil {
						fmt.Fprintf(a.out, "%s removed, %s.\n", counted(r.Files, "file"), sized(r.Bytes))
					}
					return err
				}),
			},
			{
				Name: "start", Usage: "record a feed now", OnUsageError: usageError, Arguments: feedArgument(),
				Flags: []cli.Flag{&cli.DurationFlag{Name: "for", Usage: "`TIME` until it ends by itself, such as 30m; until \"recording stop\" when left out"}},
				Action: a.ofFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					_, err := cl.StartRecording(ctx, feed, c.Duration("for").Minutes())
					if err == nil {
						fmt.Fprintf(a.out, "%s is recorded.\n", feed)
					}
					return err
				}),
			},
			{
				Name: "stop", Usage: "end what \"recording start\" began", OnUsageError: usageError, Arguments: feedArgument(),
				Action: a.ofFeed(func(ctx context.Context, _ *cli.Command, cl *client.Client, feed string) error {
					s, err := cl.StopRecording(ctx, feed)
					if err == nil && (s.Why == "always" || s.Why == "timetable") {
						fmt.Fprintf(a.out, "%s goes on being recorded, as its settings say (%s).\n", feed, s.Why)
					}
					return err
				}),
			},
		},
	}
}

func feedArgument() []cli.Argument {
	return []cli.Argument{&cli.StringArg{Name: "feed", UsageText: "FEED"}}
}

// ofFeed makes an action of one that needs a feed and the service.
func (a *app) ofFeed(do func(context.Context, *cli.Command, *client.Client, string) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		feed := c.StringArg("feed")
		if feed == "" {
			return usagef("which feed? Write \"%s FEED\"", c.FullName())
		}
		cl, err := a.service(c)
		if err != nil {
			return err
		}
		return do(ctx, c, cl, feed)
	}
}

func spanFlags(standard string) []cli.Flag {
	from, to := "", ""
	if standard != "" {
		from, to = " (default: "+standard+")", " (default: now)"
	}
	return []cli.Flag{
		&cli.StringFlag{Name: "from", Usage: "`TIME` such as 2026-11-26T08:00:00Z, 08:00 of today, or 2h ago as 2h" + from},
		&cli.StringFlag{Name: "to", Usage: "`TIME`, likewise" + to},
	}
}

// spanOf reads --from and --to; needed says that a beginning is.
func spanOf(c *cli.Command, now time.Time, needed bool) (from, to time.Time, err error) {
	if needed && c.String("from") == "" {
		return from, to, usagef("from when? Write --from 08:00 or --from 2h")
	}
	if from, err = timeFlag(c, "from", now); err != nil {
		return from, to, err
	}
	if to, err = timeFlag(c, "to", now); err != nil {
		return from, to, err
	}
	if to.IsZero() && needed {
		to = now
	}
	return from, to, nil
}

// exportRecording writes a file for each stretch that is coded in the same way.
func (a *app) exportRecording(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
	from, to, err := spanOf(c, time.Now(), true)
	if err != nil {
		return err
	}
	name := c.String("to-file")
	if name == "-" {
		_, err := cl.ExportRecording(ctx, a.out, feed, from, to, c.Bool("exact"))
		return err
	}
	r, err := cl.Recordings(ctx, feed, from, to)
	if err != nil {
		return err
	}
	if name == "" {
		name = feed + "-" + from.UTC().Format("20060102T150405Z") + ".mp4"
	}
	parts := alike(r.Spans, from, to)
	for i, p := range parts {
		path := name
		if i > 0 {
			path = strings.TrimSuffix(name, filepath.Ext(name)) + fmt.Sprintf("-%d", i+1) + filepath.Ext(name)
		}
		if err := a.exportFile(ctx, c, cl, feed, p, path); err != nil {
			return err
		}
	}
	if len(parts) > 1 {
		fmt.Fprintf(a.out, "The camera sent in different ways in that time, so it is %d files.\n", len(parts))
	}
	return nil
}

// part is a time in which a feed was coded in one way.
type part struct{ from, to time.Time }

// alike parts a time where what was recorded is coded otherwise; one part where nothing was.
func alike(spans []apitypes.RecordedSpan, from, to time.Time) []part {
	parts := []part{{from, to}}
	for i := 1; i < len(spans); i++ {
		a, b := spans[i-1], spans[i]
		if a.Width != b.Width || a.Height != b.Height || a.Codec != b.Codec || a.Audio != b.Audio {
			parts[len(parts)-1].to = a.Ends
			parts = append(parts, part{b.Begins, to})
		}
	}
	return parts
}

func (a *app) exportFile(ctx context.Context, c *cli.Command, cl *client.Client, feed string, p part, path string) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, os.ErrExist) {
		return usagef("%s is there already: choose another file by --to-file", path)
	}
	if err != nil {
		return err
	}
	e, err := cl.ExportRecording(ctx, f, feed, p.from, p.to, c.Bool("exact"))
	if err = errors.Join(err, f.Close()); err != nil {
		_ = os.Remove(path)
		return err
	}
	cut := "It begins with the keyframe before the time that was asked for."
	if c.Bool("exact") {
		cut = "Players that keep to edit lists begin at the time that was asked for."
	}
	fmt.Fprintf(a.out, "%s: %s to %s, %s. %s\n", path, clockText(e.Begins), clockText(e.Ends), sized(e.Bytes), cut)
	if e.Gaps != "0" && e.Gaps != "" {
		if e.Gaps == "1" {
			fmt.Fprintln(a.out, "1 gap, of which nothing was recorded, is left out.")
		} else {
			fmt.Fprintf(a.out, "%s gaps, of which nothing was recorded, are left out.\n", e.Gaps)
		}
	}
	return nil
}

func clockText(t time.Time) string { return t.Local().Format("2006-01-02 15:04:05") }

func printRoom(w io.Writer, r apitypes.RecordingRoom) {
	if len(r.Feeds) > 0 {
		row(w, "FEED", "RECORDED NOW", "FROM", "TO", "FILES", "SIZE", "IN THE STORE ALONE")
	}
	for _, f := range r.Feeds {
		row(w, feedText(f), recordedNow(f.State), timeOr(f.Oldest), timeOr(f.Newest), f.Files, sized(f.Bytes), sized(f.Away))
	}
	if len(r.Feeds) == 0 {
		row(w, "Nothing was recorded yet: \"webostrum recording start FEED\", or \"webostrum feed edit FEED --record always\".")
	}
	fmt.Fprintln(w)
	if r.Problem != "" {
		row(w, r.Problem+" "+r.Remedy)
		return
	}
	row(w, fmt.Sprintf("%s in %s, of which %s are marked to be kept. %s of %s are free.", sized(r.Bytes), r.Folder, sized(r.Kept), sized(r.Free), sized(r.Disk)))
	if x := r.Copies; x != nil {
		row(w, strings.TrimSpace(fmt.Sprintf("Copied to %s; %s wait. %s (%s) are there alone, and play from there. %s %s", x.To, counted(x.Waiting, "file"), counted(x.Files, "file"), sized(x.Bytes), x.Problem, x.Remedy)))
	}
	limit := "They may take as much as there is room for"
	if r.Most > 0 {
		limit = fmt.Sprintf("They may take %s", sized(r.Most))
	}
	row(w, fmt.Sprintf("%s; %s are to stay free. The oldest are removed first.", limit, sized(r.Spare)))
}

func feedText(f apitypes.RecordedFeed) string {
	if f.Gone {
		return f.Feed + " (removed)"
	}
	return f.Feed
}

func recordedNow(s apitypes.RecordingState) string {
	switch {
	case s.Problem != "":
		return "no: " + s.Problem
	case s.Recording:
		return "yes, " + map[string]string{"always": "always", "timetable": "by its timetable", "hand": "by hand", "motion": "something moves"}[s.Why]
	}
	return "no"
}

// where says where a stretch is.
func where(s apitypes.RecordedSpan) string {
	if s.Away {
		return "object store"
	}
	return "disk"
}

func timeOr(t *time.Time) string {
	if t == nil {
		return "-"
	}
	return clockText(*t)
}

func printRecordings(w io.Writer, r apitypes.Recordings) {
	if len(r.Spans) > 0 {
		row(w, "FROM", "TO", "LENGTH", "SIZE", "PICTURE", "SOUND", "WHY", "KEEP", "WHERE")
	}
	for _, s := range r.Spans {
		row(w, clockText(s.Begins), clockText(s.Ends), s.Ends.Sub(s.Begins).Round(time.Second), sized(s.Bytes), fmt.Sprintf("%dx%d %s", s.Width, s.Height, s.Codec), yesNo(s.Audio), s.Why, yesNo(s.Keep), where(s))
	}
	if len(r.Spans) == 0 {
		row(w, "Nothing was recorded in that time.")
	}
	fmt.Fprintln(w)
	row(w, fmt.Sprintf("Recorded now: %s. In all %s in %s, from %s to %s.", recordedNow(r.State), sized(r.Bytes), counted(r.Files, "file"), timeOr(r.Oldest), timeOr(r.Newest)))
	if r.More {
		row(w, "There is more: ask for a shorter time.")
	}
}
