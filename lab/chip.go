package main

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"sync"

	"rolltop.example/rolltop/core/decode/bootlog"
	"rolltop.example/rolltop/core/decode/sample"
)

// chip is a TPM that answers on loopback: for each connection one command, each with its length before it.
type chip struct {
	net.Listener
	mu    sync.Mutex
	reply func(command []byte) []byte
}

// startedSecurely is the start that the log of a chip tells of.
var startedSecurely = sample.BootLog{SecureBoot: 1, Keys: 2, Entries: []string{"Lodestar"}}

// capability is the command that asks a TPM what it is (TPM 2.0 Library, part 2, section 6.5.2).
const capability = 0x0000017A

// startChip starts a made-up one whose machine was started with secure boot, and writes the log of that start into a
// file.
func startChip(seed, log string) (*chip, error) {
	content, registers := startedSecurely.Write()
	if err := os.WriteFile(log, content, 0o600); err != nil {
		return nil, err
	}
	made := sample.Chip{Seed: seed, Registers: registers}
	return listen(func(command []byte) []byte {
		if binary.BigEndian.Uint32(command[6:]) == capability {
			return []byte(sample.TPM2Answer("PLVR", 7, 85))
		}
		return made.Answer(command)
	})
}

// Commands of a TPM 1.2 that stand for a person at the machine (TPM Main Specification 1.2, part 2, section 17).
const (
	present       = 0x4000000A // TSC_ORD_PhysicalPresence
	deactivate    = 0x00000072 // TPM_ORD_PhysicalSetDeactivated
	byCommand     = uint16(0x0020)
	personIsThere = uint16(0x0008)
)

// startOldChip starts a TPM 1.2 in software, with its state in a directory. A person can have deactivated it. It ends
// with the context.
func startOldChip(ctx context.Context, dir string, deactivated bool) (*chip, error) {
	ask, _, err := startSoftware(ctx, dir)
	if err != nil {
		return nil, err
	}
	if deactivated {
		if err := askAll(ask,
			be(uint16(0xC1), uint32(12), uint32(present), byCommand),
			be(uint16(0xC1), uint32(12), uint32(present), personIsThere),
			be(uint16(0xC1), uint32(11), uint32(deactivate), uint8(1)),
		); err != nil {
			return nil, err
		}
	}
	return listen(ask)
}

// extend is the command that adds a measurement to a register (TPM 2.0 Library, part 2, section 6.5.2).
const extend = 0x00000182

// startSoftwareChip starts a TPM 2.0 in software whose registers hold what a made-up log measured, which it writes into
// a file. It ends with the context.
func startSoftwareChip(ctx context.Context, dir, log string) (*chip, error) {
	content, _ := startedSecurely.Write()
	if err := os.WriteFile(log, content, 0o600); err != nil {
		return nil, err
	}
	measured, err := bootlog.Parse(content)
	if err != nil {
		return nil, err
	}
	ask, _, err := startSoftware(ctx, dir, "--tpm2")
	if err != nil {
		return nil, err
	}
	for _, e := range measured.Events {
		if e.Type == bootlog.NoAction {
			continue
		}
		digests := be(uint32(len(e.Digests)))
		for algorithm, digest := range e.Digests {
			digests = append(append(digests, be(algorithm)...), digest...)
		}
		if err := askAll(ask, authorised(extend, be(uint32(e.Register)), digests)); err != nil {
			return nil, err
		}
	}
	return listen(ask)
}

// startSoftware starts a TPM in software, and gives what asks it. It ends with the context; ended is closed then.
func startSoftware(ctx context.Context, dir string, generation ...string) (
	ask func(command []byte) []byte, ended <-chan struct{}, err error,
) {
	socket := filepath.Join(dir, "software.sock")
	cmd := exec.CommandContext(ctx, "swtpm", append([]string{"socket", "--tpmstate", "dir=" + dir, "--server",
		"type=unixio,path=" + socket, "--flags", "not-need-init,startup-clear"}, generation...)...)
	if err := errors.Join(cmd.Start(), appears(socket)); err != nil {
		return nil, nil, err
	}
	end := make(chan struct{})
	go func() {
		_ = cmd.Wait()
		close(end)
	}()
	conn, err := net.Dial("unix", socket)
	if err != nil {
		return nil, nil, err
	}
	return func(command []byte) []byte {
		head := make([]byte, 10)
		if _, err := conn.Write(command); err != nil {
			return nil
		}
		if _, err := io.ReadFull(conn, head); err != nil {
			return nil
		}
		rest := make([]byte, max(0, int(binary.BigEndian.Uint32(head[2:]))-len(head)))
		if _, err := io.ReadFull(conn, rest); err != nil {
			return nil
		}
		return append(head, rest...)
	}, end, nil
}

// askAll gives commands that have to succeed.
func askAll(ask func(command []byte) []byte, commands ...[]byte) error {
	for _, command := range commands {
		if answer := ask(command); len(answer) < 10 || binary.BigEndian.Uint32(answer[6:]) != 0 {
			return fmt.Errorf("the TPM answers %x to %x", answer, command)
		}
	}
	return nil
}

// listen answers on loopback.
func listen(reply func(command []byte) []byte) (*chip, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	c := &chip{Listener: l, reply: reply}
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			c.answer(conn)
		}
	}()
	return c, nil
}

func (c *chip) port() string { return strconv.Itoa(c.Addr().(*net.TCPAddr).Port) }

func (c *chip) answer(conn net.Conn) {
	defer conn.Close()
	c.mu.Lock()
	defer c.mu.Unlock()
	var n uint32
	if err := binary.Read(conn, binary.LittleEndian, &n); err != nil || n < 10 || n > 1<<16 {
		return
	}
	command := make([]byte, n)
	if _, err := io.ReadFull(conn, command); err != nil {
		return
	}
	out := c.reply(command)
	_, _ = conn.Write(append(binary.LittleEndian.AppendUint32(nil, uint32(len(out))), out...))
}
