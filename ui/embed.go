// Package ui carries the built interface inside the binary.
package ui

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Screens holds index.html and assets/ once the interface has been built.
func Screens() fs.FS {
	sub, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // "dist" is a valid path
	}
	return sub
}
