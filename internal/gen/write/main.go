// Write writes the generated files below the directory that it is given.
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"rolltop.example/rolltop/internal/gen"
)

func main() {
	files, err := gen.Files()
	if err == nil { // pages of commands that are no more
		err = os.RemoveAll(filepath.Join(os.Args[1], "docs/man"))
	}
	for name, b := range files {
		path := filepath.Join(os.Args[1], name)
		if err == nil {
			err = os.MkdirAll(filepath.Dir(path), 0o755)
		}
		if err == nil {
			err = os.WriteFile(path, b, 0o644)
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
