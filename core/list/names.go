package list

import (
	"strings"
)

// named is a name with the marks of its footnotes.
type named struct {
	name  string
	marks []string
}

// names are the names in a row: of the columns that make a name, the last may have several.
func (im *importer) names(i int, cells []string) []named {
	at := im.columns["name"]
	last := at[len(at)-1]
	var out []named
	text := ""
	if last < len(im.raw[i]) && last < len(cells) {
		text = im.raw[i][last]
	}
	for _, one := range severalIn(text, im.Cells[At{i, last}].Lines) {
		name := one.name
		for k := len(at) - 2; k >= 0; k-- {
			part := im.cell(cells, at[k])
			if text, said := im.between[at[k+1]]; said && name != "" {
				name = part + text + name
				continue
			}
			name = before(part, name)
		}
		if name != "" {
			name = before(strings.TrimSpace(im.o.Prefix), name)
		}
		if Normal(name) != "" {
			out = append(out, named{name, one.marks})
		}
	}
	return out
}

// severalIn parts a cell with several names: one a line, or with semicolons, or with commas or slashes between
// words that have digits. What names are made of stays: A3,4 is one name.
func severalIn(text string, lines []string) []named {
	whole, marks := marksIn(text)
	one := []named{{whole, marks}}
	parts := lines
	if len(parts) < 2 {
		parts = strings.Split(text, ";")
	}
	commas := len(parts) < 2
	if commas {
		if parts = strings.Split(text, ", "); len(parts) < 2 {
			parts = strings.Split(text, " / ")
		}
	}
	stem := ""
	var out []named
	for _, p := range parts {
		name, marks := marksIn(strings.Trim(p, ",; "))
		if name == "" {
			continue
		}
		words := strings.Fields(name)
		switch {
		case !strings.ContainsAny(name, "0123456789"), commas && len(out) > 0 && len(words) > 1:
			return one // a text with a comma in it
		case len(out) == 0:
			stem = strings.TrimSuffix(name, words[len(words)-1])
		case len(words) == 1:
			name = stem + name
		}
		out = append(out, named{name, marks})
	}
	if len(out) < 2 {
		return one
	}
	return out
}

func before(part, name string) string {
	if part == "" || name == "" {
		return part + name
	}
	if len(name) >= len(part) && strings.EqualFold(name[:len(part)], part) {
		return name
	}
	return part + " " + name
}
