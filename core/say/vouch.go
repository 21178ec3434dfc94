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
		return "Signed by the machine with its own key, known since " + Day(since) + ". What it reads is not attested."
	case TokenSender:
		return "Sent with the token that speaks for this machine. It has no key of its own, so whoever has the token " +
			"can send facts in its name."
	case PersonSender:
		return "Handed in by a person. No machine and no token vouches for these facts."
	}
	return "It was not noted who sent these facts. The next sender of them speaks for this machine."
}
