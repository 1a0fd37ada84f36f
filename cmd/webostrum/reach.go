package main

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/urfave/cli/v3"

	"webostrum/apitypes"
	"webostrum/client"
	core "webostrum/core/reach"
	"webostrum/reach"
)

func (a *app) reach() *cli.Command {
	return &cli.Command{
		Name: "reach", Usage: "which ports there are, what a router has to pass on, and what gets through to a device elsewhere", OnUsageError: usageError,
		Description: "Without a subcommand, and without --from, it lists the ports of the service. With --from it is run on another\nmachine and tries what gets through to that one.",
		Flags: []cli.Flag{
			outputFlag(),
			&cli.StringFlag{Name: "from", Usage: "`URL` of a service, or of a check, that is tried from this machine; no service runs here"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			if name := c.Args().First(); name != "" {
				return usagef("\"reach %s\" is no command; \"webostrum reach --help\" lists what there is", name)
			}
			if from := c.String("from"); from != "" {
				return a.reachFrom(ctx, c, from)
			}
			cl, err := a.service(c)
			if err != nil {
				return err
			}
			r, err := cl.Reach(ctx)
			if err != nil {
				return err
			}
			return a.show(c, r, func(w io.Writer) { printReach(w, r) })
		},
		Commands: []*cli.Command{
			{
				Name: "check", Usage: "make a check for a phone or another machine, and show what it finds", OnUsageError: usageError,
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "feed", Usage: "`NAME` of the feed that is played; one that is live when left out"},
					&cli.BoolFlag{Name: "wait", Usage: "go on and print what devices find, for an hour"},
				},
				Action: a.reachCheck,
			},
			{Name: "ask-router", Usage: "ask the router to pass on what viewers outside need", Flags: []cli.Flag{outputFlag()}, OnUsageError: usageError, Action: a.reachRules((*client.Client).AskRouter)},
			{Name: "withdraw", Usage: "have the router pass nothing on any more", Flags: []cli.Flag{outputFlag()}, OnUsageError: usageError, Action: a.reachRules((*client.Client).WithdrawRules)},
		},
	}
}

func printReach(w io.Writer, r apitypes.Reach) {
	row(w, "OUTSIDE", firstOf(r.Outside, "not told (--outside)"))
	for i, at := range r.Inside {
		row(w, map[bool]string{true: "INSIDE", false: ""}[i == 0], at)
	}
	fmt.Fprintln(w)
	row(w, "WHAT COMES BY IT", "LISTENS ON", "OPEN", "RULE OF THE ROUTER", "WHO OUTSIDE NEEDS IT")
	for _, p := range r.Ports {
		open, whom := "yes", p.Whom
		if !p.Open {
			open = "no: " + p.Why
		}
		if p.Who == "machine" {
			whom = "nobody: this machine only"
		}
		row(w, p.For, p.Protocol+" "+p.Listen, open, firstOf(p.Rule, "-"), whom)
	}
	if rules := r.Rules; rules != nil && len(rules.Rules) > 0 {
		fmt.Fprintln(w)
		printRules(w, *rules)
	}
	for _, note := range r.Notes {
		fmt.Fprintln(w)
		row(w, "! "+note)
	}
}

func printRules(w io.Writer, r apitypes.RuleList) {
	if r.By != "" {
		row(w, fmt.Sprintf("The router at %s speaks %s; its address outside is %s.", r.Router, r.By, firstOf(r.Outside, "not told")))
		fmt.Fprintln(w)
	}
	if len(r.Rules) > 0 {
		row(w, "RULE", "FOR", "UNTIL")
	}
	for _, x := range r.Rules {
		until := "until " + x.Ends.Local().Format("15:04") + ", renewed by itself"
		if x.Trouble != "" {
			until = x.Trouble
		}
		row(w, fmt.Sprintf("%s %d to port %d", x.Protocol, x.Outside, x.Inside), x.For, until)
	}
}

func (a *app) reachRules(do func(*client.Client, context.Context) (apitypes.RuleList, error)) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		cl, err := a.service(c)
		if err != nil {
			return err
		}
		r, err := do(cl, ctx)
		if err != nil {
			return err
		}
		return a.show(c, r, func(w io.Writer) {
			printRules(w, r)
			switch {
			case r.Note != "":
				row(w, "! "+r.Note)
			case len(r.Rules) == 0:
				row(w, "The router passes nothing on for this service.")
			}
		})
	}
}

func (a *app) reachCheck(ctx context.Context, c *cli.Command) error {
	cl, err := a.service(c)
	if err != nil {
		return err
	}
	k, err := cl.AddReachCheck(ctx, c.String("feed"))
	if err != nil {
		return err
	}
	fmt.Fprintf(a.out, "Open this on a phone with its Wi-Fi off, or on another machine:\n\n    %s\n    webostrum reach --from %s\n\n", k.URL, k.URL)
	for _, other := range k.Others {
		fmt.Fprintf(a.out, "    %s  by another address\n", other)
	}
	fmt.Fprintf(a.out, "It holds until %s.\n", k.Ends.Local().Format("15:04"))
	if !c.Bool("wait") {
		return nil
	}
	return a.followCheck(ctx, cl, k)
}

const lookAgain = time.Second

// followCheck prints findings as devices report them.
func (a *app) followCheck(ctx context.Context, cl *client.Client, k apitypes.ReachCheck) error {
	ticker := time.NewTicker(lookAgain)
	defer ticker.Stop()
	shown := make(map[string]apitypes.ReachFinding)
	for time.Now().Before(k.Ends) {
		select {
		case <-ctx.Done():
			return nil
		case <-ticker.C:
		}
		now, err := cl.ReachCheck(ctx, k.Code)
		if err != nil {
			return err
		}
		for _, d := range now.Devices {
			for _, f := range d.Findings {
				key := d.ID + f.Trial
				if before, ok := shown[key]; ok && before == f {
					continue
				}
				shown[key] = f
				fmt.Fprintf(a.out, "\n%s at %s: %s\n", firstOf(d.Browser, "a device"), d.Address, f.Sentence)
				if f.Remedy != "" {
					fmt.Fprintln(a.out, wrap(f.Remedy, "  "))
				}
			}
		}
	}
	return nil
}

func (a *app) reachFrom(ctx context.Context, c *cli.Command, from string) error {
	check, err := reach.Parse(from)
	if err != nil {
		return usagef("%v", err)
	}
	findings := []apitypes.ReachFinding{}
	table := c.String("output") != "json"
	err = check.Run(ctx, func(r reach.Result) {
		findings = append(findings, r.ReachFinding)
		if !table {
			return
		}
		sign := map[string]string{string(core.Works): "yes", string(core.Off): "-", string(core.NotTried): "-"}[r.Outcome]
		fmt.Fprintf(a.out, "%-4s %-18s %6.0f ms  %s\n", firstOf(sign, "NO"), r.Name, r.Millis, r.Sentence)
		if r.Remedy != "" {
			fmt.Fprintln(a.out, wrap(r.Remedy, "     "))
		}
	})
	if err == nil && !table {
		err = a.show(c, findings, nil)
	}
	if err != nil {
		return err
	}
	return reachEnd(findings)
}

// reachEnd is how the command ends: well when all that is on gets through.
func reachEnd(findings []apitypes.ReachFinding) error {
	bad := 0
	for _, f := range findings {
		if o := core.Outcome(f.Outcome); o != core.Works && o != core.Off && o != core.NotTried {
			bad++
		}
	}
	switch {
	case bad == 0:
		return nil
	case len(findings) == 1:
		return fmt.Errorf("%w: nothing else could be tried", client.ErrUnreachable)
	}
	return fmt.Errorf("%d of %d ways do not get through", bad, len(findings))
}
