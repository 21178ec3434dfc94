package efi_test

import (
	"testing"

	"rolltop.example/rolltop/core/decode/efi"
)

func TestByte(t *testing.T) {
	if b, err := efi.Byte([]byte{6, 0, 0, 0, 1}); err != nil || b != 1 {
		t.Errorf("%d %v", b, err)
	}
	for _, bad := range [][]byte{nil, {6, 0, 0, 0}, {6, 0, 0, 0, 1, 1}} {
		if _, err := efi.Byte(bad); err == nil {
			t.Errorf("% x was taken", bad)
		}
	}
}

func TestSecureBoot(t *testing.T) {
	for _, tt := range []struct {
		on, setup byte
		want      string
	}{{1, 0, "on"}, {0, 0, "off"}, {0, 1, "setup"}} {
		if got := efi.SecureBoot(tt.on, tt.setup); got != tt.want {
			t.Errorf("%d %d: %s, want %s", tt.on, tt.setup, got, tt.want)
		}
	}
}
