package list

import (
	"bytes"
	"strings"
	"unicode"
	"unicode/utf8"
)

// normalRoom is how long a name may be for [List.Find] not to allocate.
const normalRoom = 160

// Normal brings a processor's name into the form in which names are compared:
// lower case, trade marks and the clock suffix gone, “with … graphics” gone, the
// words CPU, Processor, “6-Core” and “11th Gen” gone, blanks collapsed.
func Normal(name string) string { return string(appendNormal(nil, name)) }

// appendNormal appends the normal form of a processor's name.
func appendNormal(to []byte, name string) []byte {
	start := len(to)
	last := start // where the word that is being written begins
	ordinal := false
	for i := 0; i <= len(name); {
		c, size := rune(' '), 1
		if i < len(name) {
			if c = rune(name[i]); c >= utf8.RuneSelf {
				c, size = utf8.DecodeRuneInString(name[i:])
			}
			if c == '(' || c >= utf8.RuneSelf {
				if n := markAt(name[i:]); n > 0 {
					c, size = ' ', n
				}
			}
		}
		if c > ' ' && c < utf8.RuneSelf && c != '@' {
			if c >= 'A' && c <= 'Z' {
				c += 'a' - 'A'
			}
			to = append(to, byte(c))
			i += size
			continue
		}
		if c != ' ' && c != '@' && !unicode.IsSpace(c) {
			to = utf8.AppendRune(to, unicode.ToLower(c))
			i += size
			continue
		}
		word := to[last:]
		switch {
		case string(word) == "with" || string(word) == "w/":
			i, c = len(name), '@' // what follows names the graphics
			to = to[:last]
		case string(word) == "cpu", string(word) == "processor", bytes.HasSuffix(word, []byte("-core")),
			string(word) == "gen" && ordinal:
			to = to[:last]
			ordinal = false
		case len(word) > 0:
			ordinal = isOrdinal(word)
			if ordinal && isGen(name[min(i+size, len(name)):]) {
				to = to[:last]
			} else {
				to = append(to, ' ')
			}
		}
		last = len(to)
		if c == '@' {
			break // what follows is the clock
		}
		i += size
	}
	return bytes.TrimRight(to, " ")
}

// markAt is the length of a trade mark that a text begins with, or 0.
func markAt(s string) int {
	for _, m := range [...]string{"(r)", "(R)", "(tm)", "(TM)", "(c)", "(C)", "®", "™", "©"} {
		if len(s) >= len(m) && s[:len(m)] == m {
			return len(m)
		}
	}
	return 0
}

// isOrdinal: 11th, 2nd.
func isOrdinal(word []byte) bool {
	n := 0
	for n < len(word) && word[n] >= '0' && word[n] <= '9' {
		n++
	}
	switch string(word[n:]) {
	case "st", "nd", "rd", "th":
		return n > 0
	}
	return false
}

// isGen says whether the next word of a text is “gen”, in any case.
func isGen(text string) bool {
	word, _, _ := strings.Cut(strings.TrimLeft(text, " "), " ")
	return strings.EqualFold(word, "gen")
}

// appendPlain appends a model's name in lower case with blanks collapsed: of an
// identifier every word counts.
func appendPlain(to []byte, name string) []byte {
	blank := true
	for _, c := range name {
		if unicode.IsSpace(c) {
			if !blank {
				to = append(to, ' ')
			}
			blank = true
			continue
		}
		to, blank = utf8.AppendRune(to, unicode.ToLower(c)), false
	}
	return bytes.TrimRight(to, " ")
}
