// Command bench measures the service against the limits of this machine, each
// pair in one run, and writes ratios to docs/bench.md.
package main

import (
	"flag"
	"fmt"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"time"
)

const resultFile = "docs/bench.md"

// result is one line of the table.
type result struct {
	what, ours, limit, ratio, aim string
}

func main() {
	source := flag.Bool("source", false, "be the source of bytes (for the program itself)")
	publisher := flag.Bool("publisher", false, "be the publisher (for the program itself)")
	drainFrom := flag.String("drain", "", "be the viewers of an address (for the program itself)")
	receiveFrom := flag.String("receive", "", "be the WebRTC viewers of an address (for the program itself)")
	reloadFrom := flag.String("reload", "", "be the players that wait for the next part at an address (for the program itself)")
	viewers := flag.Int("viewers", 0, "how many")
	only := flag.String("only", "", "run only what holds this in its name, and write nothing")
	flag.Parse()
	var err error
	switch {
	case *source:
		err = serveSource()
	case *publisher:
		err = servePublisher()
	case *drainFrom != "":
		err = drain(*drainFrom, *viewers)
	case *reloadFrom != "":
		err = reload(*reloadFrom, *viewers)
	case *receiveFrom != "":
		err = receive(*receiveFrom, *viewers)
	default:
		err = run(*only)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run(only string) error {
	measurements := []struct {
		name string
		do   func() ([]result, error)
	}{
		{"intake", intake}, {"callers", callers}, {"serving", serving}, {"memory", memory}, {"hub", publishing},
		{"viewers", viewing}, {"RTSP out", rtspOut}, {"transcoding", transcoding}, {"flat", flat}, {"searching", searching},
		{"reloads", reloading}, {"delay", delays}, {"engines", otherEngines}, {"phone", phone}, {"joining", joining}, {"peers", peering}, {"lip sync", lipSync},
		{"links", checkingLinks}, {"script", scriptToFrame}, {"wall", wall}, {"keeping", keeping},
	}
	var all []result
	for _, m := range measurements {
		if !strings.Contains(m.name, only) {
			continue
		}
		fmt.Println(m.name, "…")
		results, err := m.do()
		if err != nil {
			return fmt.Errorf("%s: %w", m.name, err)
		}
		for _, r := range results {
			fmt.Printf("  %s\n    ours %s   limit %s   ratio %s   aim %s\n", r.what, r.ours, r.limit, r.ratio, r.aim)
		}
		all = append(all, results...)
	}
	if only != "" {
		return nil
	}
	return write(all)
}

func write(results []result) error {
	var b strings.Builder
	fmt.Fprintf(&b, "# Measurements\n\nMade by `make bench` on %s. Ratios count: both sides of each were measured in one run on the same machine.\n\n", time.Now().UTC().Format("2006-01-02"))
	fmt.Fprintf(&b, "Machine: %s\n\n", machine())
	b.WriteString("| what | ours | limit, measured beside it | ratio | aim |\n|---|---|---|---|---|\n")
	for _, r := range results {
		fmt.Fprintf(&b, "| %s | %s | %s | %s | %s |\n", r.what, r.ours, r.limit, r.ratio, r.aim)
	}
	b.WriteString(explanation)
	return os.WriteFile(resultFile, []byte(b.String()), 0o644)
}

const explanation = `
How it is measured:

- Intake: another process sends 4 Mbit/s pictures (keyframes of 60 kB every 50 pictures) as RTP interleaved in one TCP connection, one write a
  picture, a hundred times faster than a camera. The limit is a program that reads the same bytes with the same buffer and copies them once. What is compared
  is processor time, user and system, of the receiving process alone.
- Serving: wrk asks for one segment of 1 MB over 16 connections on loopback, of our handler and of nginx with sendfile; three rounds of each, in
  turns; the median counts. wrk, server and kernel share the two cores. Our segments are anonymous files in memory, whose pages the kernel
  handles one by one; a file of ext4 lies in its cache in larger pieces, which makes it faster to send for anybody. By HTTP/2 h2load asks over four
  connections with four requests at once each.
- Memory: live heap and anonymous files after a minute of one feed of 4 Mbit/s, over the heap before it; the limit is the bytes of media that have to
  be held.
- Hub: median time of one call of Publish, with that many readers that all read every sample. Why 100 readers cost
  more here than 10,000 was not looked into.
- Motion JPEG: another process opens 500 connections and reads them all; pictures of 40 KiB. The limit is a program that writes the same
  bytes to as many sockets, each from a goroutine that a channel tells; both sides leave pictures out when a viewer is not ready. Processor time is that of
  the sending process.
- Searching: fifty simulated devices on the loopback; the time until the last is found by WS-Discovery or mDNS.
- Transcoding: the demo's scene, 1,000 pictures at 2 Mbit/s or as JPEG of quality 80. Ours is the processor time of the worker and of our side of the
  pipe together; the limit is decoder, scaler and encoder called in a loop in this program. One core each. H.265 is the film of the
  simulated passing loop, again and again: nothing here encodes more of it.
- Delay: the demo's camera paints its capture time as a QR code; a script in headless Chromium reads it from the picture on show ten times a
  second for a minute and compares it with the clock of the same machine. Joining: twenty players begun at moments that have nothing to do with
  keyframes; the time until the browser reports the first picture.
- WebRTC to many viewers: another process opens 40 peer connections; pictures of 9 kB, keyframes of 60 kB every two seconds. The limit is a program
  that sends the same packets from one track that all peers share, over the same library and with the same settings, without history, reports or pacing.
  What is compared is processor time of the sending process for each byte that came.
- Audio beside its picture: the demo's scene clicks and flashes at each full second. A script in headless Chromium finds the click in the samples and the flash in
  the pixels, whose brightness tells how long ago it began. The median of 17 seconds counts, after eight in which the browser settles.
- Recording: 8 feeds of 4 Mbit/s at once, as fast as they go, a fragment of half a second at a time and each to the disk by itself (fdatasync); the limit writes the same
  pictures in pieces of the same length, likewise. The export and the copy of an hour read the same files from the cache of the disk and write a file beside them.
  A film is of pictures that are in memory; the limit is decoder and encoder in a loop in this program. Seeking: twenty presses up to 45 s back in Chromium,
  until a frame of that moment is reported; the first one, which loads hls.js, does not count.
- Links: a text is looked up among 10,000 as a request does it; the limit is the HMAC-SHA256 over as many bytes, with a hash that is kept.
- The player's script: a page adds the script, then the element, and waits for the first frame that the browser reports; seven times by turns from another host name
  and port, and from a page of the service's own, where the script has another address each time.
- Wall: user and system time of all of headless Chromium's processes for 20 s, which decodes and draws without a graphics processor.
- Publishers: as intake; the publisher sends RTMP, or a transport stream over TCP, a hundred times faster than a camera.
- RTSP out: as Motion JPEG, with frames of 100 KiB.
- The camera page: its camera is a canvas that shows the code of the page /clock; another Chromium watches, on the same two cores, beside the demo.
- Memory of the worker: its resident memory while it is given ten minutes of film as fast as it takes it.
`

func machine() string {
	model := "unknown processor"
	if out, err := exec.Command("sh", "-c", "grep -m1 'model name' /proc/cpuinfo | cut -d: -f2").Output(); err == nil && len(out) > 1 {
		model = strings.TrimSpace(string(out))
	}
	kernel, _ := exec.Command("uname", "-r").Output()
	return fmt.Sprintf("%d cores of %s, Linux %s, %s, shared with others", runtime.NumCPU(), model, strings.TrimSpace(string(kernel)), runtime.Version())
}
