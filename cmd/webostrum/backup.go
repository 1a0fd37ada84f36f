package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"webostrum/client"
	"webostrum/service"
	"webostrum/store"
)

// backupFlags say where the service makes backups by itself.
func (a *app) backupFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "backup-folder", Usage: "`FOLDER` that the service makes backups in by itself; none are made without", Sources: a.from("backup-folder")},
		&cli.DurationFlag{Name: "backup-every", Usage: "`TIME` from one backup to the next", Value: 24 * time.Hour, Sources: a.from("backup-every")},
		&cli.IntFlag{Name: "backup-keep", Usage: "how many of them are kept", Value: 14, Sources: a.from("backup-keep")},
		&cli.StringFlag{Name: "backup-passphrase-file", Usage: "`FILE` with the passphrase that they are sealed by; keep it elsewhere, too", Sources: a.from("backup-passphrase-file")},
	}
}

func backupsOf(c *cli.Command) (b service.Backups, err error) {
	b = service.Backups{Folder: c.String("backup-folder"), Every: c.Duration("backup-every"), Keep: c.Int("backup-keep")}
	if b.Folder == "" {
		return b, nil
	}
	if b.Every < time.Minute {
		return b, usagef("--backup-every %s: a minute at least", b.Every)
	}
	path := c.String("backup-passphrase-file")
	if path == "" {
		return b, usagef("--backup-folder needs --backup-passphrase-file: backups hold all credentials, and are sealed")
	}
	if b.Passphrase, err = service.ReadPassphrase(path); err != nil {
		return b, usagef("%v", err)
	}
	return b, nil
}

func passphraseFlags() []cli.Flag {
	return []cli.Flag{&cli.StringFlag{Name: "passphrase-file", Usage: "`FILE` with the passphrase; asked for when left out, or taken from WEBOSTRUM_PASSPHRASE"}}
}

// passphrase finds the passphrase of a backup; twice says that it is a new one.
func (a *app) passphrase(c *cli.Command, twice bool) (string, error) {
	if path := c.String("passphrase-file"); path != "" {
		phrase, err := service.ReadPassphrase(path)
		if err != nil {
			return "", usagef("%v", err)
		}
		return phrase, nil
	}
	if phrase := os.Getenv("WEBOSTRUM_PASSPHRASE"); phrase != "" {
		return phrase, nil
	}
	in := int(os.Stdin.Fd())
	if !term.IsTerminal(in) {
		return "", usagef("which passphrase? Name a file that holds it by --passphrase-file")
	}
	ask := func(what string) (string, error) {
		fmt.Fprint(a.err, what)
		text, err := term.ReadPassword(in)
		fmt.Fprintln(a.err)
		return string(text), err
	}
	phrase, err := ask("Passphrase: ")
	if err == nil && twice {
		var again string
		if again, err = ask("Once more: "); err == nil && again != phrase {
			err = usagef("the two are not the same")
		}
	}
	return phrase, err
}

func (a *app) backup() *cli.Command {
	return &cli.Command{
		Name: "backup", Usage: "write a sealed backup of records, keys and certificates: backup FILE", ArgsUsage: "FILE", OnUsageError: usageError,
		Description: "It works while the service runs and while it does not. Without the passphrase nobody can open the file.",
		Flags:       passphraseFlags(), Arguments: []cli.Argument{&cli.StringArg{Name: "file", UsageText: "FILE"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			path := c.StringArg("file")
			if path == "" {
				return usagef("into which file? webostrum backup FILE")
			}
			phrase, err := a.passphrase(c, true)
			if err != nil {
				return err
			}
			if err := store.BackupTo(path, func(w io.Writer) error { return a.backupTo(ctx, c, w, phrase) }); err != nil {
				return err
			}
			info, err := os.Stat(path)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.out, "%s holds everything, %s, sealed. Keep the passphrase elsewhere: without it the file is of no use.\n", path, sized(info.Size()))
			return nil
		},
	}
}

// backupTo has the service write a backup, or does so itself where none runs.
func (a *app) backupTo(ctx context.Context, c *cli.Command, w io.Writer, phrase string) error {
	cl, err := a.service(c)
	if err == nil {
		err = cl.Backup(ctx, w, phrase)
	}
	if !errors.Is(err, client.ErrUnreachable) || c.String("service") != "" {
		return err
	}
	if _, statErr := os.Stat(c.String("data")); statErr != nil {
		return err
	}
	records, err := store.Open(c.String("data"))
	if err != nil {
		return err
	}
	return errors.Join(records.Backup(ctx, w, phrase, service.Version, time.Now()), records.Close())
}

func (a *app) restore() *cli.Command {
	return &cli.Command{
		Name: "restore", Usage: "restore a backup: restore FILE", ArgsUsage: "FILE", OnUsageError: usageError,
		Description: "The whole backup is looked at before anything is changed. What it replaces is kept in the data folder, in\nbefore-restore-TIME. A service that runs starts anew with it.",
		Flags:       passphraseFlags(), Arguments: []cli.Argument{&cli.StringArg{Name: "file", UsageText: "FILE"}},
		Action: func(ctx context.Context, c *cli.Command) error {
			path := c.StringArg("file")
			if path == "" {
				return usagef("which backup? webostrum restore FILE")
			}
			f, err := os.Open(path)
			if err != nil {
				return usagef("the backup cannot be read: %v", err)
			}
			defer func() { _ = f.Close() }()
			phrase, err := a.passphrase(c, false)
			if err != nil {
				return err
			}
			return a.restoreFrom(ctx, c, f, phrase)
		},
	}
}

func (a *app) restoreFrom(ctx context.Context, c *cli.Command, f *os.File, phrase string) error {
	cl, err := a.service(c)
	if err == nil {
		r, restoreErr := cl.Restore(ctx, f, phrase)
		if restoreErr == nil {
			fmt.Fprintf(a.out, "The backup of %s is restored, and the service starts anew with it.\nSessions and tokens are those of then.\n", isoTime(r.Made))
			return nil
		}
		err = restoreErr
	}
	if !errors.Is(err, client.ErrUnreachable) || c.String("service") != "" {
		return err
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	folder := c.String("data")
	m, err := store.RestoreInto(folder, f, phrase)
	if err != nil {
		return fmt.Errorf("%w; nothing was changed", err)
	}
	fmt.Fprintf(a.out, "The backup of %s is restored into %s. Start the service: webostrum --data %s serve\n", isoTime(m.Made), folder, folder)
	return nil
}
