package inventory

// Kinds of what unlocks an encrypted volume, never a key. A passphrase may be a key file as well where the system tells
// no difference; a key file is one that the system names as such.
const (
	ByTPM          = "tpm"
	ByTPMAndPIN    = "tpm-and-pin"
	ByTPMAndKey    = "tpm-and-key-file"
	ByTPMPINAndKey = "tpm-and-pin-and-key-file"
	ByPassphrase   = "passphrase"
	ByKeyFile      = "key-file"
	ByRecoveryKey  = "recovery-key"
	BySecurityKey  = "security-key"
	BySmartCard    = "smart-card"
	ByOther        = "other"
)

// Unlocks are all kinds of what unlocks a volume, in the order in which a machine has them.
func Unlocks() []string {
	return []string{ByTPM, ByTPMAndPIN, ByTPMAndKey, ByTPMPINAndKey, ByPassphrase, ByKeyFile, ByRecoveryKey,
		BySecurityKey, BySmartCard, ByOther}
}
