package sample

import (
	"bytes"
	"crypto/aes"
	"crypto/cipher"
	"crypto/ecdh"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
)

// Chip is a made-up TPM 2.0: it answers what a collector asks one, with keys that follow from its seed.
// Registers begin as zeros; see [BootLog].
type Chip struct {
	Seed        string
	Registers   [8][]byte // of SHA-256
	Certificate []byte    // of its endorsement key on a curve; nil: none
	Issuers     [][]byte  // what is in its places for certificates of issuers, from the first one on
	Password    bool      // somebody set a password for the endorsement hierarchy

	keys map[uint32]*chipKey
}

type chipKey struct {
	private *ecdsa.PrivateKey
	area    []byte
}

// Codes of commands that it answers.
const (
	chipCreate   = 0x131
	chipActivate = 0x147
	chipSecret   = 0x151
	chipQuote    = 0x158
	chipNVRead   = 0x14E
	chipNVPublic = 0x169
	chipSession  = 0x176
	chipRegister = 0x17E
)

func chipU16(v int) string    { return string(binary.BigEndian.AppendUint16(nil, uint16(v))) }
func chipU32(v uint32) string { return string(binary.BigEndian.AppendUint32(nil, v)) }
func chipSized(s string) string {
	return chipU16(len(s)) + s
}

// refusals of a TPM.
const (
	chipUnknown  = 0x18B // a handle that is none
	chipBadAuth  = 0x9A2
	chipNoScheme = 0x2D2
	chipOther    = 0x143 // a command that it does not know
	chipBadSeal  = 0x1DF
)

// Answer answers a command.
func (c *Chip) Answer(command []byte) []byte {
	code := binary.BigEndian.Uint32(command[6:])
	in := command[10:]
	var handles []uint32
	take := func() uint32 {
		v := binary.BigEndian.Uint32(in)
		in = in[4:]
		return v
	}
	count := map[uint32]int{chipCreate: 1, chipActivate: 2, chipSecret: 2, chipQuote: 1, chipNVRead: 2}[code]
	for range count {
		handles = append(handles, take())
	}
	if count > 0 {
		in = in[take():] // the sessions
	}
	refusal, handle, out := c.run(code, handles, in)
	if refusal != 0 {
		return []byte("\x80\x01" + chipU32(10) + chipU32(refusal))
	}
	if count == 0 {
		return []byte("\x80\x01" + chipU32(uint32(10+len(out))) + chipU32(0) + out)
	}
	out = handle + chipU32(uint32(len(out))) + out + "\x00\x00\x01\x00\x00"
	return []byte("\x80\x02" + chipU32(uint32(10+len(out))) + chipU32(0) + out)
}

func (c *Chip) run(code uint32, handles []uint32, in []byte) (refusal uint32, handle, out string) {
	switch code {
	case chipCreate:
		if c.Password {
			return chipBadAuth, "", ""
		}
		template := sizedOf(in[2+binary.BigEndian.Uint16(in):])
		if binary.BigEndian.Uint16(template) != 0x23 {
			return chipNoScheme, "", ""
		}
		return 0, chipU32(c.create(template)), chipSized(string(c.keys[0x80000000|uint32(len(c.keys)-1)].area))
	case chipQuote:
		key := c.keys[handles[0]]
		if key == nil {
			return chipUnknown, "", ""
		}
		quote := c.quote(string(sizedOf(in)), key)
		return 0, "", chipSized(quote) + sign(key.private, quote)
	case chipActivate:
		secret, ok := c.activate(c.keys[handles[0]], c.keys[handles[1]], in)
		if !ok {
			return chipBadSeal, "", ""
		}
		return 0, "", chipSized(secret)
	case chipSession:
		return 0, "", chipU32(0x03000000) + chipSized(Zeros(16))
	case chipSecret:
		return 0, "", chipSized("") + "\x80\x24\x40\x00\x00\x07" + chipSized("")
	case chipRegister:
		if binary.BigEndian.Uint16(in[4:]) != 0x0B {
			return 0, "", chipU32(1) + chipU32(0) + chipU32(0)
		}
		return 0, "", chipU32(1) + chipU32(1) + "\x00\x0B\x03\xFF\x00\x00" + chipU32(8) // and their values
	case chipNVPublic:
		index := binary.BigEndian.Uint32(in)
		held := c.held(index)
		if held == nil {
			return chipUnknown, "", ""
		}
		public := chipU32(index) + "\x00\x0B" + chipU32(0x62072001) + chipSized("") + chipU16(len(held))
		return 0, "", chipSized(public) + chipSized("")
	case chipNVRead:
		size, at := binary.BigEndian.Uint16(in), binary.BigEndian.Uint16(in[2:])
		return 0, "", chipSized(string(c.held(handles[1])[at : at+size]))
	}
	return chipOther, "", ""
}

// held is what is at a place of the chip; nil: nothing.
func (c *Chip) held(index uint32) []byte {
	switch at := index - 0x01C00100; {
	case index == 0x01C0000A:
		return c.Certificate
	case index >= 0x01C00100 && int(at) < len(c.Issuers):
		return c.Issuers[at]
	}
	return nil
}

func sizedOf(b []byte) []byte { return b[2 : 2+binary.BigEndian.Uint16(b)] }

// create makes the key that follows from the seed and a template for a key on P-256.
func (c *Chip) create(template []byte) (handle uint32) {
	private := c.private(string(template))
	// the point takes the place of the two values at the end of the template
	end := bytes.LastIndex(template, []byte("\x00\x03\x00\x10")) + 4
	x, y := coordinates(private)
	area := string(template[:end]) + chipSized(x) + chipSized(y)
	if c.keys == nil {
		c.keys = map[uint32]*chipKey{}
	}
	handle = 0x80000000 | uint32(len(c.keys))
	c.keys[handle] = &chipKey{private, []byte(area)}
	return handle
}

func (c *Chip) private(use string) *ecdsa.PrivateKey {
	sum := sha256.Sum256([]byte(c.Seed + "\x00" + use))
	sum[0] &= 0x7F // below the order of the curve
	key, err := ecdsa.ParseRawPrivateKey(elliptic.P256(), sum[:])
	if err != nil {
		panic("sample: " + err.Error())
	}
	return key
}

// coordinates are those of the point of a key.
func coordinates(key *ecdsa.PrivateKey) (x, y string) {
	b, err := key.PublicKey.Bytes()
	if err != nil {
		panic("sample: " + err.Error())
	}
	return string(b[1:33]), string(b[33:])
}

// Endorsement is the public key that certificates of the chip are for, where its template is that of a curve.
func (c *Chip) Endorsement(template []byte) *ecdsa.PublicKey {
	return &c.private(string(template)).PublicKey
}

// quote is what the chip says of its registers.
func (c *Chip) quote(nonce string, key *chipKey) string {
	sum := sha256.New()
	for _, r := range c.Registers {
		if r == nil {
			r = make([]byte, 32)
		}
		sum.Write(r)
	}
	name := sha256.Sum256(key.area)
	return "\xFFTCG\x80\x18" + chipSized("\x00\x0B"+string(name[:])) + chipSized(nonce) + Zeros(8) + chipU32(7) +
		chipU32(0) + "\x01" + Zeros(8) + chipU32(1) + "\x00\x0B\x03\xFF\x00\x00" + chipSized(string(sum.Sum(nil)))
}

func sign(key *ecdsa.PrivateKey, message string) string {
	sum := sha256.Sum256([]byte(message))
	r, s, err := ecdsa.Sign(rand.Reader, key, sum[:])
	if err != nil {
		panic("sample: " + err.Error())
	}
	return "\x00\x18\x00\x0B" + chipSized(string(r.FillBytes(make([]byte, 32)))) +
		chipSized(string(s.FillBytes(make([]byte, 32))))
}

// activate opens a credential for a key, as the standard has it: written apart from what seals it.
func (c *Chip) activate(key, endorsement *chipKey, in []byte) (secret string, ok bool) {
	if key == nil || endorsement == nil {
		return "", false
	}
	blob := sizedOf(in)
	point := sizedOf(in[2+len(blob):])
	x, y := sizedOf(point), sizedOf(point[34:])
	their, err := ecdh.P256().NewPublicKey([]byte("\x04" + string(x) + string(y)))
	if err != nil {
		return "", false
	}
	mine, err := endorsement.private.ECDH()
	if err != nil {
		return "", false
	}
	z, err := mine.ECDH(their)
	if err != nil {
		return "", false
	}
	own, _ := coordinates(endorsement.private)
	seed := sha256.Sum256([]byte(chipU32(1) + string(z) + "IDENTITY\x00" + string(x) + own))
	sum := sha256.Sum256(key.area)
	name := "\x00\x0B" + string(sum[:])
	derive := func(label, more string, bits uint32) []byte {
		h := hmac.New(sha256.New, seed[:])
		h.Write([]byte(chipU32(1) + label + "\x00" + more + chipU32(bits)))
		return h.Sum(nil)[:bits/8]
	}
	mac, hidden := sizedOf(blob), blob[2+32:]
	check := hmac.New(sha256.New, derive("INTEGRITY", "", 256))
	check.Write(hidden)
	check.Write([]byte(name))
	if !hmac.Equal(mac, check.Sum(nil)) {
		return "", false
	}
	block, err := aes.NewCipher(derive("STORAGE", name, 128))
	if err != nil {
		return "", false
	}
	open := make([]byte, len(hidden))
	//lint:ignore SA1019 the standard asks for this mode
	cipher.NewCFBDecrypter(block, make([]byte, 16)).XORKeyStream(open, hidden)
	return string(sizedOf(open)), true
}

// BootLog is what made-up firmware measures while it starts a machine.
type BootLog struct {
	SecureBoot byte // value of the variable
	Keys       int  // in each of its lists; 0: set-up mode
	Version    string
	Entries    []string // names of boot entries
	Disk       string   // GUID of the disk of the loader; "": no partition table is measured
	Legacy     bool     // it never hands over as UEFI firmware does

	bytes     string
	registers [8][]byte
}

// Types of its events, and vendors of variables.
const (
	logSeparator = 4
	logVersion   = 8
	logVariable  = 0x80000001
	logBootEntry = 0x8000000C
	logImage     = 0x80000003
	logTable     = 0x80000006
	logAction    = 0x80000007
	vendorGlobal = "8be4df61-93ca-11d2-aa0d-00e098032b8c"
	vendorImage  = "d719b2cb-3d3a-4596-a3bc-dad00e67656f"
)

// Write is the log, and the registers after it.
func (l BootLog) Write() (log []byte, registers [8][]byte) {
	l.bytes = U32(0) + U32(3) + Zeros(20)
	head := "Spec ID Event03\x00" + U32(0) + "\x00\x02\x00\x02" + U32(2) + U16(4) + U16(20) + U16(11) + U16(32) + "\x00"
	l.bytes += U32(uint32(len(head))) + head
	for i := range l.registers {
		l.registers[i] = make([]byte, 32)
	}
	l.add(0, logVersion, Wide(l.Version), "")
	list := ""
	for range l.Keys {
		list += GUID(
			"a5c059a1-94e4-4aa7-87b5-ab155c2bf072",
		) + U32(
			28+16+8,
		) + U32(
			0,
		) + U32(
			16+8,
		) + Zeros(
			16,
		) + "made-up."
	}
	l.variable(7, logVariable, vendorGlobal, "SecureBoot", string([]byte{l.SecureBoot}))
	l.variable(7, logVariable, vendorGlobal, "PK", list)
	l.variable(7, logVariable, vendorGlobal, "KEK", list)
	l.variable(7, logVariable, vendorImage, "db", list)
	l.variable(7, logVariable, vendorImage, "dbx", list)
	l.boot()
	for i := range 8 {
		l.add(i, logSeparator, Zeros(4), "")
	}
	if l.Disk != "" {
		header := Put(92, map[int]string{0: "EFI PART", 56: GUID(l.Disk), 80: U32(128), 84: U32(128)})
		l.add(5, logTable, header+U64(2)+Zeros(256), "")
	}
	l.add(4, logImage, Zeros(40), "the loader itself")
	if !l.Legacy {
		l.add(5, logAction, "Exit Boot Services Invocation", "")
		l.add(5, logAction, "Exit Boot Services Returned with Success", "")
	}
	return []byte(l.bytes), l.registers
}

// boot measures the boot entries.
func (l *BootLog) boot() {
	numbers := ""
	for i := range l.Entries {
		numbers += U16(uint16(i))
	}
	l.variable(1, logBootEntry, vendorGlobal, "BootOrder", numbers)
	for i, name := range l.Entries {
		l.variable(1, logBootEntry, vendorGlobal, "Boot000"+hex.EncodeToString([]byte{byte(i)})[1:],
			U32(1)+U16(4)+Wide(name)+"\x7F\xFF\x04\x00")
	}
}

func (l *BootLog) variable(register int, kind uint32, vendor, name, data string) {
	wide := Wide(name)
	wide = wide[:len(wide)-2] // without a zero at its end
	l.add(register, kind, GUID(vendor)+U64(uint64(len(name)))+U64(uint64(len(data)))+wide+data, "")
}

// add measures the data, or something else where the data only describe it.
func (l *BootLog) add(register int, kind uint32, data, measured string) {
	if measured == "" {
		measured = data
	}
	sum := sha256.Sum256([]byte(measured))
	l.bytes += U32(uint32(register)) + U32(kind) + U32(2) + U16(4) + Zeros(20) + U16(11) + string(sum[:]) +
		U32(uint32(len(data))) + data
	next := sha256.Sum256(append(bytes.Clone(l.registers[register]), sum[:]...))
	l.registers[register] = next[:]
}
