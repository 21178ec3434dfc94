package collect

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/decode/tpm"
)

// maxReply is the largest answer of a TPM, in bytes.
const maxReply = 4096

// askTPM asks a TPM for what never changes, which is all that it is ever asked.
// The file is opened without Go's poller: that would make it non-blocking, and
// the driver would then answer out of step.
func (r *reader) askTPM(name string) {
	if r.root != "" || name != "tpm0" {
		return
	}
	// the resource manager's; the other can be open once only
	source, path, command := linux.Ask2, "/dev/tpmrm0", tpm.Command2()
	if strings.TrimSpace(string(r.c.Get("/sys/class/tpm/"+name+"/tpm_version_major").Raw)) == "1" {
		source, path, command = linux.Ask12, "/dev/tpm0", tpm.Command12()
	}
	reply, err := within(func() ([]byte, error) { return exchange(path, command) })
	r.c.Add(r.outcome(capture.Record{Source: source, Raw: reply}, path, err))
}

func exchange(path string, command []byte) ([]byte, error) {
	fd, err := unix.Open(path, unix.O_RDWR|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, &os.PathError{Op: "open", Path: path, Err: err}
	}
	defer unix.Close(fd)
	return askDevice(fd, command, patience)
}

// askDevice gives an open TPM a command, and waits for its answer.
func askDevice(fd int, command []byte, wait time.Duration) ([]byte, error) {
	if n, err := unix.Write(fd, command); err != nil {
		return nil, err
	} else if n != len(command) {
		return nil, fmt.Errorf("only %d bytes of the command were taken", n)
	}
	ready := []unix.PollFd{{Fd: int32(fd), Events: unix.POLLIN}}
	if _, err := unix.Poll(ready, int(wait/time.Millisecond)); err != nil && !errors.Is(err, unix.EINTR) {
		return nil, err
	}
	b := make([]byte, maxReply)
	n, err := unix.Read(fd, b)
	if err != nil {
		return nil, err
	}
	return b[:n], nil
}
