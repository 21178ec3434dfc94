package say

import "time"

// Vouched says how it is vouched for that the facts of a machine are its own: by its key
// since a time, by the token that added it, or by nobody but the person who handed them in.
func Vouched(key, token bool, since time.Time) string {
	switch {
	case key && !since.IsZero():
		return "Signed by the machine with its own key, known since " + Day(since) + ". What it reads is not attested."
	case key:
		return "Signed by the machine with its own key. What it reads is not attested."
	case token:
		return "Sent with the token that speaks for this machine. It has no key of its own, so whoever has the token can send facts in its name."
	}
	return "Handed in by a person. No machine and no token vouches for these facts."
}
