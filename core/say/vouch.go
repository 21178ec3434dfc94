package say

import "time"

// Sender is who the facts of a machine came from.
type Sender uint8

// The senders.
const (
	UnknownSender Sender = iota // from before that was noted
	PersonSender
	TokenSender
	KeySender
)

// Vouched says how it is vouched for that the facts of a machine are its own; since is
// when its key became known.
func Vouched(by Sender, since time.Time) string {
	switch by {
	case KeySender:
		return "Signed by the machine with its own key, known since " + Day(since) + ". The values are not attested."
	case TokenSender:
		return "Submitted with the token of this machine. It has no key of its own, so anyone with the token can " +
			"submit facts in its name."
	case PersonSender:
		return "Imported by a person. Nothing assures the origin of these facts."
	}
	return "The sender of these facts was not recorded. The next sender will be bound to this machine."
}
