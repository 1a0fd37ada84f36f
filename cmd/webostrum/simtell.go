package main

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/sim"
)

// simTell makes a simulated camera misbehave.
func (a *app) simTell() *cli.Command {
	return &cli.Command{
		Name: "tell", Usage: "make a simulated camera misbehave", OnUsageError: usageError,
		Flags:    []cli.Flag{&cli.StringFlag{Name: "camera", Usage: "`NAME` of the camera", Value: "lower-station"}},
		Commands: append(append(a.tellSwitches(), a.tellValues()...), a.tellOnce()...),
	}
}

// tell is a command that sends an order. What it takes stands in the help.
func (a *app) tell(name, takes, usage string, order func(c *cli.Command) (sim.Order, error), flags ...cli.Flag) *cli.Command {
	return &cli.Command{
		Name: name, ArgsUsage: takes, Usage: usage, Flags: flags, OnUsageError: usageError,
		Action: func(ctx context.Context, c *cli.Command) error {
			o, err := order(c)
			if err != nil {
				return err
			}
			if err := sim.Tell(ctx, c.String("control"), c.String("camera"), o); err != nil {
				return err
			}
			fmt.Fprintf(a.out, "%s: %s\n", c.String("camera"), o)
			return nil
		},
	}
}

// tellSwitches are what is on or off.
func (a *app) tellSwitches() []*cli.Command {
	onOff := func(name, usage string, field func(m *sim.Misbehaviour) **bool) *cli.Command {
		return a.tell(name, "on|off", usage, func(c *cli.Command) (o sim.Order, err error) {
			v := c.Args().First()
			if v != "on" && v != "off" {
				return o, usagef("say on or off")
			}
			on := v == "on"
			*field(&o.Behave) = &on
			return o, nil
		})
	}
	return []*cli.Command{
		onOff("refuse", "refuse every password", func(m *sim.Misbehaviour) **bool { return &m.RefuseSignIn }),
		onOff("hang-up", "close the connection with the answer that asks to sign in", func(m *sim.Misbehaviour) **bool { return &m.HangUp }),
		onOff("freeze", "send nothing, keep the connection", func(m *sim.Misbehaviour) **bool { return &m.Frozen }),
		onOff("stand-still", "RTSP: send timestamps that stand still", func(m *sim.Misbehaviour) **bool { return &m.StandStill }),
		onOff("long-description", "RTSP: describe the stream in 100 kB", func(m *sim.Misbehaviour) **bool { return &m.LongDescription }),
		onOff("page", "HTTP: send a sign-in page instead of pictures", func(m *sim.Misbehaviour) **bool { return &m.SignInPage }),
		onOff("no-end-markers", "HTTP: send JPEG without end markers", func(m *sim.Misbehaviour) **bool { return &m.NoEndMarkers }),
		onOff("stream-once", "Motion JPEG: end the stream after 3 s, and answer with single pictures from then on", func(m *sim.Misbehaviour) **bool { return &m.StreamOnce }),
	}
}

// tellValues are what is more or less.
func (a *app) tellValues() []*cli.Command {
	share := func(name, usage string, field func(m *sim.Misbehaviour) **float64) *cli.Command {
		return a.tell(name, "SHARE", usage, func(c *cli.Command) (o sim.Order, err error) {
			v, err := strconv.ParseFloat(c.Args().First(), 64)
			if err != nil || v < 0 || v > 1 {
				return o, usagef("say a share from 0 to 1, such as 0.02")
			}
			*field(&o.Behave) = &v
			return o, nil
		})
	}
	number := func(name, takes, usage string, from, to int, set func(m *sim.Misbehaviour, n int)) *cli.Command {
		return a.tell(name, takes, usage, func(c *cli.Command) (o sim.Order, err error) {
			n, err := strconv.Atoi(c.Args().First())
			if err != nil || n != 0 && (n < from || n > to) {
				return o, usagef("say a number from %d to %d, or 0 to end it", from, to)
			}
			set(&o.Behave, n)
			return o, nil
		})
	}
	duration := func(name, usage string, field func(m *sim.Misbehaviour) **time.Duration) *cli.Command {
		return a.tell(name, "TIME", usage, func(c *cli.Command) (o sim.Order, err error) {
			d, err := time.ParseDuration(c.Args().First())
			if err != nil {
				return o, usagef("say a time, such as 8s or 1h")
			}
			*field(&o.Behave) = &d
			return o, nil
		})
	}
	return []*cli.Command{
		share("lose", "leave out a share of the packets, or cut a share of the JPEG pictures short", func(m *sim.Misbehaviour) **float64 { return &m.Loss }),
		share("reorder", "RTSP: swap a share of the packets", func(m *sim.Misbehaviour) **float64 { return &m.Reorder }),
		duration("jump", "RTSP: move the timestamps by a time, such as 1h or -30s", func(m *sim.Misbehaviour) **time.Duration { return &m.Jump }),
		duration("answer-after", "wait before each answer, such as 8s; 0s ends it", func(m *sim.Misbehaviour) **time.Duration { return &m.AnswerAfter }),
		number("payload-type", "NUMBER", "RTSP: send packets of a payload type that is not announced, such as 120; 0 ends it", 1, 127,
			func(m *sim.Misbehaviour, n int) { pt := uint8(n); m.PayloadType = &pt }),
		number("status", "STATUS", "stills: give every third answer a status such as 503; 0 ends it", 400, 599,
			func(m *sim.Misbehaviour, n int) { m.Status = &n }),
		a.tell("content-type", "TYPE", "stills: call the pictures by another type, such as text/plain; none ends it", func(c *cli.Command) (o sim.Order, err error) {
			name := c.Args().First()
			o.Behave.ContentType = &name
			return o, nil
		}),
	}
}

// tellOnce are what happens once.
func (a *app) tellOnce() []*cli.Command {
	return []*cli.Command{
		a.tell("new-ssrc", "", "RTSP: go on with another SSRC", func(*cli.Command) (sim.Order, error) {
			return sim.Order{Behave: sim.Misbehaviour{NewSSRC: true}}, nil
		}),
		a.tell("drop", "", "cut all connections", func(*cli.Command) (sim.Order, error) { return sim.Order{Drop: true}, nil }),
		a.tell("reboot", "", "go away and come back with other settings", func(c *cli.Command) (o sim.Order, err error) {
			o.Reboot = &sim.RebootOrder{OffSeconds: c.Duration("off").Seconds(), KeySeconds: c.Duration("keyframes").Seconds()}
			if c.String("size") != "" {
				o.Reboot.Width, o.Reboot.Height, err = parseSize(c.String("size"))
			}
			return o, err
		},
			&cli.StringFlag{Name: "size", Usage: "`WIDTHxHEIGHT` of the picture from then on"},
			&cli.DurationFlag{Name: "off", Usage: "how long it is away", Value: 3 * time.Second},
			&cli.DurationFlag{Name: "keyframes", Usage: "time from one keyframe to the next from then on"},
		),
	}
}
