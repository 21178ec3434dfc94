package standin

import (
	"time"

	"rolltop.example/rolltop/core/inventory"
)

// Earlier gives inventories of a few machines from before some work was done on
// them: their plans have been followed, in whole or in part.
func Earlier(fleet []*inventory.Document) []*inventory.Document {
	var out []*inventory.Document
	whole, part := 0, 0
	for _, d := range fleet {
		if d.OS.Platform.Or("") != "windows" || d.TPM.State.Or("") != "ready" || d.Firmware.BootMode.Or("") != "uefi" ||
			d.Storage.System.Encryption.State.Or("") != "on" {
			continue
		}
		switch d.Firmware.SecureBoot.Or("") {
		case "on": // everything was settled
			if whole++; whole > 4 {
				continue
			}
		case "off": // the TPM was, and secure boot is still off
			if part++; part > 2 {
				continue
			}
		default:
			continue
		}
		before := *d
		before.TakenAt = d.TakenAt.Add(-time.Duration(9+2*whole+3*part) * 24 * time.Hour)
		before.Firmware.SecureBoot = some("off")
		before.TPM = inventory.TPM{State: some("not-seen")}
		before.Gaps = append([]inventory.Gap{{
			Fact:   "tpm.version",
			Cause:  inventory.NotOffered,
			Detail: "no TPM is seen that could tell",
		}}, d.Gaps...)
		out = append(out, &before)
	}
	return out
}
