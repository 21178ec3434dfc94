// Package titles decides which installed titles an inventory may hold, and
// decodes the lists of packages that systems keep.
package titles

import (
	"strings"

	"rolltop.example/rolltop/core/capture"
)

// Try is what closes the gap of titles that were not asked for.
const Try = "Take the inventory again with --software all, or with the titles that matter."

// Keep are the titles asked for.
type Keep struct {
	All   bool
	Named []string // compared without case
}

// All is the word that asks for every title.
const All = "all"

// Ask reads what a person asked for: all, or titles with commas between. Empty
// asks for none.
func Ask(s string) Keep {
	if strings.EqualFold(strings.TrimSpace(s), All) {
		return Keep{All: true}
	}
	var k Keep
	for name := range strings.SplitSeq(s, ",") {
		if name = strings.TrimSpace(name); name != "" {
			k.Named = append(k.Named, name)
		}
	}
	return k
}

// Lines is the form in a capture: a title each line, * for all.
func (k Keep) Lines() string {
	if k.All {
		return "*"
	}
	return strings.Join(k.Named, "\n")
}

// Of reads the form of [Keep.Lines]; false where no titles were asked for.
func Of(r capture.Record) (Keep, bool) {
	text := string(r.Raw)
	if r.Outcome != capture.OK || text == "" {
		return Keep{}, false
	}
	if text == "*" {
		return Keep{All: true}, true
	}
	return Keep{Named: strings.Split(text, "\n")}, true
}

// None says that no titles were asked for.
func (k Keep) None() bool { return !k.All && len(k.Named) == 0 }

// Has says that the title was asked for. A name that begins a title stands for it, so
// that version numbers in titles do no harm.
func (k Keep) Has(title string) bool {
	if k.All {
		return true
	}
	title = strings.ToLower(title)
	for _, n := range k.Named {
		if rest, ok := strings.CutPrefix(title, strings.ToLower(n)); ok && (rest == "" || !isWord(rest[0])) {
			return true
		}
	}
	return false
}

func isWord(c byte) bool { return c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c >= 0x80 }

// Filter keeps of lines those that are titles asked for.
func (k Keep) Filter(lines string) string {
	var out []string
	for line := range strings.Lines(lines) {
		if name := strings.TrimSpace(line); k.Has(name) {
			out = append(out, name)
		}
	}
	return strings.Join(out, "\n")
}
