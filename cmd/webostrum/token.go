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

func (a *app) token() *cli.Command {
	return &cli.Command{
		Name: "token", Usage: "tokens that programs sign in with: add, list, end", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "make a token: token add --scope SCOPE NAME", Arguments: nameArg(), OnUsageError: usageError,
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "scope", Usage: "read (see everything), manage (change everything), media (of --feeds), metrics"},
					&cli.StringSliceFlag{Name: "feeds", Usage: "`FEEDS` whose media it opens, a,b"},
					&cli.StringFlag{Name: "ends", Usage: "`TIME` when it ends, such as 2027-05-01"},
					&cli.StringFlag{Name: "for", Usage: "`TIME` after which it ends, such as 12h or 90d"},
					outputFlag(),
				},
				Action: a.addToken,
			},
			{Name: "list", Usage: "all tokens for programs", Flags: []cli.Flag{outputFlag()}, OnUsageError: usageError, Action: a.listTokens},
			a.endByID("end", "end a token", "Token %d opens nothing any more.\n", (*client.Client).EndToken),
		},
	}
}

func (a *app) addToken(ctx context.Context, c *cli.Command) error {
	name := c.StringArg("name")
	switch {
	case name == "":
		return usagef("a token needs a name that says what it is for: webostrum token add --scope metrics dashboards")
	case c.String("scope") == "":
		return usagef("what is it for? --scope read, manage, media or metrics")
	}
	ends, err := linkEnd(c, time.Now())
	if err != nil {
		return err
	}
	cl, err := a.service(c)
	if err != nil {
		return err
	}
	t, err := cl.AddToken(ctx, apitypes.NewToken{Name: name, Scope: c.String("scope"), Feeds: listed(c, "feeds"), Ends: ends})
	if err != nil {
		return err
	}
	return a.show(c, t, func(w io.Writer) {
		row(w, fmt.Sprintf("Token %d, %s, is for %s. Its text is shown only now:", t.ID, t.Name, t.Scope))
		row(w, "  "+t.Text)
		row(w, "Programs send it as: Authorization: Bearer "+t.Text)
	})
}

func (a *app) listTokens(ctx context.Context, c *cli.Command) error {
	cl, err := a.service(c)
	if err != nil {
		return err
	}
	list, err := cl.Tokens(ctx)
	if err != nil {
		return err
	}
	return a.show(c, list, func(w io.Writer) {
		if len(list) == 0 {
			row(w, "None. \"webostrum token add\" makes one.")
			return
		}
		row(w, "ID", "TOKEN", "SCOPE", "FEEDS", "ACCOUNT", "ENDS", "USED")
		for _, t := range list {
			ends := "never"
			if t.Ends != nil {
				ends = isoTime(*t.Ends)
			}
			row(w, t.ID, t.Name, t.Scope, firstOf(strings.Join(t.Feeds, ", "), "-"), t.Account, ends, usedAgo(t.Used))
		}
	})
}

func (a *app) session() *cli.Command {
	return &cli.Command{
		Name: "session", Usage: "browsers that are signed in: list, end", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "all browsers that are signed in", Flags: []cli.Flag{outputFlag()}, OnUsageError: usageError,
				Action: func(ctx context.Context, c *cli.Command) error {
					cl, err := a.service(c)
					if err != nil {
						return err
					}
					list, err := cl.Sessions(ctx)
					if err != nil {
						return err
					}
					return a.show(c, list, func(w io.Writer) {
						if len(list) == 0 {
							row(w, "None.")
							return
						}
						row(w, "ID", "ACCOUNT", "FROM", "SINCE", "USED", "BROWSER")
						for _, s := range list {
							row(w, s.ID, s.Account, s.Address, isoTime(s.Created), usedAgo(s.Used), s.Browser)
						}
					})
				},
			},
			a.endByID("end", "sign a browser out", "Session %d is signed out.\n", (*client.Client).EndSession),
		},
	}
}

// endByID describes a command that ends something by its number.
func (a *app) endByID(verb, usage, done string, end func(*client.Client, context.Context, int64) error) *cli.Command {
	return &cli.Command{
		Name: verb, Usage: usage + ": give its ID, as list shows it", Arguments: []cli.Argument{&cli.StringArg{Name: "id", UsageText: "ID"}}, OnUsageError: usageError,
		Action: func(ctx context.Context, c *cli.Command) error {
			id, err := strconv.ParseInt(c.StringArg("id"), 10, 64)
			if err != nil || id < 1 {
				return usagef("%q is no ID: give the number that list shows", c.StringArg("id"))
			}
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			if err := end(cl, ctx, id); err != nil {
				return err
			}
			fmt.Fprintf(a.out, done, id)
			return nil
		},
	}
}
