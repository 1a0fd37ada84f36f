package service

import (
	"context"
	"log/slog"
	"net"
	"os"
	"strconv"
	"time"

	"webostrum/station"
	"webostrum/wait"
)

// What the service manager is told (sd_notify(3)).
const (
	notifyReady    = "READY=1"
	notifyStopping = "STOPPING=1"
	notifyAlive    = "WATCHDOG=1"
)

// notify tells the service manager something; without one it does nothing.
func notify(state string) {
	path := os.Getenv("NOTIFY_SOCKET")
	if path == "" {
		return
	}
	conn, err := net.DialUnix("unixgram", nil, &net.UnixAddr{Name: path, Net: "unixgram"})
	if err != nil {
		slog.Debug("the service manager could not be told", "error", err)
		return
	}
	defer func() { _ = conn.Close() }()
	_, _ = conn.Write([]byte(state)) // it asks again by its watchdog
}

// longestTick is how long ago the station may have looked after its feeds last.
const longestTick = 15 * time.Second

// keepWatchdog tells the service manager that the service is alive, as long as it looks
// after its feeds.
func keepWatchdog(ctx context.Context, feeds *station.Station) {
	micros, err := strconv.ParseInt(os.Getenv("WATCHDOG_USEC"), 10, 64)
	if err != nil || micros <= 0 {
		return
	}
	every := time.Duration(micros) * time.Microsecond / 2
	for wait.For(ctx, every) {
		if time.Since(feeds.Ticked()) < longestTick {
			notify(notifyAlive)
		}
	}
}
