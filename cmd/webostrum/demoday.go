package main

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"time"

	"webostrum/apitypes"
	"webostrum/client"
	"webostrum/core/still"
	"webostrum/service"
	"webostrum/sim"
)

// demoRecorded is how much of the demo's recording is kept, bytes.
const demoRecorded = 500_000_000

// demoSpare is to stay free on the disk, bytes.
const demoSpare = 2_000_000_000

// demoDaylight are the stills of the summit's mast.
var demoDaylight = apitypes.StillSchedule{
	Name: "daylight", Seconds: 60, Sun: true, Latitude: sim.Latitude, Longitude: sim.Longitude, Show: true, Days: 7,
	Film: "day", FilmSeconds: 20, FilmFormat: "mp4",
}

const (
	demoTurn  = "along-the-line"
	dayMast   = "summit-mast"
	dayWidth  = 960
	dayHeight = 540
	dayEvery  = 2 * time.Minute
)

// demoTurnSources are the feeds that demoTurn shows in turn.
var demoTurnSources = []string{"lower-station", "upper-station"}

// addLine adds the feed that shows both stations in turn.
func addLine(ctx context.Context, data string) error {
	local, err := service.ReadLocal(data)
	if err != nil {
		return err
	}
	cl := client.New(local.Address, local.Token)
	if _, err := cl.Feed(ctx, demoTurn); err == nil {
		return nil
	}
	in := apitypes.NewFeed{Name: demoTurn, FeedSettings: apitypes.Defaults("")}
	in.Title, in.Audience.Who = "Along the line", "everyone"
	in.Combined = apitypes.CombinedSettings{Kind: "turns", Size: "960x540", Sources: []apitypes.CombinedFeed{}}
	for _, name := range demoTurnSources {
		in.Combined.Sources = append(in.Combined.Sources, apitypes.CombinedFeed{Feed: name, Seconds: 15})
	}
	_, err = cl.AddFeed(ctx, in)
	return err
}

// demoFilm paints the stills of yesterday, as if they had been taken, and has the film of them
// made; once, and not where somebody has taken its schedule away.
func demoFilm(ctx context.Context, data string, now time.Time) error {
	local, err := service.ReadLocal(data)
	if err != nil {
		return err
	}
	cl := client.New(local.Address, local.Token)
	mast, err := cl.Feed(ctx, dayMast)
	if err != nil || !slices.ContainsFunc(mast.Stills, func(s apitypes.StillSchedule) bool { return s.Name == demoDaylight.Name }) {
		return err
	}
	y, m, d := now.AddDate(0, 0, -1).Date()
	day := time.Date(y, m, d, 0, 0, 0, 0, now.Location())
	name := still.FilmName(dayMast, demoDaylight.Name, demoDaylight.FilmFormat, day, day.AddDate(0, 0, 1))
	if _, err := os.Stat(filepath.Join(data, "films", filepath.FromSlash(name))); err == nil {
		return nil
	}
	err = sim.Day(ctx, dayMast, dayWidth, dayHeight, day.Add(12*time.Hour), dayEvery, func(at time.Time, picture []byte) error {
		path := filepath.Join(data, "stills", filepath.FromSlash(still.Name(dayMast, demoDaylight.Name, at)))
		if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
			return err
		}
		return os.WriteFile(path, picture, 0o600)
	})
	if err != nil {
		return err
	}
	_, err = cl.MakeFilm(ctx, dayMast, apitypes.NewFilm{
		Source: demoDaylight.Name, From: day, To: day.AddDate(0, 0, 1), Seconds: demoDaylight.FilmSeconds, Format: demoDaylight.FilmFormat,
	})
	return err
}
