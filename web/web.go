// Package web holds the built console and player.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files returns the built files; without a build there are none.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic("web: " + err.Error()) // cannot happen: the folder is compiled in
	}
	return files
}
