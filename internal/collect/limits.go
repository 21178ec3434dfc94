package collect

import (
	"errors"
	"fmt"
	"io/fs"
	"syscall"
	"time"

	"rolltop.example/rolltop/core/capture"
)

// patience with one reading.
const patience = 3 * time.Second

// within runs a reading with a time limit: a broken device must not hang the
// rest. What comes too late is dropped.
func within[T any](f func() (T, error)) (T, error) {
	type result struct {
		value T
		err   error
	}
	done := make(chan result, 1)
	go func() {
		v, err := f()
		done <- result{v, err}
	}()
	select {
	case got := <-done:
		return got.value, got.err
	case <-time.After(patience):
		var none T
		return none, fmt.Errorf("no answer within %s", patience)
	}
}

// outcomeOf turns an error of the system into the words of a capture.
func outcomeOf(rec capture.Record, err error) capture.Record {
	var errno syscall.Errno
	if errors.As(err, &errno) {
		rec.Errno = int64(errno)
	}
	switch {
	case err == nil:
		rec.Outcome = capture.OK
		return rec
	case errors.Is(err, fs.ErrPermission):
		rec.Outcome = capture.Denied
	case errors.Is(err, fs.ErrNotExist):
		rec.Outcome = capture.NotExposed
	default:
		rec.Outcome, rec.Detail = capture.Failed, err.Error()
	}
	rec.Raw = nil
	return rec
}
