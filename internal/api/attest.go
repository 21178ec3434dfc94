package api

import "time"

// Attest asks a machine for a proof by its TPM.
type Attest struct {
	Nonce string    `json:"nonce" doc:"To be sent back with the proof; it can be used once"`
	Until time.Time `json:"until" doc:"When it expires"`
}

// Evidence is what a machine sends to prove how it was started. Structures are those of the TPM 2.0 Library
// specification, part 2, in base64.
type Evidence struct {
	Nonce        string   `json:"nonce" maxLength:"64" doc:"That the service asked with"`
	Key          []byte   `json:"key" maxLength:"8192" doc:"Public area of the key that signed the quote (TPMT_PUBLIC)"`
	Endorsement  []byte   `json:"endorsement" maxLength:"8192" doc:"Public area of the endorsement key (TPMT_PUBLIC)"`
	Quote        []byte   `json:"quote" maxLength:"8192" doc:"Over registers 0 to 7 (TPMS_ATTEST). Its nonce is SHA-256 of the words “rolltop attestation”, a zero byte, the 32 bytes of the nonce of the request, and the machine's public key as in keyid"`
	Signature    []byte   `json:"signature" maxLength:"8192" doc:"Over the quote (TPMT_SIGNATURE)"`
	Log          []byte   `json:"log" maxLength:"1400000" doc:"Boot log of the firmware (TCG PC Client Platform Firmware Profile)"`
	Certificates [][]byte `json:"certificates,omitempty" maxItems:"8" doc:"Of the endorsement key, then of who issued it (DER)"`
}

// Challenge is a secret that only the TPM opens.
type Challenge struct {
	Credential []byte `json:"credential" doc:"TPM2B_ID_OBJECT"`
	Secret     []byte `json:"secret" doc:"TPM2B_ENCRYPTED_SECRET"`
}

// OpenedSecret is what the TPM of a machine opened.
type OpenedSecret struct {
	Nonce  string `json:"nonce" maxLength:"64" doc:"That the service asked with"`
	Secret []byte `json:"secret" maxLength:"64"`
}

// AttestAnswer is the answer to a proof.
type AttestAnswer struct {
	State     string     `json:"state" enum:"enrolling,attested,contradicted,refused,another-tpm" doc:"enrolling: the TPM has to open the challenge first"`
	Why       string     `json:"why,omitempty" doc:"Why it is no proof"`
	Challenge *Challenge `json:"challenge,omitempty" doc:"What the TPM has to open"`
	Facts     []string   `json:"facts,omitempty" doc:"Facts that are attested now"`
	Denied    []string   `json:"denied,omitempty" doc:"Facts of which the system reports something else"`
}

// Attestation is what the TPM of a machine proved.
type Attestation struct {
	State       string         `json:"state" enum:"none,attested,contradicted,refused,another-tpm,ended" doc:"ended: the latest proof no longer counts"`
	Says        string         `json:"says"`
	At          time.Time      `json:"at,omitzero" doc:"When the machine sent it"`
	TPM         string         `json:"tpm,omitempty" doc:"Name of the endorsement key: which TPM it is"`
	Key         string         `json:"key,omitempty" doc:"Name of the key that signed"`
	Certificate string         `json:"certificate,omitempty" enum:"none,unknown,verified" doc:"Of the TPM, by its maker"`
	Maker       string         `json:"maker,omitempty"`
	Facts       []AttestedFact `json:"facts,omitempty"`
	Measured    []Measured     `json:"measured,omitempty" doc:"What else the boot log proves"`
}

// AttestedFact is one fact that a TPM attested.
type AttestedFact struct {
	Fact     string `json:"fact"`
	Label    string `json:"label"`
	Value    string `json:"value" doc:"By the TPM"`
	Reported string `json:"reported,omitempty" doc:"By the system, if it is something else"`
}

// Measured is something that the firmware measured, in words.
type Measured struct {
	Label string `json:"label"`
	Value string `json:"value"`
}
