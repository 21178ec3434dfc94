package windows

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// What is asked of the system volume: methods of Win32_EncryptableVolume.
const (
	Conversion = "GetConversionStatus"
	Protects   = "GetProtectionStatus"
)

// Unlocks asks for the number of key protectors of a type (KeyProtectorType); 0 stands for all types.
func Unlocks(kind int) string { return fmt.Sprintf("GetKeyProtectors:%d", kind) }

// What is asked of the system volume answers with one of these.
const (
	fullyDecrypted, fullyEncrypted, pausedDecrypting = 0, 1, 5 // ConversionStatus; those between are under way
	protectionOff, protectionOn                      = 0, 1    // ProtectionStatus; 2 is unknown
)

// protectors are the types of key protectors, from 1, as kinds of what unlocks a volume.
var protectors = []string{
	1: inventory.ByTPM, 2: inventory.ByKeyFile, 3: inventory.ByRecoveryKey, 4: inventory.ByTPMAndPIN,
	5: inventory.ByTPMAndKey, 6: inventory.ByTPMPINAndKey,
	7: inventory.ByOther, 8: inventory.ByPassphrase, 9: inventory.ByOther, 10: inventory.ByOther,
}

// Protectors is how many types of key protectors there are.
var Protectors = len(protectors) - 1

// bound are the kinds that need the machine's own TPM.
var bound = []string{inventory.ByTPM, inventory.ByTPMAndPIN, inventory.ByTPMAndKey, inventory.ByTPMPINAndKey}

// encryptable is what the system says of the encryption of its volume: by what was asked, the answer. A method that
// failed has none.
type encryptable map[string]int

func readEncryptable(r capture.Record) encryptable {
	out := encryptable{}
	if r.Outcome != capture.OK {
		return out
	}
	for line := range strings.Lines(string(r.Raw)) {
		f := strings.Fields(line)
		if len(f) != 3 || f[1] != "0" {
			continue
		}
		if n, err := strconv.Atoi(f[2]); err == nil && n >= 0 {
			out[f[0]] = n
		}
	}
	return out
}

// state settles the state of the encryption, if the volume is or gets encrypted by the system itself. That it is not
// does not mean that nothing else encrypts it.
func (e encryptable) state(x *decoder) (settled bool) {
	converted, told := e[Conversion]
	protects, tells := e[Protects]
	switch {
	case tells && protects == protectionOn:
		x.Set(fact.EncryptionState, "on", Volume)
	case told && tells && converted == fullyEncrypted && protects == protectionOff:
		x.Set(fact.EncryptionState, "paused", Volume)
	case told && converted > fullyEncrypted && converted <= pausedDecrypting:
		x.Gap(fact.EncryptionState, inventory.NotOffered, "the volume is being encrypted or decrypted just now",
			"Take the inventory again when that is done.")
	default:
		return false
	}
	x.Set(fact.EncryptionKind, "platform", Volume)
	return true
}

// unlocks are the kinds of what unlocks the volume. Where one type was not told, the list may lack some.
func (e encryptable) unlocks(x *decoder) {
	all, told := e[Unlocks(0)]
	found, sum := []string{}, 0
	for kind := 1; kind < len(protectors) && told; kind++ {
		n, tells := e[Unlocks(kind)]
		if n > 0 && !slices.Contains(found, protectors[kind]) {
			found = append(found, protectors[kind])
		}
		told, sum = tells, sum+n
	}
	if !told {
		x.RefusedOr(fact.KeyProtectors, "the system does not list what unlocks the volume", Volume)
		x.RefusedOr(fact.EncryptionTPMBound, "the system does not list what unlocks the volume", Volume)
		return
	}
	if all > sum && !slices.Contains(found, inventory.ByOther) {
		found = append(found, inventory.ByOther) // of a type that is newer than this program
	}
	x.D.Storage.System.Encryption.Protectors = found
	x.D.Said(fact.KeyProtectors.String(), Volume)
	switch {
	case slices.ContainsFunc(found, func(kind string) bool { return slices.Contains(bound, kind) }):
		x.SetBool(fact.EncryptionTPMBound, true, Volume)
	case slices.Contains(found, inventory.ByOther):
		const detail = "one of what unlocks the volume is of a kind that may use a TPM"
		x.Gap(fact.EncryptionTPMBound, inventory.NotOffered, detail, "")
	default:
		x.SetBool(fact.EncryptionTPMBound, false, Volume)
	}
}
