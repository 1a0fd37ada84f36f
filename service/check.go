package service

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"strings"
	"time"

	"webostrum/store"
	"webostrum/transcode"
)

// Finding is one line of a check.
type Finding struct {
	What   string `json:"what"`
	Good   bool   `json:"good"`
	Says   string `json:"says"`
	Remedy string `json:"remedy,omitempty"`
}

// Check looks at everything that a service with these settings needs, whether one runs or
// not. It changes nothing.
func Check(ctx context.Context, cfg Config) []Finding {
	list := []Finding{checkSettings(cfg)}
	list = append(list, checkFolder(cfg.Data)...)
	list = append(list, checkPorts(ctx, cfg)...)
	list = append(list, checkWorker(cfg), checkClock(time.Now()), checkCertificate(cfg, time.Now()), checkBackups(cfg.Backups, time.Now()))
	return list
}

func good(what, format string, args ...any) Finding {
	return Finding{What: what, Good: true, Says: fmt.Sprintf(format, args...)}
}

func bad(what string, err error, remedy string) Finding {
	return Finding{What: what, Says: err.Error(), Remedy: remedy}
}

func checkSettings(cfg Config) Finding {
	if err := cfg.Front.Check(); err != nil {
		return bad("settings", err, "Correct them in the settings file or the command line.")
	}
	if cfg.Backups.Folder != "" && cfg.Backups.Passphrase == "" {
		return bad("settings", errors.New("backups have a folder and no passphrase"), "Write one into a file that the service alone reads, and name it by --backup-passphrase-file.")
	}
	return good("settings", "fit together")
}

const plenty = 1 << 30 // bytes

func checkFolder(folder string) []Finding {
	const what = "data folder"
	if _, err := os.Stat(folder); errors.Is(err, os.ErrNotExist) {
		return []Finding{good(what, "%s is made at the first start", folder)}
	}
	if info, err := os.Stat(folder); err == nil && info.Mode().Perm()&0o077 != 0 {
		return []Finding{bad(what, fmt.Errorf("others can look into %s", folder), "Run chmod 700 on it.")}
	}
	list := []Finding{checkWritable(folder)}
	records, err := store.Open(folder)
	switch {
	case errors.Is(err, store.ErrInUse):
		list = append(list, good("records", "are in use by the service, which has looked at them"))
	case err != nil:
		list = append(list, bad("records", err, "Restore a backup: webostrum restore FILE."))
	default:
		f := good("records", "are whole")
		if err := errors.Join(records.Whole(), records.Close()); err != nil {
			f = bad("records", err, "Restore a backup: webostrum restore FILE.")
		}
		list = append(list, f)
	}
	free, size, ok := store.FreeBytes(folder)
	switch {
	case !ok:
	case free < plenty:
		list = append(list, bad("disk", fmt.Errorf("%d MiB of %d GiB are free", free>>20, size>>30), "Make room: without it no event and no change is kept."))
	default:
		list = append(list, good("disk", "%d GiB of %d GiB are free", free>>30, size>>30))
	}
	return list
}

func checkWritable(folder string) Finding {
	f, err := os.CreateTemp(folder, "check-*")
	if err == nil {
		err = errors.Join(f.Close(), os.Remove(f.Name()))
	}
	if err != nil {
		return bad("data folder", err, "Let the user whom the service runs as write there; check whether it is run as that user.")
	}
	return good("data folder", "%s can be written", folder)
}

// checkPorts says which ports can be listened on, or whether the service does.
func checkPorts(ctx context.Context, cfg Config) (list []Finding) {
	ports := []struct{ what, listen, flag string }{
		{"port for HTTP", cfg.Listen, "--listen"}, {"port for HTTPS", cfg.Front.HTTPS, "--https-listen"}, {"port for viewers", cfg.Front.Viewers, "--viewer-listen"},
		{"port for WebRTC", cfg.WebRTC, "--webrtc-listen"}, {"port for RTSP", cfg.RTSP, "--rtsp-listen"}, {"port for RTMP", cfg.RTMP, "--rtmp-listen"}, {"port for RTMPS", cfg.RTMPS, "--rtmps-listen"},
	}
	runs := answers(ctx, cfg.Listen)
	for _, p := range ports {
		if p.listen == "" {
			continue
		}
		l, err := net.Listen("tcp", p.listen)
		switch {
		case err == nil:
			_ = l.Close()
			list = append(list, good(p.what, "%s can be listened on", p.listen))
		case runs:
			list = append(list, good(p.what, "%s is taken, and the service runs here", p.listen))
		default:
			list = append(list, bad(p.what, err, "End the program that has the port (ss -ltnp shows it), or choose another with "+p.flag+"."))
		}
	}
	return list
}

const answerWithin = 2 * time.Second

// answers says whether a service answers at an address for HTTP.
func answers(ctx context.Context, listen string) bool {
	host, port, err := net.SplitHostPort(listen)
	if err != nil {
		return false
	}
	if ip := net.ParseIP(host); host == "" || ip != nil && ip.IsUnspecified() {
		host = "127.0.0.1"
	}
	ctx, cancel := context.WithTimeout(ctx, answerWithin)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+net.JoinHostPort(host, port)+"/healthz", nil)
	if err != nil {
		return false
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return false
	}
	defer func() { _ = res.Body.Close() }()
	return res.StatusCode == http.StatusOK
}

func checkWorker(cfg Config) Finding {
	const what = "codec worker"
	path, err := transcode.Find(cfg.Codecs)
	if err != nil {
		return bad(what, err, "Install the package webostrum-codecs, or name the program by --codecs. Without it nothing is transcoded; what browsers play as it is passes through.")
	}
	if transcode.DecodesAAC(path) {
		return good(what, "%s, which decodes AAC", path)
	}
	return good(what, "%s, which does not decode AAC", path)
}

func checkCertificate(cfg Config, now time.Time) Finding {
	const what, soon = "certificate", 14 * 24 * time.Hour
	front, err := cfg.Front.check()
	if err != nil || cfg.Front.HTTPS == "" && cfg.RTMPS == "" {
		return good(what, "none is needed: there is no HTTPS of its own")
	}
	if cfg.Front.ACME != nil {
		return good(what, "an authority is asked for it while the service runs; \"webostrum reach\" says what came of it")
	}
	if cfg.Front.OwnAuthority {
		if _, err := os.Stat(cfg.Data + "/authority.pem"); err != nil {
			return good(what, "the service's own authority is made at the first start")
		}
	}
	source, err := cfg.Front.certificates(cfg.Data, front, cfg.Log)
	if err != nil {
		return bad(what, err, "Check the files and who may read them.")
	}
	s := source.State(now)
	switch {
	case s.Trouble != nil:
		return bad(what, s.Trouble, "Get another one; it is taken within seconds, without a restart.")
	case s.Ends.Before(now.Add(soon)):
		return bad(what, fmt.Errorf("it ends on %s", s.Ends.Format(time.DateOnly)), "Get another one; it is taken within seconds, without a restart.")
	}
	if missing := unnamed(s.Names, cfg.Front.Names, front.Outside); missing != "" {
		return bad(what, fmt.Errorf("it is for %s, and not for %s", strings.Join(s.Names, ", "), missing), "Get one for all names that the service is come to by.")
	}
	says := good(what, "for %s, until %s", strings.Join(s.Names, ", "), s.Ends.Format(time.DateOnly))
	if print := ownFingerprint(source); print != "" {
		says.Says += "; SHA-256 of the authority's root: " + print
	}
	return says
}

func checkBackups(b Backups, now time.Time) Finding {
	const what = "backups"
	if b.Folder == "" {
		return bad(what, errors.New("none are made by themselves"), "Set --backup-folder and --backup-passphrase-file, or have \"webostrum backup\" run from time to time.")
	}
	newest := b.Newest(now)
	switch {
	case newest.IsZero():
		return bad(what, fmt.Errorf("there is none in %s yet", b.Folder), "The first is made within a minute of the start; when it is not, events say why.")
	case now.Sub(newest) > 2*b.Every:
		return bad(what, fmt.Errorf("the newest in %s is of %s", b.Folder, newest.Format(time.DateTime)), "Look at the events for why none was made since.")
	}
	return good(what, "the newest is of %s", newest.Format(time.DateTime))
}
