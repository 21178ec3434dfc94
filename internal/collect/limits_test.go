package collect

import (
	"strings"
	"testing"
)

// A device that does not answer is given up after a while.
func TestWithin(t *testing.T) {
	hang := make(chan struct{})
	defer close(hang)
	_, err := within(func() (int, error) {
		<-hang
		return 0, nil
	})
	if err == nil || !strings.Contains(err.Error(), "no answer within") {
		t.Error(err)
	}
	if n, err := within(func() (int, error) { return 7, nil }); n != 7 || err != nil {
		t.Error(n, err)
	}
}
