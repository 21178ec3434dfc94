//go:build !linux && !windows && !darwin

package collect

import (
	"errors"
	"runtime"

	"rolltop.example/rolltop/core/capture"
)

func read(*capture.Document, Options) error {
	return errors.New("this version reads Linux machines only, and this is " + runtime.GOOS +
		"; check an inventory file with --inventory instead")
}

func other(*capture.Document) string { return "" }
