package main

import (
	"context"
	"crypto/x509"
	"encoding/binary"
	"encoding/pem"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"rolltop.example/rolltop/core/decode/tpm"
)

// certify makes a software TPM in dir as a maker does: with a certificate of its endorsement key, and with that of who
// issued it, which leads to the maker's own. It gives the maker's own.
func certify(ctx context.Context, dir string) (*x509.CertPool, error) {
	made := filepath.Join(dir, "maker")
	file := func(name string) string { return filepath.Join(made, name) }
	if err := os.Mkdir(made, 0o700); err != nil {
		return nil, err
	}
	for name, text := range map[string]string{
		"issue.conf": fmt.Sprintf("statedir=%s\nsigningkey=%s\nissuercert=%s\ncertserial=%s\n", made, file("key.pem"),
			file("issuer.pem"), file("serial")),
		"options.conf": "",
		"setup.conf": fmt.Sprintf("create_certs_tool=/usr/bin/swtpm_localca\ncreate_certs_tool_config=%s\n"+
			"create_certs_tool_options=%s\nactive_pcr_banks=sha256\n", file("issue.conf"), file("options.conf")),
	} {
		if err := os.WriteFile(file(name), []byte(text), 0o600); err != nil {
			return nil, err
		}
	}
	out, err := exec.CommandContext(ctx, "swtpm_setup", "--tpm2", "--tpmstate", dir, "--config", file("setup.conf"),
		"--create-ek-cert").CombinedOutput()
	if err != nil {
		return nil, fmt.Errorf("the TPM gets no certificate: %w\n%s", err, out)
	}
	issuer, err := os.ReadFile(file("issuer.pem"))
	if err != nil {
		return nil, err
	}
	block, _ := pem.Decode(issuer)
	if block == nil {
		return nil, errors.New("the certificate of the issuer is not PEM")
	}
	if err := keep(ctx, dir, tpm.FirstIssuer, block.Bytes); err != nil {
		return nil, err
	}
	root, err := os.ReadFile(file("swtpm-localca-rootca-cert.pem"))
	if err != nil {
		return nil, err
	}
	pool := x509.NewCertPool()
	if !pool.AppendCertsFromPEM(root) {
		return nil, errors.New("the certificate of the maker is not PEM")
	}
	return pool, nil
}

// Commands, and what a place of a maker is (TPM 2.0 Library, part 2, sections 6.5.2 and 13.4): written by the
// platform, and read by everybody.
const (
	defineSpace    = 0x0000012A
	writeSpace     = 0x00000137
	handlePlatform = 0x4000000C
	placeOfMaker   = 0x42070001
)

// keep puts bytes into a place of the TPM whose state is in dir.
func keep(ctx context.Context, dir string, place uint32, content []byte) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	ask, ended, err := startSoftware(ctx, dir, "--tpm2")
	if err != nil {
		return err
	}
	public := be(uint32(place), uint16(0x0B), uint32(placeOfMaker), uint16(0), uint16(len(content)))
	commands := [][]byte{authorised(defineSpace, be(uint32(handlePlatform)),
		append(be(uint16(0), uint16(len(public))), public...))}
	for at := 0; at < len(content); at += tpm.NVChunk {
		part := content[at:min(at+tpm.NVChunk, len(content))]
		commands = append(commands, authorised(writeSpace, be(uint32(handlePlatform), place),
			append(append(be(uint16(len(part))), part...), be(uint16(at))...)))
	}
	err = askAll(ask, commands...)
	stop()
	<-ended // what was kept is then in its files
	return err
}

// authorised is a command that an empty password authorises.
func authorised(code uint32, handles, parameters []byte) []byte {
	session := be(uint32(9), uint32(0x40000009), uint16(0), uint8(0), uint16(0))
	rest := append(append(handles, session...), parameters...)
	return append(be(uint16(0x8002), uint32(10+len(rest)), code), rest...)
}

// be is numbers one after the other, the highest byte of each first.
func be(numbers ...any) []byte {
	var b []byte
	for _, n := range numbers {
		b, _ = binary.Append(b, binary.BigEndian, n)
	}
	return b
}

// appears waits until a socket is there.
func appears(socket string) error {
	for range 100 {
		if _, err := os.Stat(socket); err == nil {
			return nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	return fmt.Errorf("the software TPM does not start")
}
