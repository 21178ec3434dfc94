package collect

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"

	"golang.org/x/sys/unix"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/bootlog"
)

// Where the kernel gives out a TPM 2.0 through its resource manager, and what firmware measured.
const (
	tpmDevice   = "/dev/tpmrm0"
	bootLogFile = "/sys/kernel/security/tpm0/binary_bios_measurements"
)

// openTPM opens the device once for all commands: handles are of one opening.
func openTPM() (attest.Ask, func(), error) {
	fd, err := unix.Open(tpmDevice, unix.O_RDWR|unix.O_CLOEXEC, 0)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil, ErrNoTPM
	} else if err != nil {
		return nil, nil, &os.PathError{Op: "open", Path: tpmDevice, Err: err}
	}
	ask := func(command []byte) ([]byte, error) { return askDevice(fd, command, keyPatience) }
	return ask, func() { _ = unix.Close(fd) }, nil
}

// bootLog reads the log. Its file tells no size.
func bootLog() ([]byte, error) {
	f, err := os.Open(bootLogFile)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("the kernel does not give out the boot log (%s): it has none, or securityfs is not "+
			"mounted", bootLogFile)
	} else if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, bootlog.MaxBytes+1))
}
