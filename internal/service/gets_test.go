package service

import (
	"testing"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/expect"
)

// What was read of a machine before it was changed is not kept after the change.
func TestGetsBeforeAChangeAreNotKept(t *testing.T) {
	c, rel := new(getsCache), new(release.Release)
	known := func() int {
		out := map[int64]*gets{}
		c.take(rel, map[int64]string{1: "in-place", 2: "in-place"}, out)
		return len(out)
	}
	got := func() map[int64]*gets {
		return map[int64]*gets{
			1: {Machine: wave.Machine{Way: "in-place", Package: "old"}},
			2: {Machine: wave.Machine{Way: "in-place", Package: "old"}},
		}
	}
	read := c.now()
	c.forget([]int64{1}, false)
	c.keep(read, rel, got())
	expect.Same(t, "kept of what was read before", known(), 0)
	c.forget(nil, false) // nothing was changed
	both := got()
	c.keep(c.now(), rel, both)
	expect.Same(t, "kept of what was read after", known(), 2)
	expect.That(t, "machines that get the same share it", both[1] == both[2])
	c.forget([]int64{1}, false)
	expect.Same(t, "kept of the machine that was not changed", known(), 1)
	c.forget(nil, true)
	expect.Same(t, "kept after all were", known(), 0)
}
