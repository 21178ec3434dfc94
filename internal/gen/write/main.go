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
	for name, b := range files {
		if err == nil {
			err = os.WriteFile(filepath.Join(os.Args[1], name), b, 0o644)
		}
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
