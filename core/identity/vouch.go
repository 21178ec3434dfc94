package identity

import "time"

// Speaker is who may speak for a known machine.
type Speaker struct {
	Key      string    // its public key; "" where it has none
	Token    int64     // the token that added it, [ByPerson] or [ByAnybody]
	SignedAt time.Time // of its latest signature, no later than that was received
}

// Tokens that are none: a person handed the machine in, or it is not known who did.
const (
	ByPerson  = 0
	ByAnybody = -1
)

// Sender is who hands an inventory in.
type Sender struct {
	Key     string    // the public key of a signature that fits; "" where it is not signed
	Created time.Time // of the signature, by the machine's clock
	Token   int64     // [ByPerson]: a person, or a program that may do everything
	// Imported says that the token may speak for machines that only persons handed in.
	Imported bool
}

// Vouch says why an inventory may not speak for a known machine, in a sentence, and ""
// where it may. A machine with a key is believed by its signature alone; one without is
// believed by the token that added it.
func Vouch(is Speaker, from Sender) (why string) {
	switch {
	case is.Key != "" && from.Key == "":
		return "It is not signed with the key of this machine. Run the collector there as administrator, which " +
			"signs the inventory, or check whether somebody else sent it."
	case is.Key != "" && from.Key != is.Key:
		return "It is signed with a different key: the disk or the system of the machine was replaced, or another " +
			"machine sent it."
	case is.Key != "" && !from.Created.After(is.SignedAt):
		return "Its signature is not later than the last one: it was sent again, or the clock of the machine was " +
			"set back."
	case is.Key != "" || is.Token == ByAnybody || from.Token == ByPerson || from.Token == is.Token:
		return ""
	case is.Token == ByPerson && from.Imported:
		return ""
	case is.Token == ByPerson:
		return "A person imported this machine, and the token cannot update imported machines: resolve it as the " +
			"same machine, or create a token with --imported."
	}
	return "It was sent with a different token than the one that added this machine, and the machine has no key of " +
		"its own."
}
