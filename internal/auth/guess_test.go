package auth

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/trustelem/zxcvbn"
	"github.com/trustelem/zxcvbn/frequency"
)

// made is a password as people make them, of a few parts.
func made(r *rand.Rand, lists [][]string) string {
	var b strings.Builder
	for range 1 + r.IntN(4) {
		word := lists[r.IntN(len(lists))]
		switch r.IntN(9) {
		case 0, 1, 2:
			b.WriteString(word[r.IntN(min(len(word), 1+r.IntN(len(word))))])
		case 3:
			w := word[r.IntN(len(word))]
			b.WriteString(strings.ToUpper(w[:1]) + w[1:])
		case 4:
			b.WriteString(strings.NewReplacer("a", "4", "e", "3", "o", "0", "s", "$").Replace(word[r.IntN(len(word))]))
		case 5:
			fmt.Fprintf(&b, "%d", r.IntN(10_000))
		case 6:
			row := []string{"qwertyuiop", "asdfghjkl", "zxcvbnm", "1234567890", "abcdefghijkl"}[r.IntN(5)]
			i := r.IntN(len(row) - 3)
			b.WriteString(row[i : i+3+r.IntN(len(row)-i-2)])
		case 7:
			b.WriteString(strings.Repeat(string(rune('a'+r.IntN(26))), 1+r.IntN(5)))
		default:
			for range 1 + r.IntN(6) {
				b.WriteByte("abcdefghijkmnpqrstuvwxyz23456789-!. "[r.IntN(36)])
			}
		}
		if r.IntN(4) == 0 {
			b.WriteByte(" -_."[r.IntN(4)])
		}
	}
	return b.String()
}

// The estimate decides as the library does, whose words it uses: hardly ever is accepted what the library refuses,
// and seldom is refused what it accepts.
func TestGuessesAsTheLibrary(t *testing.T) {
	var names []string
	for name := range frequency.FrequencyLists {
		names = append(names, name)
	}
	slices.Sort(names)
	var lists [][]string
	for _, name := range names {
		lists = append(lists, frequency.FrequencyLists[name])
	}
	r := rand.New(rand.NewPCG(29, 11))
	accepted, refused, tooLenient, tooStrict := 0, 0, 0, 0
	for range 4000 {
		password := made(r, lists)
		if n := len([]rune(password)); n < ShortestPassword || n > 40 {
			continue
		}
		theirs := zxcvbn.PasswordStrength(password, []string{"ada", "rolltop"}).Guesses
		ours := guesses(password, "ada", "rolltop")
		switch {
		case theirs >= leastGuesses && ours >= leastGuesses:
			accepted++
		case theirs < leastGuesses && ours < leastGuesses:
			refused++
		case ours >= leastGuesses:
			tooLenient++
			t.Logf("accepted: %q, %.3g guesses; the library estimates %.3g", password, ours, theirs)
		default:
			tooStrict++
		}
	}
	t.Logf("%d accepted and %d refused by both; %d by the library alone, %d by us alone", accepted, refused, tooLenient,
		tooStrict)
	if accepted < 300 || refused < 100 {
		t.Errorf("%d and %d passwords are too few to compare", accepted, refused)
	}
	if 100*tooLenient > refused || 20*tooStrict > accepted {
		t.Errorf("%d of %d are accepted although the library refuses them, %d of %d the other way round", tooLenient,
			refused, tooStrict, accepted)
	}
}

// Long passwords, the worst of which repeat themselves, are looked at in bounded time.
func BenchmarkGuesses(b *testing.B) {
	for name, password := range map[string]string{
		"one letter": strings.Repeat("a", 100), "two letters": strings.Repeat("ab", 50),
		"words": strings.Repeat("lantern-and-rope ", 6)[:100],
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				guesses(password, "ada")
			}
		})
	}
}
