package auth

import (
	"crypto/rand"
	"fmt"
	"sync"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
)

// kept says how much work a password takes (RFC 9106, section 4, with less memory so that sign-ins
// do not crowd out the rest). One lane, so that a comparison takes one core.
var kept = argon2id.Params{
	Memory:      32 << 10, // KiB
	Iterations:  3,
	Parallelism: 1,
	SaltLength:  16,
	KeyLength:   32,
}

// Lengths of a password, in characters.
const (
	ShortestPassword = 12
	LongestPassword  = 1000
)

// Hash is how a password is kept: argon2id in its usual text form.
func Hash(password string) string {
	hash, err := argon2id.CreateHash(password, &kept)
	if err != nil {
		panic(err) // the system has no random numbers
	}
	return hash
}

// Matches compares in constant time. A hash that cannot be read matches nothing.
func Matches(password, hash string) bool {
	if _, _, key, err := argon2id.DecodeHash(hash); err != nil || len(key) == 0 {
		return false
	}
	same, err := argon2id.ComparePasswordAndHash(password, hash)
	return err == nil && same
}

// Nobody is a hash that an unknown name is compared with, so that it takes as long as
// a known one. It is made when first needed: it takes a tenth of a second.
var Nobody = sync.OnceValue(func() string { return Hash(rand.Text()) })

// leastGuesses is how many guesses a program that knows common passwords, words, names,
// dates and rows of keys should need at least.
const leastGuesses = 1e9

// Weakness says in a sentence why a password is not taken, and "" where it is. It never
// repeats the password. name is whose it is to be.
func Weakness(password, name string) string {
	switch n := utf8.RuneCountInString(password); {
	case n < ShortestPassword:
		return fmt.Sprintf("A password has at least %d characters.", ShortestPassword)
	case n > LongestPassword:
		return fmt.Sprintf("A password has at most %d characters.", LongestPassword)
	}
	tried := password[:min(len(password), 100)] // the estimate takes long for longer ones
	if guesses(tried, name, "rolltop") < leastGuesses {
		return "This password is too easy to guess: it is common, repeats itself, or follows the keyboard. Use " +
			"several unrelated words."
	}
	return ""
}
