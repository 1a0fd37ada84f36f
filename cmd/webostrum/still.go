package main

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"strconv"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/client"
	"webostrum/core/jpeg"
)

func (a *app) feedStill() *cli.Command {
	return &cli.Command{
		Name: "still", Usage: "save a feed's latest picture", Arguments: nameArg(), OnUsageError: usageError,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "size", Usage: "`SIZE` such as 640x360, 640x, x360, 1/2 or 50%; the camera's when left out"},
			&cli.IntFlag{Name: "quality", Usage: "1 to 100, of a picture that is transcoded"},
			&cli.StringFlag{Name: "to", Usage: "`FILE` to write, or - for standard output; NAME.jpg when left out"},
		},
		Action: a.withFeed(func(ctx context.Context, c *cli.Command, cl *client.Client, name string) error {
			q := url.Values{}
			if c.String("size") != "" {
				q.Set("size", c.String("size"))
			}
			if c.IsSet("quality") {
				q.Set("quality", strconv.Itoa(c.Int("quality")))
			}
			data, age, err := cl.Still(ctx, name, q)
			if err != nil {
				return err
			}
			return a.saveStill(data, age, firstOf(c.String("to"), name+".jpg"))
		}),
	}
}

func (a *app) saveStill(data []byte, age time.Duration, to string) error {
	if to == "-" {
		_, err := a.out.Write(data)
		return err
	}
	const readable = 0o644
	if err := os.WriteFile(to, data, readable); err != nil {
		return err
	}
	h, err := jpeg.Parse(data)
	if err != nil {
		return err
	}
	fmt.Fprintf(a.out, "%s: %dx%d, %d KiB, taken %d s ago.\n", to, h.Width, h.Height, len(data)>>10, int(age.Seconds()))
	return nil
}
