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

func (a *app) morning() *cli.Command {
	return &cli.Command{
		Name: "morning", Usage: "what happened overnight, and what is still wrong", OnUsageError: usageError,
		Flags: []cli.Flag{&cli.StringFlag{Name: "since", Usage: "from this `TIME` on, such as 2026-11-26T18:00 or 12h; from 18:00 of the evening before when left out"}, outputFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			since, err := timeFlag(c, "since", time.Now())
			if err != nil {
				return err
			}
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			m, err := cl.Morning(ctx, since)
			if err != nil {
				return err
			}
			if c.String("output") == "json" {
				return a.show(c, m, nil)
			}
			a.printMorning(m)
			return nil
		},
	}
}

func (a *app) printMorning(m apitypes.Morning) {
	fmt.Fprintln(a.out, m.Headline)
	a.morningItems("Still wrong", m.Wrong)
	a.morningItems("Was wrong, and is over", m.Was)
	a.morningItems("Had poor pictures", m.Poor)
	if len(m.Service) > 0 {
		fmt.Fprintln(a.out, "\nThe service itself")
		for _, e := range m.Service {
			fmt.Fprintf(a.out, "  %s  %s\n", e.At.Local().Format("Mon 15:04"), e.Text)
		}
	}
	rest := []string{}
	for text, n := range map[string]int{"live all the time": m.Quiet, "switched off": m.Off, "idle, since nobody needs them": m.Idle, "waiting for somebody to send": m.Waiting} {
		if n > 0 {
			rest = append(rest, fmt.Sprintf("%d %s", n, text))
		}
	}
	if len(rest) > 0 {
		begins := "Of all feeds"
		if len(m.Wrong)+len(m.Was)+len(m.Poor) > 0 {
			begins = "Of the others"
		}
		fmt.Fprintf(a.out, "\n%s: %s.\n", begins, strings.Join(slices.Sorted(slices.Values(rest)), ", "))
	}
}

const fewNames = 6 // of feeds that are named in a line

func (a *app) morningItems(title string, items []apitypes.MorningItem) {
	if len(items) == 0 {
		return
	}
	fmt.Fprintf(a.out, "\n%s\n", title)
	for _, i := range items {
		names := strings.Join(i.Feeds, ", ")
		if len(i.Feeds) > fewNames {
			names = fmt.Sprintf("%s and %d more", strings.Join(i.Feeds[:fewNames], ", "), len(i.Feeds)-fewNames)
		}
		fmt.Fprintln(a.out, wrap(names+" "+i.Text, "  "))
		if i.Remedy != "" {
			fmt.Fprintln(a.out, wrap(i.Remedy, "      "))
		}
	}
}

func (a *app) feedAvailability() *cli.Command {
	return &cli.Command{
		Name: "availability", Usage: "how a feed was: 24 hours, 30 days, outages", Flags: []cli.Flag{outputFlag()}, Arguments: nameArg(), OnUsageError: usageError,
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			v, err := cl.Availability(ctx, name)
			if err != nil {
				return err
			}
			return a.show(c, v, func(w io.Writer) {
				row(w, "now", strings.TrimSuffix(v.Now+": "+v.Why, ": "))
				row(w, "24 hours", percent(v.DayUp), strip(v.Day, hourCells))
				row(w, "30 days", percent(v.MonthUp), strip(v.Month, dayCells))
				row(w, "", "", "█ live  ▓ poor  ░ down  · not wanted  (blank) not known")
				fmt.Fprintln(w)
				if len(v.Outages) == 0 {
					row(w, "No outages in 30 days.")
					return
				}
				row(w, "OUTAGE FROM", "LASTED", "REASON")
				for _, o := range v.Outages {
					lasted := (time.Duration(o.Seconds) * time.Second).String()
					if !o.Over {
						lasted += ", goes on"
					}
					row(w, isoTime(o.Began), lasted, o.Reason)
				}
			})
		}),
	}
}

func percent(v *float64) string {
	if v == nil {
		return "-"
	}
	return fmt.Sprintf("%.2f %%", *v)
}

// How many cells of a strip are one letter in a terminal.
const (
	hourCells = 6  // of five minutes: half an hour
	dayCells  = 24 // of an hour: a day
)

// strip draws a strip, the worst of so many cells as one letter.
func strip(s apitypes.Strip, together int) string {
	worst := "dglwo." // the worst first
	marks := map[byte]string{'d': "░", 'g': "▓", 'l': "█", 'w': "·", 'o': "·", '.': " "}
	var b strings.Builder
	for i := 0; i < len(s.Cells); i += together {
		part := s.Cells[i:min(i+together, len(s.Cells))]
		for _, letter := range []byte(worst) {
			if strings.IndexByte(part, letter) >= 0 {
				b.WriteString(marks[letter])
				break
			}
		}
	}
	return b.String()
}
