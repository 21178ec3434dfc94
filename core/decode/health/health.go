// Package health decodes what drives say of their own state: the health log of NVMe (NVM Express Base
// Specification 2.0, section 5.16.1.3), the SMART status of ATA (ACS-4, section 7.48.8; SAT-4, section 12.2.2.6
// for how it comes back), and the informational exceptions of SCSI (SPC-5, section 7.3.10).
//
// A drive that says it is failing is believed. One that does not may fail all the same.
package health

import (
	"encoding/binary"
	"errors"
	"fmt"
)

// Report is what a drive says of itself.
type Report struct {
	Bad         bool   // it expects to fail, or no longer stores
	Why         string // in which respect; "" where it is good
	WearPercent int64  // of its rated life; -1: it does not say
}

// NVMeLog is the size of the health log, in bytes.
const NVMeLog = 512

// Bits of the critical warning. High temperature and a failed backup of volatile memory are no wear.
const (
	spareLow   = 1 << 0
	unreliable = 1 << 2
	readOnly   = 1 << 3
)

// NVMe decodes a health log.
func NVMe(b []byte) (Report, error) {
	if len(b) < NVMeLog {
		return Report{}, fmt.Errorf("health: the log has %d bytes, and %d are needed", len(b), NVMeLog)
	}
	b = b[:NVMeLog]
	// A drive that answers with nothing has no log: its temperature would be the absolute zero.
	if binary.LittleEndian.Uint16(b[1:]) == 0 {
		return Report{}, errors.New("health: the log is empty")
	}
	r := Report{WearPercent: int64(b[5])}
	switch warning := b[0]; {
	case warning&readOnly != 0:
		r.Bad, r.Why = true, "it only lets itself be read"
	case warning&unreliable != 0:
		r.Bad, r.Why = true, "it reports many errors"
	case warning&spareLow != 0:
		r.Bad, r.Why = true, "its spare blocks are nearly used up"
	}
	return r, nil
}

// The registers with which SMART RETURN STATUS answers.
const (
	passMid, passHigh = 0x4F, 0xC2
	failMid, failHigh = 0xF4, 0x2C
)

// ATA decodes the sense data that carry the registers of a drive after SMART RETURN STATUS, in either form.
func ATA(sense []byte) (Report, error) {
	mid, high, ok := registers(sense)
	if !ok {
		return Report{}, errors.New("health: the answer does not carry the registers of the drive")
	}
	r := Report{WearPercent: -1}
	switch {
	case mid == passMid && high == passHigh:
		return r, nil
	case mid == failMid && high == failHigh:
		r.Bad, r.Why = true, "a value of it is beyond the limit of its maker"
		return r, nil
	}
	return Report{}, fmt.Errorf("health: the drive answers with the registers %02X %02X, which mean nothing", mid, high)
}

func registers(sense []byte) (mid, high byte, ok bool) {
	if len(sense) < 8 {
		return 0, 0, false
	}
	switch sense[0] & 0x7F {
	case 0x72: // descriptors, of which 09h has the registers
		end := min(len(sense), 8+int(sense[7]))
		for at := 8; at+2 <= end; at += 2 + int(sense[at+1]) {
			if sense[at] == 0x09 && sense[at+1] >= 12 && at+14 <= end {
				return sense[at+9], sense[at+11], true
			}
		}
	case 0x70: // fixed: information is error, status, device, count; then the address
		if len(sense) >= 12 {
			return sense[10], sense[11], true
		}
	}
	return 0, 0, false
}

// impending is the code with which a drive says that it expects to fail.
const impending = 0x5D

// SCSI decodes the log page of informational exceptions.
func SCSI(b []byte) (Report, error) {
	if len(b) < 4 || b[0]&0x3F != 0x2F {
		return Report{}, errors.New("health: this is not the page of informational exceptions")
	}
	end := 4 + int(binary.BigEndian.Uint16(b[2:]))
	if end > len(b) || end < 10 {
		return Report{}, fmt.Errorf("health: the page says that it has %d bytes, and has %d", end, len(b))
	}
	if binary.BigEndian.Uint16(b[4:]) != 0 || b[7] < 2 {
		return Report{}, errors.New("health: the page does not begin with its general parameter")
	}
	r := Report{WearPercent: -1}
	if b[8] == impending {
		r.Bad, r.Why = true, "it expects to fail"
	}
	return r, nil
}

// Predicted decodes what Windows says of a drive: whether it predicts a failure (STORAGE_PREDICT_FAILURE).
func Predicted(b []byte) (Report, error) {
	if len(b) < 4 {
		return Report{}, errors.New("health: the answer is too short")
	}
	r := Report{WearPercent: -1}
	if binary.LittleEndian.Uint32(b) != 0 {
		r.Bad, r.Why = true, "it predicts its failure"
	}
	return r, nil
}
