package main

import (
	"encoding/binary"
	"io"
	"net"
	"os"
	"strconv"
	"sync"

	"rolltop.example/rolltop/core/decode/sample"
)

// chip is a made-up TPM that answers on loopback: for each connection one command, each with its length before it.
type chip struct {
	net.Listener
	mu  sync.Mutex
	tpm sample.Chip
}

// capability is the command that asks a TPM what it is (TPM 2.0 Library, part 2, section 6.5.2).
const capability = 0x0000017A

// startChip starts one whose machine was started with secure boot, and writes the log of that start into a file.
func startChip(seed, log string) (*chip, error) {
	content, registers := sample.BootLog{SecureBoot: 1, Keys: 2, Entries: []string{"Lodestar"}}.Write()
	if err := os.WriteFile(log, content, 0o600); err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	c := &chip{Listener: l, tpm: sample.Chip{Seed: seed, Registers: registers}}
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
	out := []byte(sample.TPM2Answer("PLVR", 7, 85))
	if binary.BigEndian.Uint32(command[6:]) != capability {
		out = c.tpm.Answer(command)
	}
	_, _ = conn.Write(append(binary.LittleEndian.AppendUint32(nil, uint32(len(out))), out...))
}
