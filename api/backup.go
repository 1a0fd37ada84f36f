package api

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"os"
	"time"

	"github.com/gin-gonic/gin"

	"webostrum/apitypes"
	"webostrum/core/fault"
	"webostrum/deliver/problem"
	"webostrum/station"
	"webostrum/store"
)

const (
	mostBackup   = 8 << 30
	backupWithin = 30 * time.Minute // in either direction
	backupType   = "application/octet-stream"
	restartAfter = 200 * time.Millisecond // so that the answer gets through
)

func (a *API) backupRoutes(g *gin.Engine) {
	g.POST("/api/v1/backup", a.serveBackup)
	g.POST("/api/v1/restore", a.takeRestore)
}

// passphraseOf reads the passphrase of a request, which goes in a header of its own, in
// base64: it stands in no address and no log.
func passphraseOf(r *http.Request) (string, error) {
	raw, err := base64.StdEncoding.DecodeString(r.Header.Get(apitypes.PassphraseHeader))
	if err != nil || len(raw) < store.LeastPassphrase {
		return "", fault.New(fault.PassphraseShort, err, "")
	}
	return string(raw), nil
}

// backupTurn lets one backup or restore go on at a time.
func (a *API) backupTurn(c *gin.Context) (end func(), ok bool) {
	err := permitted(callerOf(c.Request.Context()), needsEngineer)
	if err == nil && !a.backups.TryLock() {
		err = fault.New(fault.BackupBusy, nil, "")
	}
	if err != nil {
		problem.Write(c.Writer, err)
		return nil, false
	}
	c.Header("Cache-Control", "no-store")
	rc := http.NewResponseController(c.Writer)
	_ = rc.SetWriteDeadline(time.Now().Add(backupWithin))
	return a.backups.Unlock, true
}

func (a *API) serveBackup(c *gin.Context) {
	end, ok := a.backupTurn(c)
	if !ok {
		return
	}
	defer end()
	phrase, err := passphraseOf(c.Request)
	if err != nil {
		problem.Write(c.Writer, err)
		return
	}
	f, err := a.makeBackup(c.Request.Context(), phrase)
	if err != nil {
		a.cfg.Log.Error("a backup could not be written", "error", err)
		problem.Write(c.Writer, err)
		return
	}
	defer func() { _ = f.Close() }()
	a.by(c.Request.Context()).Note("", station.EventChange, "a backup was made")
	c.Header("Content-Type", backupType)
	http.ServeContent(c.Writer, c.Request, "", time.Time{}, f) // with its length, so that a cut is seen
}

// makeBackup writes a backup to a file that is gone when it is closed.
func (a *API) makeBackup(ctx context.Context, phrase string) (*os.File, error) {
	f, err := os.CreateTemp(a.store.Folder(), "backup-*.db")
	if err != nil {
		return nil, err
	}
	err = errors.Join(os.Remove(f.Name()), a.store.Backup(ctx, f, phrase, a.cfg.Version, time.Now()))
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

// takeRestore takes a backup in, looks whether it can be used, and has the service start
// anew with it.
func (a *API) takeRestore(c *gin.Context) {
	end, ok := a.backupTurn(c)
	if !ok {
		return
	}
	defer end()
	w, r := c.Writer, c.Request
	phrase, err := passphraseOf(r)
	switch {
	case err != nil:
	case a.cfg.Restart == nil:
		err = fault.New(fault.RestoreOff, nil, "")
	default:
		_ = http.NewResponseController(w).SetReadDeadline(time.Now().Add(backupWithin))
		var m store.Manifest
		if m, err = store.StageRestore(a.store.Folder(), http.MaxBytesReader(w, r.Body, mostBackup), phrase); err == nil {
			a.by(r.Context()).Note("", station.EventService, "a backup of "+m.Made.Local().Format(time.DateTime)+" is restored; the service starts anew")
			a.station.FlushEvents(r.Context())
			w.Header().Set("Content-Type", "application/json")
			_ = json.NewEncoder(w).Encode(apitypes.Restored{Made: m.Made, Version: m.Version})
			time.AfterFunc(restartAfter, a.cfg.Restart)
			return
		}
		err = restoreFault(err)
	}
	problem.Write(w, err)
}

func restoreFault(err error) error {
	switch {
	case errors.Is(err, store.ErrPassphrase):
		return fault.New(fault.PassphraseWrong, err, "")
	case errors.Is(err, store.ErrNewer):
		return fault.New(fault.BackupNewer, err, "")
	case errors.Is(err, store.ErrCut):
		return fault.New(fault.BackupCut, err, "")
	case errors.Is(err, store.ErrNotBackup):
		return fault.New(fault.BackupNone, err, "")
	}
	return err
}
