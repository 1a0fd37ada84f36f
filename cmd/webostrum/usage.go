package main

import (
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
)

func (a *app) usage() *cli.Command {
	return &cli.Command{
		Name: "usage", Usage: "what viewers took: bytes, hours, most at once", OnUsageError: usageError,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "feed", Usage: "only this `FEED`"},
			&cli.StringFlag{Name: "from", Usage: "first `DAY`, in UTC, such as 2026-11-01; 30 days up to --to when left out"},
			&cli.StringFlag{Name: "to", Usage: "last `DAY`; today when left out"},
			&cli.BoolFlag{Name: "by-day", Usage: "a line for each day, feed and delivery"},
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Usage: "table, json or csv", Value: "table", Validator: oneOfOutputs("table", "json", "csv")},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			if name := c.Args().First(); name != "" {
				return usagef("\"usage %s\" is no command; \"webostrum usage --help\" lists what there is", name)
			}
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			feed, from, to := c.String("feed"), c.String("from"), c.String("to")
			if c.String("output") == "csv" {
				table, err := cl.UsageTable(ctx, feed, from, to)
				if err == nil {
					_, err = a.out.Write(table)
				}
				return err
			}
			u, err := cl.Usage(ctx, feed, from, to)
			if err != nil {
				return err
			}
			return a.show(c, u, func(w io.Writer) { printUsage(w, u, c.Bool("by-day")) })
		},
		Commands: []*cli.Command{{
			Name: "allowance", Usage: "set what may be sent to viewers in a month: usage allowance 2T, or none", OnUsageError: usageError,
			Flags:     []cli.Flag{&cli.BoolFlag{Name: "stop", Usage: "let no new viewers in beyond it, but those who have signed in or have a link"}},
			Arguments: []cli.Argument{&cli.StringArg{Name: "bytes", UsageText: "BYTES"}},
			Action: func(ctx context.Context, c *cli.Command) error {
				n, err := parseBytes(c.StringArg("bytes"))
				if err != nil {
					return err
				}
				cl, err := a.service(c)
				if err != nil {
					return err
				}
				l, err := cl.SetAllowance(ctx, apitypes.UsageLimit{Bytes: n, Stop: c.Bool("stop")})
				if err != nil {
					return err
				}
				fmt.Fprintln(a.out, allowanceText(l))
				return nil
			},
		}},
	}
}

func oneOfOutputs(list ...string) func(string) error {
	return func(v string) error {
		for _, x := range list {
			if v == x {
				return nil
			}
		}
		return fmt.Errorf("the output is one of %s", strings.Join(list, ", "))
	}
}

func printUsage(w io.Writer, u apitypes.Usage, byDay bool) {
	if byDay {
		row(w, "DAY", "FEED", "DELIVERY", "SENT", "VIEWER HOURS", "MOST AT ONCE")
		for _, r := range u.Rows {
			row(w, r.Day, r.Feed, r.Delivery, sized(r.Bytes), fmt.Sprintf("%.1f", r.Hours), r.Most)
		}
	} else {
		row(w, "FEED", "SENT", "VIEWER HOURS", "MOST AT ONCE")
		for _, t := range u.Totals {
			row(w, t.Feed, sized(t.Bytes), fmt.Sprintf("%.1f", t.Hours), t.Most)
		}
	}
	fmt.Fprintln(w)
	row(w, fmt.Sprintf("From %s to %s: %s, %.1f viewer hours.", u.From, u.To, sized(u.Bytes), u.Hours))
	row(w, fmt.Sprintf("This month: %s. %s", sized(u.Month), allowanceText(u.Allowance)))
}

func allowanceText(l apitypes.UsageLimit) string {
	switch {
	case l.Bytes == 0:
		return "There is no allowance."
	case l.Stop:
		return fmt.Sprintf("The allowance is %s; beyond it no new viewers are let in, but those who have signed in or have a link.", sized(l.Bytes))
	}
	return fmt.Sprintf("The allowance is %s; beyond it there is a warning.", sized(l.Bytes))
}

var sizes = []struct {
	unit string
	of   float64
}{{"TB", 1e12}, {"GB", 1e9}, {"MB", 1e6}, {"kB", 1e3}}

// sized writes bytes as providers count them.
func sized(n int64) string {
	for _, s := range sizes {
		if float64(n) >= s.of {
			return fmt.Sprintf("%.2f %s", float64(n)/s.of, s.unit)
		}
	}
	return fmt.Sprintf("%d B", n)
}

// parseBytes reads bytes such as 2T, 500G or none.
func parseBytes(text string) (int64, error) {
	wrong := usagef("%q is no amount: write it like 2T, 500G or 1.5TB, or none", text)
	t := strings.TrimSuffix(strings.ToUpper(strings.ReplaceAll(text, " ", "")), "B")
	switch t {
	case "":
		return 0, wrong
	case "NONE", "0":
		return 0, nil
	}
	of := 1.0
	for _, s := range sizes {
		if rest, ok := strings.CutSuffix(t, strings.ToUpper(s.unit[:1])); ok {
			t, of = rest, s.of
			break
		}
	}
	n, err := strconv.ParseFloat(t, 64)
	if err != nil || !(n > 0 && n*of < 1e18) {
		return 0, wrong
	}
	return int64(n * of), nil
}
