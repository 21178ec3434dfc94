package list

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// set reads a cell as people write them; what cannot be read is said.
func (im *importer) set(row *RowDoc, field, text, head string) (why string) {
	if text == "" || text == "-" || text == "–" || strings.EqualFold(text, "n/a") {
		return ""
	}
	switch field {
	case "cores":
		n, rest := leadingNumber(text)
		if n < 1 || n > 65536 || n != math.Trunc(n) || strings.HasPrefix(strings.TrimSpace(rest), "+") {
			return fmt.Sprintf("cores %q is not a whole number; the value was ignored", clip(text))
		}
		row.Cores = int(n)
	case "rated_mhz":
		mhz, ok := megahertz(text, head)
		if !ok {
			return fmt.Sprintf("speed %q has no known unit; the value was ignored", clip(text))
		}
		row.RatedMHz = mhz
	case "built_in_tpm":
		yes, ok := truthOf(text)
		if !ok {
			return fmt.Sprintf("%q is neither yes nor no; the value was ignored", clip(text))
		}
		row.BuiltInTPM = &yes
	case "architecture":
		known := map[string]string{
			"x86":    "x86",
			"32-bit": "x86",
			"x86-64": "x86-64",
			"x64":    "x86-64",
			"64-bit": "x86-64",
			"arm64":  "arm64",
		}
		if row.Architecture = known[strings.ToLower(text)]; row.Architecture == "" {
			return fmt.Sprintf("%q is not an architecture; the value was ignored", clip(text))
		}
	case "features":
		row.Features = strings.Fields(strings.ToLower(strings.NewReplacer(",", " ", ";", " ").Replace(text)))
	case "model_year":
		year, ok := yearIn(text)
		if !ok {
			return fmt.Sprintf("%q names no year, or several; the value was ignored", clip(text))
		}
		row.ModelYear = year
	case "note":
		row.Note = text
	}
	return ""
}

// yearIn is the only year that a text names: “2019”, “early 2020”, “March 2021”.
func yearIn(text string) (year int, ok bool) {
	for _, digits := range strings.FieldsFunc(text, func(r rune) bool { return r < '0' || r > '9' }) {
		n, err := strconv.Atoi(digits)
		if len(digits) != 4 || err != nil || n < firstYear || n > lastYear {
			continue
		}
		if year != 0 && year != n {
			return 0, false
		}
		year = n
	}
	return year, year != 0
}

func truthOf(s string) (yes, ok bool) {
	switch strings.ToLower(s) {
	case "yes", "true", "y", "1", "✓", "✔":
		return true, true
	case "no", "false", "n", "0", "✗", "✘":
		return false, true
	}
	return false, false
}

// leadingNumber reads the number at the front of a text; a comma may stand for
// the point.
func leadingNumber(s string) (n float64, rest string) {
	end := 0
	for end < len(s) && (s[end] >= '0' && s[end] <= '9' || (s[end] == '.' || s[end] == ',') && end > 0) {
		end++
	}
	n, err := strconv.ParseFloat(strings.Replace(strings.TrimRight(s[:end], ".,"), ",", ".", 1), 64)
	if err != nil {
		return -1, s
	}
	return n, s[end:]
}

// megahertz reads a speed, with the unit behind it or in its heading.
func megahertz(text, head string) (int, bool) {
	n, rest := leadingNumber(text)
	unit := strings.ToLower(strings.TrimSpace(rest))
	if unit == "" {
		unit = strings.ToLower(head)
	}
	switch {
	case strings.Contains(unit, "ghz"):
		n *= 1000
	case !strings.Contains(unit, "mhz"):
		return 0, false
	default:
		n = grouped(strings.TrimSuffix(text, rest), n)
	}
	mhz := int(math.Round(n))
	return mhz, mhz >= 1 && mhz <= 100_000
}

// grouped reads 1,900 and 1.900 as nineteen hundred, which among megahertz is
// what they mean; anything else stays n.
func grouped(digits string, n float64) float64 {
	i := strings.IndexAny(digits, ".,")
	if i < 1 || i > 3 || len(digits) != i+4 {
		return n
	}
	whole, err := strconv.Atoi(digits[:i] + digits[i+1:])
	if err != nil {
		return n
	}
	return float64(whole)
}
