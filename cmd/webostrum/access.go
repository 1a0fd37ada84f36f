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
		Name: "account", Usage: "who may sign in: add, list, password, role, second-factor, remove", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "add an account: account add NAME", Arguments: nameArg(), OnUsageError: usageError,
				Flags: append(flags,
					&cli.StringFlag{Name: "role", Usage: "viewer sees the feeds that are theirs, engineer changes everything, panel opens media by Basic or Digest", Value: "viewer"},
					&cli.StringSliceFlag{Name: "feeds", Usage: "`FEEDS` that shall name it, a,b; a panel opens these alone"}),
				Action: a.withAccount(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
					secret, made, err := newPassword(c)
					if err != nil {
						return err
					}
					acc, err := cl.AddAccount(ctx, apitypes.NewAccount{Name: name, Role: c.String("role"), Password: secret, Feeds: listed(c, "feeds")})
					if err != nil {
						return err
					}
					fmt.Fprintf(a.out, "%s is added, as %s.\n", acc.Name, acc.Role)
					if acc.Role == "panel" && len(acc.Feeds) == 0 {
						fmt.Fprintf(a.out, "It opens nothing yet: \"webostrum feed edit --accounts %s FEED\" names it.\n", acc.Name)
					}
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
				Name: "role", Usage: "give an account another role: account role NAME ROLE", OnUsageError: usageError,
				Arguments: append(nameArg(), &cli.StringArg{Name: "role", UsageText: "ROLE"}),
				Action: a.withAccount(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
					role := c.StringArg("role")
					if role == "" {
						return usagef("which role? viewer, engineer or panel")
					}
					acc, err := cl.EditAccount(ctx, name, apitypes.AccountChange{Role: role})
					if err != nil {
						return err
					}
					fmt.Fprintf(a.out, "%s is %s now.\n", acc.Name, acc.Role)
					return nil
				}),
			},
			{
				Name: "second-factor", Usage: "take the second factor of an account away whose owner has lost it: account second-factor --off NAME", Arguments: nameArg(), OnUsageError: usageError,
				Flags: []cli.Flag{&cli.BoolFlag{Name: "off", Usage: "take it away"}},
				Action: a.withAccount(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
					if !c.Bool("off") {
						return usagef("a second factor is set up by its owner, in the console; --off takes it away")
					}
					off := false
					if _, err := cl.EditAccount(ctx, name, apitypes.AccountChange{Second: &off}); err != nil {
						return err
					}
					fmt.Fprintf(a.out, "%s signs in by name and password alone.\n", name)
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
		row(w, "ACCOUNT", "ROLE", "2ND FACTOR", "SINCE", "NAMED BY")
		for _, acc := range list {
			row(w, acc.Name, acc.Role, yesNo(acc.Second), isoTime(acc.Created), firstOf(strings.Join(acc.Feeds, ", "), "-"))
		}
	})
}
