// Command webostrum-codecs decodes and encodes pictures and audio for webostrum,
// which starts it and speaks to it over standard input and output. It is of no use by
// itself. With the one argument "abilities" it tells as JSON what it can do.
package main

import (
	"fmt"
	"os"

	"webostrum/codecs"
	"webostrum/codecs/fence"
)

func main() {
	if len(os.Args) == 2 && os.Args[1] == "abilities" {
		fmt.Printf("{\"decodesAAC\":%t}\n", codecs.DecodesAAC)
		return
	}
	if err := fence.Enter(); err != nil {
		fmt.Fprintln(os.Stderr, "webostrum-codecs cannot shut itself in:", err)
		os.Exit(1)
	}
	if len(os.Args) > 1 && os.Args[1] != fence.Inside {
		fmt.Fprintln(os.Stderr, "webostrum-codecs is started by webostrum and takes no arguments.")
		os.Exit(2)
	}
	if err := codecs.Serve(os.Stdin, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, "webostrum-codecs:", err)
		os.Exit(1)
	}
}
