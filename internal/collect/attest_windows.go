package collect

import (
	"fmt"
	"unsafe"

	"golang.org/x/sys/windows"

	"rolltop.example/rolltop/core/attest"
	"rolltop.example/rolltop/core/decode/bootlog"
)

// openTPM opens a context of the TPM's services: handles are of one context.
func openTPM() (attest.Ask, func(), error) {
	tbs := windows.NewLazySystemDLL("tbs.dll")
	context, code := tbsContext(tbs)
	if code != 0 {
		return nil, nil, ErrNoTPM
	}
	ask := func(command []byte) ([]byte, error) {
		reply, code := submitIn(tbs, context, command)
		if code != 0 {
			return nil, fmt.Errorf("the system's TPM services answer with the code %#x", code)
		}
		return reply, nil
	}
	return ask, func() { status(tbs.NewProc("Tbsip_Context_Close"), context) }, nil
}

// bootLog asks for the log of this start.
func bootLog() ([]byte, error) {
	tbs := windows.NewLazySystemDLL("tbs.dll")
	context, code := tbsContext(tbs)
	if code != 0 {
		return nil, ErrNoTPM
	}
	defer status(tbs.NewProc("Tbsip_Context_Close"), context)
	get := tbs.NewProc("Tbsi_Get_TCG_Log")
	var size uint32
	if code := status(get, context, 0, uintptr(unsafe.Pointer(&size))); code != 0 || size == 0 {
		return nil, fmt.Errorf("the system does not give out the boot log (code %#x)", code)
	}
	if size > bootlog.MaxBytes {
		return nil, fmt.Errorf("the boot log has %d bytes, more than %d", size, bootlog.MaxBytes)
	}
	b := make([]byte, size)
	if code := status(get, context, uintptr(unsafe.Pointer(unsafe.SliceData(b))),
		uintptr(unsafe.Pointer(&size))); code != 0 {
		return nil, fmt.Errorf("the boot log cannot be read (code %#x)", code)
	}
	return b[:min(int(size), len(b))], nil
}
