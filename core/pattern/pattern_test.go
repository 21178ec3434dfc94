package pattern_test

import (
	"testing"

	"rolltop.example/rolltop/core/pattern"
	"rolltop.example/rolltop/internal/expect"
)

func TestOf(t *testing.T) {
	quay := pattern.Of(`^quay ([0-9]+)$`)
	expect.Same(t, "a match", quay().FindStringSubmatch("quay 12")[1], "12")
	first := quay()
	expect.That(t, "it is compiled once", first == quay())
	wrong := pattern.Of(`(`) // nothing happens before it is used
	defer func() { expect.That(t, "a text that is none panics", recover() != nil) }()
	wrong()
}
