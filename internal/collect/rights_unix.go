//go:build !windows

package collect

import "os"

func elevated() bool { return os.Geteuid() == 0 }
