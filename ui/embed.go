// Package ui carries the built user interface in the binary.
package ui

import (
	"embed"
	"io/fs"
)

//go:embed all:build
var build embed.FS

// Files is the built interface; only a placeholder where it was not built.
func Files() fs.FS {
	files, err := fs.Sub(build, "build")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return files
}
