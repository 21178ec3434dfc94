package collect

import (
	"errors"
	"time"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/tpm"
)

// TPM is a conversation with the TPM 2.0 of this machine, with what firmware measured into it.
type TPM struct {
	*attest.Talk
	Log   []byte
	close func()
}

// ErrNoTPM says that this machine has no TPM 2.0 that could attest anything, or its system gives none out.
var ErrNoTPM = errors.New("this machine has no TPM 2.0 that its system gives out")

// keyPatience is how long one command may take: some TPMs make a key in half a minute.
const keyPatience = time.Minute

// OpenTPM begins a conversation with the TPM of this machine. The error may be [ErrNoTPM], [fs.ErrPermission],
// [tpm.ErrPassword] or [attest.ErrNoRegisters].
func OpenTPM() (*TPM, error) {
	ask, done, err := openTPM()
	if err != nil {
		return nil, err
	}
	log, err := bootLog()
	if err == nil {
		var t *attest.Talk
		if t, err = attest.Begin(untilReady(ask)); err == nil {
			return &TPM{t, log, done}, nil
		}
	}
	done()
	return nil, err
}

// Close ends the conversation, and the keys in the TPM with it.
func (t *TPM) Close() {
	if t.close != nil {
		t.close()
	}
}

// busyTries bounds how often a TPM that is busy with itself is asked again, some milliseconds apart.
const (
	busyTries = 200
	busyPause = 10 * time.Millisecond
)

// untilReady asks again where a TPM says that it is busy with itself.
func untilReady(ask attest.Ask) attest.Ask {
	return func(command []byte) ([]byte, error) {
		for try := 0; ; try++ {
			reply, err := ask(command)
			if err != nil || !tpm.Busy(reply) || try == busyTries {
				return reply, err
			}
			time.Sleep(busyPause)
		}
	}
}
