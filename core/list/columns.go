package list

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	"rolltop.example/rolltop/core/doc"
)

// fieldHeadings are the headings of each field.
type fieldHeadings map[string][]string

// headings by which a field is found, in the order of preference; without
// units, punctuation and case.
var headings = fieldHeadings{
	"name": {"processor name", "model name", "model identifier", "identifier", "processor model", "processor",
		"processor number", "model number", "model", "name", "cpu", "product", "part"},
	"cores": {"cores", "core count", "of cores", "number of cores", "no of cores", "processor cores"},
	"rated_mhz": {"base frequency", "processor base frequency", "base clock", "base speed", "rated speed",
		"rated mhz", "base clock speed", "frequency", "clock", "speed", "clock speed"},
	"architecture": {"architecture", "word size"},
	"built_in_tpm": {"built in tpm", "tpm built in", "tpm"},
	"features":     {"features", "instruction sets", "instruction set extensions"},
	"model_year":   {"model year", "year of the model"},
	"note":         {"note", "notes", "remark", "remarks", "comment", "year", "released"},
}

// nameParts are headings that stand before the model's in a name, in order.
var nameParts = [][]string{
	{"manufacturer", "maker", "vendor", "company"}, {"brand", "family", "line", "series", "product line"},
}

// match finds the column of each field.
func (im *importer) match(given map[string]string) error {
	plain := make([]string, len(im.Heads))
	for i, h := range im.Heads {
		plain[i] = PlainHeading(h)
	}
	taken := map[int]bool{}
	use := func(field string, at ...int) {
		u := Used{Field: field}
		for _, i := range at {
			taken[i] = true
			u.From = append(u.From, im.Heads[i])
		}
		im.columns[field], im.out.Used = at, append(im.out.Used, u)
	}
	for field := range given {
		if !slices.Contains(columns, field) {
			return fmt.Errorf("a list has no field %q; %s", field, doc.Suggest(field, columns))
		}
	}
	for _, field := range columns {
		if text, ok := given[field]; ok {
			var at []int
			literal, said := "", false
			for _, h := range strings.Split(text, "+") {
				h = strings.TrimSpace(h)
				if len(h) >= 2 && (h[0] == '\'' || h[0] == '"') && h[len(h)-1] == h[0] {
					literal, said = h[1:len(h)-1], true
					continue
				}
				i := im.heading(h)
				if i < 0 {
					return fmt.Errorf("%s has no column %q; its columns are %s", im.Where, h, join(im.Heads))
				}
				if said {
					im.between[i] = literal
				}
				said = false
				at = append(at, i)
			}
			if len(at) == 0 {
				return fmt.Errorf("%s does not name a column; its columns are %s", text, join(im.Heads))
			}
			use(field, at...)
			continue
		}
		for _, want := range headings[field] {
			i := slices.Index(plain, want)
			if i < 0 || taken[i] {
				continue
			}
			var at []int
			if field == "name" && !strings.Contains(want, "identifier") {
				for _, part := range nameParts {
					if j := slices.IndexFunc(plain, func(h string) bool { return slices.Contains(part, h) }); j >= 0 &&
						j != i {
						at = append(at, j)
					}
				}
			}
			use(field, append(at, i)...)
			break
		}
	}
	if im.columns["name"] == nil {
		return fmt.Errorf(
			"no column of %s has a heading for names; its columns are %s: choose one with name=HEADING", im.Where,
			join(im.Heads))
	}
	for i, h := range im.Heads {
		if !taken[i] && h != "" {
			im.out.Ignored = append(im.out.Ignored, h)
		}
	}
	return nil
}

// heading finds a column by what a person wrote: exactly, or without case.
func (im *importer) heading(h string) int {
	if i := slices.Index(im.Heads, h); i >= 0 {
		return i
	}
	return slices.IndexFunc(im.Heads, func(x string) bool { return strings.EqualFold(x, h) })
}

// PlainHeading leaves letters and single blanks: “# of Cores” is “of cores”. A
// unit in brackets is left out.
func PlainHeading(h string) string {
	if i := strings.IndexAny(h, "(["); i > 0 {
		h = h[:i]
	}
	words := strings.FieldsFunc(strings.ToLower(h),
		func(c rune) bool { return !unicode.IsLetter(c) && !unicode.IsDigit(c) })
	return strings.Join(words, " ")
}
