package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"
)

func outputFlag() cli.Flag {
	return &cli.StringFlag{
		Name: "output", Aliases: []string{"o"}, Usage: "table or json", Value: "table",
		Validator: func(s string) error {
			if s != "table" && s != "json" {
				return fmt.Errorf("output %q is not one of table, json", s)
			}
			return nil
		},
	}
}

// show prints a value as JSON, or as people like to read it.
func (a *app) show(c *cli.Command, value any, table func(w io.Writer)) error {
	if c.String("output") == "json" {
		enc := json.NewEncoder(a.out)
		enc.SetIndent("", "  ")
		return enc.Encode(value)
	}
	var text bytes.Buffer
	table(&text)
	_, err := io.WriteString(a.out, layOut(text.String(), a.width()))
	return err
}

// width returns the columns of the terminal that is written to, 0 where there is
// none and lines may be of any length.
func (a *app) width() int {
	f, ok := a.out.(*os.File)
	if !ok {
		return 0
	}
	w, _, err := term.GetSize(int(f.Fd()))
	if err != nil {
		return 0
	}
	return w
}

func row(w io.Writer, cells ...any) {
	for i, c := range cells {
		if i > 0 {
			fmt.Fprint(w, "\t")
		}
		fmt.Fprint(w, c)
	}
	fmt.Fprintln(w)
}

func bits(v float64) string {
	switch {
	case v <= 0:
		return "-"
	case v < 1e6:
		return fmt.Sprintf("%.0f kbit/s", v/1e3)
	}
	return fmt.Sprintf("%.2f Mbit/s", v/1e6)
}

func rate(v float64) string {
	if v <= 0 {
		return "-"
	}
	return fmt.Sprintf("%.1f fps", v)
}

func size(w, h int) string {
	if w == 0 {
		return "-"
	}
	return fmt.Sprintf("%dx%d", w, h)
}

// isoTime writes a time as ISO 8601 has it, of this machine's zone.
func isoTime(t time.Time) string { return t.Local().Format("2006-01-02T15:04:05-07:00") }

func ago(t time.Time) string {
	d := time.Since(t)
	switch {
	case d < time.Minute:
		return fmt.Sprintf("%d s", max(int(d.Seconds()), 0))
	case d < time.Hour:
		return fmt.Sprintf("%d min", int(d.Minutes()))
	case d < 48*time.Hour:
		return fmt.Sprintf("%d h", int(d.Hours()))
	}
	return fmt.Sprintf("%d d", int(d.Hours()/24))
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// wait shows that something goes on while work takes its time; on a terminal
// only. The line is wiped afterwards.
func (a *app) wait(what string, work func() error) error {
	f, ok := a.err.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return work()
	}
	done := make(chan error, 1)
	go func() { done <- work() }()
	ticker := time.NewTicker(250 * time.Millisecond)
	defer ticker.Stop()
	begun := time.Now()
	line := ""
	for {
		select {
		case err := <-done:
			fmt.Fprint(f, "\r"+strings.Repeat(" ", len(line))+"\r")
			return err
		case <-ticker.C:
			line = fmt.Sprintf("%s … %.0f s", what, time.Since(begun).Seconds())
			fmt.Fprint(f, "\r"+line)
		}
	}
}

// counted is a number of things.
func counted(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
