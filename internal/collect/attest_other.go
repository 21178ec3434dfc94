//go:build !linux && !windows

package collect

import "rolltop.example/rolltop/core/attest"

func openTPM() (attest.Ask, func(), error) { return nil, nil, ErrNoTPM }

func bootLog() ([]byte, error) { return nil, ErrNoTPM }
