// Write writes the captures of package recorded anew.
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"rolltop.example/rolltop/internal/standin/recorded/machines"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	all, err := machines.Make()
	if err != nil {
		return err
	}
	for name, b := range all {
		if err := os.WriteFile(filepath.Join("captures", name), b, 0o644); err != nil {
			return err
		}
	}
	return nil
}
