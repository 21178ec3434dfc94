package auth

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"
	"sync"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"
)

// Parameters of argon2id (RFC 9106, section 4, with less memory so that sign-ins do
// not crowd out the rest). One lane, so that a comparison takes one core.
const (
	argonTime   = 3
	argonMemory = 32 << 10 // KiB
	argonLanes  = 1
	argonLength = 32
)

// Lengths of a password, in characters.
const (
	ShortestPassword = 12
	LongestPassword  = 1000
)

// Hash is how a password is kept: argon2id in its usual text form.
func Hash(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	key := argon2.IDKey([]byte(password), salt, argonTime, argonMemory, argonLanes, argonLength)
	b64 := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s",
		argon2.Version, argonMemory, argonTime, argonLanes, b64(salt), b64(key))
}

// Matches compares in constant time. A hash that cannot be read matches nothing.
func Matches(password, kept string) bool {
	parts := strings.Split(kept, "$")
	var memory, passes uint32
	var lanes uint8
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false
	}
	if n, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &passes, &lanes); n != 3 || err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || len(want) == 0 {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, passes, memory, lanes, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
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
