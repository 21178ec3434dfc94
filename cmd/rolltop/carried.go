package main

import (
	"embed"
	"io/fs"
)

// carried are the collectors that make build puts into this program, so that it can hand
// them to machines with nothing beside it.
//
//go:embed all:collectors
var carried embed.FS

// collectors is the directory of them; nil where they were not built.
func collectors() fs.FS {
	dir, err := fs.Sub(carried, "collectors")
	if err != nil {
		return nil
	}
	if _, err := fs.Stat(dir, "SHA256SUMS"); err != nil {
		return nil
	}
	return dir
}
