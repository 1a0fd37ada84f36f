package main

import (
	"context"
	"crypto/rand"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
)

func (a *app) account() *cli.Command {
	flags := []cli.Flag{
		&cli.StringFlag{Name: "password", Usage: "its `PASSWORD`; one is made and shown when left out", Sources: cli.EnvVars("WEBOSTRUM_ACCOUNT_PASSWORD")},
		&cli.BoolFlag{Name: "password-stdin", Usage: "read the password from standard input"},
	}
	return &cli.Command{
		Name: "account", Usage: "who may sign in: add, list, password, remove", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "add an account: account add NAME", Arguments: nameArg(), OnUsageError: usageError,
				Flags: append(flags, &cli.StringFlag{Name: "role", Usage: "viewer, who sees, or engineer, who changes too", Value: "viewer"}),
				Action: a.withAccount(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
					secret, made, err := newPassword(c)
					if err != nil {
						return err
					}
					acc, err := cl.AddAccount(ctx, apitypes.NewAccount{Name: name, Role: c.String("role"), Password: secret})
					if err != nil {
						return err
					}
					fmt.Fprintf(a.out, "%s is added, as %s.\n", acc.Name, acc.Role)
					a.showPassword(secret, made)
					return nil
				}),
			},
			{
				Name: "password", Usage: "give an account another password", Arguments: nameArg(), OnUsageError: usageError, Flags: flags,
				Action: a.withAccount(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
					secret, made, err := newPassword(c)
					if err != nil {
						return err
					}
					if err := cl.SetPassword(ctx, name, secret); err != nil {
						return err
					}
					fmt.Fprintf(a.out, "%s has another password, and is signed out everywhere.\n", name)
					a.showPassword(secret, made)
					return nil
				}),
			},
			{
				Name: "remove", Usage: "remove an account", Arguments: nameArg(), OnUsageError: usageError,
				Action: a.withAccount(func(ctx context.Context, _ *cli.Command, cl *client.Client, name string) error {
					if err := cl.RemoveAccount(ctx, name); err != nil {
						return err
					}
					fmt.Fprintf(a.out, "%s is removed.\n", name)
					return nil
				}),
			},
			{Name: "list", Usage: "all accounts", Flags: []cli.Flag{outputFlag()}, OnUsageError: usageError, Action: a.listAccounts},
		},
	}
}

// withAccount is withFeed for the name of an account.
func (a *app) withAccount(action func(context.Context, *cli.Command, *client.Client, string) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		if c.StringArg("name") == "" {
			return usagef("which account? Give its name; \"webostrum account list\" shows them")
		}
		return a.withFeed(action)(ctx, c)
	}
}

// newPassword returns the password that was given, or makes one.
func newPassword(c *cli.Command) (secret string, made bool, err error) {
	secret, err = password(c)
	if secret != "" || err != nil {
		return secret, false, err
	}
	const length = 16 // letters of base 32: 80 bits
	return strings.ToLower(rand.Text()[:length]), true, nil
}

func (a *app) showPassword(secret string, made bool) {
	if made {
		fmt.Fprintf(a.out, "Its password is shown only now: %s\n", secret)
	}
}

func (a *app) listAccounts(ctx context.Context, c *cli.Command) error {
	cl, err := a.service(c)
	if err != nil {
		return err
	}
	list, err := cl.Accounts(ctx)
	if err != nil {
		return err
	}
	return a.show(c, list, func(w io.Writer) {
		row(w, "ACCOUNT", "ROLE", "SINCE")
		for _, acc := range list {
			row(w, acc.Name, acc.Role, isoTime(acc.Created))
		}
	})
}

func (a *app) link() *cli.Command {
	return &cli.Command{
		Name: "link", Usage: "links that open one feed to whoever has them: add, list, remove", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "make a link: link add FEED NAME", Arguments: partArgs("NAME"), OnUsageError: usageError, Flags: []cli.Flag{outputFlag()},
				Action: a.withPart("name", func(ctx context.Context, c *cli.Command, cl *client.Client, feed, name string) error {
					l, err := cl.AddLink(ctx, feed, name)
					if err != nil {
						return err
					}
					return a.show(c, l, func(w io.Writer) {
						row(w, "These addresses are shown only now; whoever has one can watch "+feed+":")
						for _, way := range []string{"mjpeg", "still.jpg", "hls/index.m3u8"} {
							row(w, "  "+cl.Base()+l.Path+way)
						}
					})
				}),
			},
			{
				Name: "list", Usage: "the links of a feed", Arguments: nameArg(), OnUsageError: usageError, Flags: []cli.Flag{outputFlag()},
				Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, feed string) error {
					list, err := cl.Links(ctx, feed)
					if err != nil {
						return err
					}
					return a.show(c, list, func(w io.Writer) {
						row(w, "LINK", "SINCE")
						for _, l := range list {
							row(w, l.Name, isoTime(l.Created))
						}
					})
				}),
			},
			a.partRemove("end a link", "Link %s of %s opens nothing any more.", (*client.Client).RemoveLink),
		},
	}
}
