package store_test

import (
	"fmt"
	"os"
	"os/signal"
	"syscall"
)

// limitFiles bounds how large a file of this process may become: writing more fails as
// on a disk that is full.
func limitFiles(bytes uint64) {
	signal.Ignore(syscall.SIGXFSZ)
	if err := syscall.Setrlimit(syscall.RLIMIT_FSIZE, &syscall.Rlimit{Cur: bytes, Max: bytes}); err != nil {
		fmt.Println("error", err)
		os.Exit(1)
	}
}
