package collect

import (
	"fmt"
	"time"
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
