package main

import (
	"github.com/urfave/cli/v3"

	"webostrum/service"
)

// frontFlags say how the service is come to.
func (a *app) frontFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "outside", Usage: "`URL` that viewers outside come by, such as https://cams.example.org or https://example.org/cameras/", Sources: a.from("outside")},
		&cli.StringFlag{Name: "base-path", Usage: "`PATH` that everything is under, behind a proxy; that of --outside when left out", Sources: a.from("base-path")},
		&cli.StringSliceFlag{Name: "name", Usage: "host `NAME` that the service answers to, besides that of --outside; others are refused when there is one; more than one may be given", Sources: a.from("name")},
		&cli.StringFlag{Name: "viewer-listen", Usage: "`ADDRESS` for viewers alone: pages and media, no console, no API, no sign-in", Sources: a.from("viewer-listen")},
		&cli.StringFlag{Name: "https-listen", Usage: "`ADDRESS` for HTTPS; needs a certificate from one of the next", Sources: a.from("https-listen")},
		&cli.StringFlag{Name: "certificate", Usage: "`FILE` of a certificate chain in PEM, for HTTPS and RTMPS; read anew when it changes", Sources: a.from("certificate")},
		&cli.StringFlag{Name: "certificate-key", Usage: "`FILE` of its private key, in PEM", Sources: a.from("certificate-key")},
		&cli.BoolFlag{Name: "acme", Usage: "ask an authority for certificates by ACME, for the names of --name and --outside", Sources: a.from("acme")},
		&cli.StringFlag{Name: "acme-directory", Usage: "`URL` of the authority's directory; the best known public one when left out", Sources: a.from("acme-directory")},
		&cli.StringFlag{Name: "acme-email", Usage: "`ADDRESS` that the authority may write to", Sources: a.from("acme-email")},
		&cli.StringFlag{Name: "acme-root", Usage: "`FILE` of the root that the authority itself is trusted by, in PEM; for one of your own", Sources: a.from("acme-root")},
		&cli.BoolFlag{Name: "own-authority", Usage: "sign certificates by an authority of the service's own, for closed networks: /trust says how devices trust it", Sources: a.from("own-authority")},
		&cli.BoolFlag{Name: "redirect-http", Usage: "send browsers that come over plain HTTP on to HTTPS", Sources: a.from("redirect-http")},
		&cli.BoolFlag{Name: "router-rules", Usage: "ask the router, by PCP, NAT-PMP or UPnP, to pass on the ports that viewers outside need, and take that back at the end", Sources: a.from("router-rules")},
		&cli.DurationFlag{Name: "hsts", Usage: "`TIME` that browsers are told to come by HTTPS alone, such as 4320h", Sources: a.from("hsts")},
	}
}

func frontOf(c *cli.Command) service.Front {
	f := service.Front{
		Outside: c.String("outside"), Base: c.String("base-path"), Names: c.StringSlice("name"), Viewers: c.String("viewer-listen"), HTTPS: c.String("https-listen"),
		Chain: c.String("certificate"), Key: c.String("certificate-key"), OwnAuthority: c.Bool("own-authority"), Redirect: c.Bool("redirect-http"), HSTS: c.Duration("hsts"), RouterRules: c.Bool("router-rules"),
	}
	if c.Bool("acme") {
		f.ACME = &service.ACME{Directory: c.String("acme-directory"), Email: c.String("acme-email"), Root: c.String("acme-root")}
	}
	return f
}
