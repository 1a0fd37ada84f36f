package main

import (
	"context"
	"fmt"
	"log/slog"
	"net/netip"
	"slices"

	"github.com/urfave/cli/v3"

	"webostrum/api"
	"webostrum/deliver/viewers"
	"webostrum/deliver/whep"
	"webostrum/service"
)

func (a *app) listenFlag(value string) cli.Flag {
	return &cli.StringFlag{Name: "listen", Usage: "`ADDRESS` for HTTP", Value: value, Sources: a.from("listen")}
}

func (a *app) webRTCFlag(value string) cli.Flag {
	return &cli.StringFlag{Name: "webrtc-listen", Usage: "`ADDRESS` for WebRTC, over UDP and TCP; empty switches it off", Value: value, Sources: a.from("webrtc-listen")}
}

func (a *app) rtmpFlag(value string) cli.Flag {
	return &cli.StringFlag{Name: "rtmp-listen", Usage: "`ADDRESS` for publishers by RTMP, open only while a feed waits for one; empty switches it off", Value: value, Sources: a.from("rtmp-listen")}
}

func (a *app) rtspFlag(value string) cli.Flag {
	return &cli.StringFlag{Name: "rtsp-listen", Usage: "`ADDRESS` for viewers and publishers by RTSP, open only while a feed gives RTSP or waits for a publisher; empty switches it off", Value: value, Sources: a.from("rtsp-listen")}
}

func (a *app) logFlag() cli.Flag {
	return &cli.StringFlag{Name: "log-level", Usage: "debug, info, warn or error", Value: "info", Sources: a.from("log-level")}
}

func (a *app) searchFlag(value ...string) cli.Flag {
	return &cli.StringSliceFlag{Name: "search-on", Usage: "network `INTERFACE` that cameras are searched on; more than one may be given (default: all)", Value: value, Sources: a.from("search-on")}
}

func (a *app) logger(c *cli.Command) (*slog.Logger, error) {
	var level slog.Level
	if err := level.UnmarshalText([]byte(c.String("log-level"))); err != nil {
		return nil, usagef("log level %q is not one of debug, info, warn, error", c.String("log-level"))
	}
	log := slog.New(slog.NewTextHandler(a.err, &slog.HandlerOptions{Level: level}))
	slog.SetDefault(log)
	return log, nil
}

func (a *app) serve() *cli.Command {
	return &cli.Command{
		Name: "serve", Usage: "run the service", OnUsageError: usageError, Flags: a.serveFlags(),
		Action: func(ctx context.Context, c *cli.Command) error {
			cfg, err := a.serveConfig(c)
			if err != nil {
				return err
			}
			if cfg.Log, err = a.logger(c); err != nil {
				return err
			}
			return service.Run(ctx, cfg, a.showStarted)
		},
	}
}

// serveFlags are all settings of the service.
func (a *app) serveFlags() []cli.Flag {
	return slices.Concat([]cli.Flag{
		a.listenFlag("0.0.0.0:7600"), a.logFlag(), a.workerFlag(),
		a.webRTCFlag("0.0.0.0:7601"), a.rtspFlag("0.0.0.0:7654"), a.rtmpFlag("0.0.0.0:1935"),
		&cli.StringFlag{Name: "rtmps-listen", Usage: "`ADDRESS` for publishers by RTMP with TLS; needs --certificate", Sources: a.from("rtmps-listen")},
		&cli.StringSliceFlag{Name: "webrtc-address", Usage: "IP `ADDRESS` that viewers come to by WebRTC, such as a router's outside; more than one may be given", Sources: a.from("webrtc-address")},
		&cli.IntFlag{Name: "most-viewers", Usage: "viewers of all feeds at a time", Value: 20000, Sources: a.from("most-viewers")},
		&cli.IntFlag{Name: "most-viewers-a-feed", Usage: "viewers of each feed at a time; 0 for no limit of its own", Sources: a.from("most-viewers-a-feed")},
		&cli.IntFlag{Name: "most-viewers-an-address", Usage: "viewers of one address at a time, of those who are not signed in", Value: viewers.DefaultMostAnAddress, Sources: a.from("most-viewers-an-address")},
		&cli.StringSliceFlag{Name: "trusted-proxies", Usage: "`ADDRESS` or prefix (192.0.2.0/24) of a proxy whose forwarded client addresses are believed; more than one may be given", Sources: a.from("trusted-proxies")},
		&cli.StringSliceFlag{Name: "ice-server", Usage: "STUN or TURN `SERVER` that viewers are told of: stun:HOST:PORT or turn:USER:PASSWORD@HOST:PORT", Sources: a.from("ice-server")},
		a.searchFlag(),
		&cli.StringFlag{Name: "traces", Usage: "`URL` of a collector that spans of requests and camera sessions are sent to by OTLP over HTTP, such as http://127.0.0.1:4318/v1/traces; none are sent without", Sources: a.from("traces")},
		&cli.BoolFlag{Name: "https-only", Usage: "browsers reach the service through an HTTPS proxy only: mark cookies so", Sources: a.from("https-only")},
	}, a.frontFlags(), a.backupFlags(), a.recordingFlags())
}

// serveConfig reads the settings of the service.
func (a *app) serveConfig(c *cli.Command) (cfg service.Config, err error) {
	if err := a.settings.check(c); err != nil {
		return cfg, err
	}
	proxies, err := prefixes(c.StringSlice("trusted-proxies"))
	if err != nil {
		return cfg, err
	}
	front := frontOf(c)
	if err := front.Check(); err != nil {
		return cfg, usagef("%v", err)
	}
	if c.String("rtmps-listen") != "" && front.Chain == "" && !front.OwnAuthority && front.ACME == nil {
		return cfg, usagef("--rtmps-listen needs a certificate: --certificate with --certificate-key, --acme or --own-authority")
	}
	backups, err := backupsOf(c)
	if err != nil {
		return cfg, err
	}
	recordings, err := recordingsOf(c)
	if err != nil {
		return cfg, err
	}
	commands, err := a.settings.commands()
	if err != nil {
		return cfg, err
	}
	var servers []whep.ICEServer
	for _, text := range c.StringSlice("ice-server") {
		server, err := whep.ParseICEServer(text)
		if err != nil {
			return cfg, usagef("%v", err)
		}
		servers = append(servers, server)
	}
	return service.Config{
		Data: c.String("data"), Listen: c.String("listen"), Secure: c.Bool("https-only"), Codecs: c.String("codecs"),
		RTSP: c.String("rtsp-listen"), RTMP: c.String("rtmp-listen"), RTMPS: c.String("rtmps-listen"), Front: front, Backups: backups, Recordings: recordings, OutletFolder: c.String("outlet-folder"), Traces: c.String("traces"),
		Commands: commands,
		WebRTC:   c.String("webrtc-listen"), WebRTCHosts: c.StringSlice("webrtc-address"), ICEServers: servers, TrustedProxies: proxies, SearchOn: c.StringSlice("search-on"),
		Viewers: viewers.Config{Most: c.Int("most-viewers"), MostAFeed: c.Int("most-viewers-a-feed"), MostAnAddress: c.Int("most-viewers-an-address")},
	}, nil
}

func (a *app) showStarted(s service.Started) {
	if s.Password != "" {
		fmt.Fprintf(a.out, "\nFirst start. Sign in with this account; its password is shown only now:\n\n    account   engineer\n    password  %s\n\n", s.Password)
	}
	fmt.Fprintf(a.out, "Open the console in a browser:\n\n    %s/\n", s.Address)
	if s.Secure != "" {
		fmt.Fprintf(a.out, "    %s/\n", s.Secure)
	}
	for _, address := range s.Elsewhere {
		fmt.Fprintf(a.out, "    %s/  from other machines\n", address)
	}
	fmt.Fprintln(a.out)
}

// prefixes reads addresses and networks; an address is a network of one.
func prefixes(texts []string) ([]netip.Prefix, error) {
	var list []netip.Prefix
	for _, text := range texts {
		p, err := netip.ParsePrefix(text)
		if err != nil {
			var addr netip.Addr
			if addr, err = netip.ParseAddr(text); err == nil {
				p = netip.PrefixFrom(addr, addr.BitLen())
			}
		}
		if err != nil {
			return nil, usagef("--trusted-proxies %q: write an IP address, or a network such as 192.0.2.0/24", text)
		}
		list = append(list, p.Masked())
	}
	return list, nil
}

func (a *app) openapi() *cli.Command {
	return &cli.Command{
		Name: "openapi", Usage: "print the OpenAPI document of the API", OnUsageError: usageError,
		Action: func(context.Context, *cli.Command) error {
			doc, err := api.Document(service.Version)
			if err == nil {
				_, err = a.out.Write(doc)
			}
			return err
		},
	}
}
