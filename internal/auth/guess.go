package auth

import (
	"math"
	"slices"
	"strings"
	"sync"
	"unicode"

	"github.com/trustelem/zxcvbn/adjacency"
	"github.com/trustelem/zxcvbn/frequency"
)

// The library that estimates guesses loads its words when the program starts, which takes longer than all else that
// a command does before its first request. So its words and keyboards are used here, when a password is looked at
// for the first time, by the method that it and others of its kind publish (D. L. Wheeler, USENIX Security 2016).
// A test compares the two.

// words are how soon a guesser comes to a word, by the word in lower case.
var words = sync.OnceValue(func() map[string]int {
	out := make(map[string]int, 100_000)
	for _, list := range frequency.FrequencyLists {
		for i, word := range list {
			word = strings.ToLower(word)
			if rank, known := out[word]; !known || i+1 < rank {
				out[word] = i + 1
			}
		}
	}
	return out
})

// leet are what signs stand for in words: each in two readings.
var leet = [2]*strings.Replacer{
	strings.NewReplacer("4", "a", "@", "a", "8", "b", "(", "c", "3", "e", "6", "g", "9", "g", "1", "i", "!", "i",
		"|", "i", "0", "o", "$", "s", "5", "s", "+", "t", "7", "t", "%", "x", "2", "z"),
	strings.NewReplacer("4", "a", "@", "a", "8", "b", "{", "c", "[", "c", "<", "c", "3", "e", "6", "g", "9", "g",
		"1", "l", "!", "i", "|", "l", "0", "o", "$", "s", "5", "s", "7", "l", "%", "x", "2", "z"),
}

// Least numbers of guesses of a part of a password: of one letter, and of more.
const (
	oneLetter   = 11
	moreLetters = 51
)

// guesses estimates how many guesses a program needs that knows common passwords, words, names, dates, rows of keys,
// repetitions, and the known words. A password is taken as the parts that are the easiest to guess.
func guesses(password string, known ...string) float64 {
	text := []rune(password)
	n := len(text)
	if n == 0 {
		return 1
	}
	cost := make([][]float64, n)
	for i := range text {
		cost[i] = make([]float64, n+1)
		for j := i + 1; j <= n; j++ {
			cost[i][j] = guessesOfPart(text[i:j], known)
			if j-i < n {
				cost[i][j] = max(cost[i][j], [2]float64{oneLetter - 1, moreLetters - 1}[min(j-i-1, 1)])
			}
		}
	}
	// least[i] is the least product of the costs of parts that make up the first i letters; one round for each number
	// of parts, since more parts can be in more orders.
	least := make([]float64, n+1)
	for i := range least {
		least[i] = math.Inf(1)
	}
	least[0] = 1
	best, orders := math.Inf(1), 1.0
	for parts := 1; parts <= n; parts++ {
		next := make([]float64, n+1)
		for j := range next {
			next[j] = math.Inf(1)
			for i := range j {
				next[j] = min(next[j], least[i]*cost[i][j])
			}
		}
		least, orders = next, orders*float64(parts)
		best = min(best, orders*least[n]+math.Pow(10_000, float64(parts-1)))
		if math.Pow(10_000, float64(parts)) > best {
			break // more parts alone take more
		}
	}
	return best
}

// guessesOfPart is how many guesses one part takes, by the easiest way to it.
func guessesOfPart(part []rune, known []string) float64 {
	n := len(part)
	best := max(math.Pow(10, float64(n)), [2]float64{oneLetter, moreLetters}[min(n-1, 1)])
	text := strings.ToLower(string(part))
	best = min(best, ofWord(text, known)*ofCapitals(part))
	if n >= 3 {
		best = min(best, ofSequence(part), ofKeys(text))
	}
	for unit := 1; unit <= n/2; unit++ {
		if n%unit == 0 && strings.Repeat(string(part[:unit]), n/unit) == string(part) {
			return min(best, guesses(string(part[:unit]), known...)*float64(n/unit))
		}
	}
	return min(best, ofDate(text))
}

func ofWord(text string, known []string) float64 {
	rank := func(word string) float64 {
		if slices.ContainsFunc(known, func(k string) bool { return strings.EqualFold(k, word) }) {
			return 1
		}
		if r := words()[word]; r > 0 {
			return float64(r)
		}
		return math.Inf(1)
	}
	runes := []rune(text)
	slices.Reverse(runes)
	best := min(rank(text), 2*rank(string(runes)))
	for _, reading := range leet {
		if word := reading.Replace(text); word != text {
			best = min(best, 2*rank(word))
		}
	}
	return best
}

// ofCapitals is how many ways of capitals a guesser tries: few at the usual places, more elsewhere.
func ofCapitals(part []rune) float64 {
	capitals, letters := 0, 0
	for _, c := range part {
		if unicode.IsLetter(c) {
			letters++
			if unicode.IsUpper(c) {
				capitals++
			}
		}
	}
	switch {
	case capitals == 0:
		return 1
	case capitals == letters, capitals == 1 && (unicode.IsUpper(part[0]) || unicode.IsUpper(part[len(part)-1])):
		return 2
	}
	ways := 0.0
	for i := 1; i <= min(capitals, letters-capitals); i++ {
		ways += choose(letters, i)
	}
	return max(ways, 2)
}

func choose(n, k int) float64 {
	out := 1.0
	for i := 1; i <= k; i++ {
		out = out * float64(n-k+i) / float64(i)
	}
	return out
}

// ofSequence is of letters or digits at equal distances: abcd, 97531.
func ofSequence(part []rune) float64 {
	step := part[1] - part[0]
	if step == 0 || step > 5 || step < -5 {
		return math.Inf(1)
	}
	for i := 1; i < len(part); i++ {
		if part[i]-part[i-1] != step {
			return math.Inf(1)
		}
	}
	base := 26.0
	switch {
	case strings.ContainsRune("aAzZ019", part[0]):
		base = 4
	case unicode.IsDigit(part[0]):
		base = 10
	}
	if step < 0 {
		base *= 2
	}
	return base * float64(len(part))
}

// ofKeys is of keys that lie side by side, by how often the hand turns.
func ofKeys(text string) float64 {
	best := math.Inf(1)
	for _, name := range []string{"qwerty", "keypad"} {
		keys := adjacency.Graphs[name]
		turns, direction := 0, -1
		for i := 1; i < len(text); i++ {
			to := slices.IndexFunc(keys.Graph[text[i-1:i]], func(k string) bool {
				return k != "" && strings.Contains(k, text[i:i+1])
			})
			if to < 0 {
				turns = -1
				break
			}
			if to != direction {
				turns, direction = turns+1, to
			}
		}
		if turns < 1 {
			continue
		}
		sum := 0.0
		for i := 2; i <= len(text); i++ {
			for j := 1; j <= min(turns, i-1); j++ {
				sum += choose(i-1, j-1) * float64(len(keys.Graph)) * math.Pow(keys.AverageDegree, float64(j))
			}
		}
		best = min(best, sum)
	}
	return best
}

// Dates: years that people choose, and the least distance that they are taken to have from now.
const (
	firstYear, lastYear = 1000, 2050
	nearYears           = 20
	thisYear            = 2026
)

// ofDate is of a year, or of a day with or without signs between its parts.
func ofDate(text string) float64 {
	var numbers []string
	digits := strings.FieldsFunc(text, func(c rune) bool { return strings.ContainsRune(" -/._", c) })
	signs := len(text) - len(strings.Join(digits, ""))
	for _, d := range digits {
		if strings.Trim(d, "0123456789") != "" {
			return math.Inf(1)
		}
	}
	joined := strings.Join(digits, "")
	switch {
	case len(digits) == 1 && len(joined) == 4 && joined >= "1900" && joined < "2050":
		return yearsFrom(joined)
	case len(digits) == 1 && len(joined) >= 4 && len(joined) <= 8:
		for i := 1; i <= 4 && i < len(joined)-1; i++ {
			for j := i + 1; j <= i+4 && j < len(joined); j++ {
				numbers = []string{joined[:i], joined[i:j], joined[j:]}
				if days := ofDay(numbers); !math.IsInf(days, 1) {
					return days
				}
			}
		}
	case len(digits) == 3 && signs == 2:
		return 4 * ofDay(digits)
	}
	return math.Inf(1)
}

// ofDay is of three numbers that are a day, a month and a year in some order.
func ofDay(numbers []string) float64 {
	best := math.Inf(1)
	for _, order := range [][3]int{{0, 1, 2}, {1, 0, 2}, {2, 1, 0}, {1, 2, 0}} {
		day, month, year := numbers[order[0]], numbers[order[1]], numbers[order[2]]
		if len(day) > 2 || len(month) > 2 || len(year) != 2 && len(year) != 4 {
			continue
		}
		d, m := atoi(day), atoi(month)
		if d >= 1 && d <= 31 && m >= 1 && m <= 12 {
			best = min(best, 365*yearsFrom(year))
		}
	}
	return best
}

func yearsFrom(year string) float64 {
	y := atoi(year)
	if len(year) == 2 {
		y += 1900
		if y < 1950 {
			y += 100
		}
	}
	if y < firstYear || y > lastYear {
		return math.Inf(1)
	}
	return max(math.Abs(float64(y-thisYear)), nearYears)
}

func atoi(digits string) (n int) {
	for _, c := range digits {
		n = 10*n + int(c-'0')
	}
	return n
}
