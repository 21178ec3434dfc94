package collect

import (
	"errors"
	"net"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"rolltop.example/rolltop/core/capture"
)

func read(c *capture.Document, o Options) error {
	if o.Root != "" {
		return errors.New("--root reads the tree of a Linux machine, and only on Linux")
	}
	c.Elevated = elevated()
	m := &Mac{
		Sysctl:     func(name string) ([]byte, error) { return unix.SysctlRaw(name) },
		Interfaces: interfaces,
		Patience:   30 * time.Second,
	}
	m.Read(c, o)
	return nil
}

// interfaces names those with hardware and says which run; no addresses.
func interfaces() string {
	list, err := net.Interfaces()
	if err != nil {
		return ""
	}
	var out strings.Builder
	for _, i := range list {
		if !strings.HasPrefix(i.Name, "en") {
			continue
		}
		state := " down"
		if i.Flags&net.FlagRunning != 0 && i.Flags&net.FlagUp != 0 {
			state = " running"
		}
		out.WriteString(i.Name + state + "\n")
	}
	return out.String()
}

// other: under translation, the kernel says so.
func other(*capture.Document) string {
	if n, err := unix.SysctlUint32("sysctl.proc_translated"); err == nil && n == 1 {
		return "rolltop-collect-darwin-arm64"
	}
	return ""
}
