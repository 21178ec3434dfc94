//go:build !windows

package collect

// Probe answers a question that [Capture] asks of this program in a process of
// its own, and says whether there was one. Only Windows needs that.
func Probe() bool { return false }
