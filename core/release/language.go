package release

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// LanguageIn says whether a language is that of a range, or one of its regions: de holds de and
// de-AT, de-AT holds itself alone (RFC 4647, section 3.3.1, basic filtering).
func LanguageIn(tag, of string) bool {
	if len(tag) > len(of) && tag[len(of)] == '-' {
		tag = tag[:len(of)]
	}
	return strings.EqualFold(tag, of)
}

// inLanguages says whether a language is in one of some ranges; none admits all.
func inLanguages(v fact.Value, ranges []string) need.Truth {
	switch {
	case len(ranges) == 0:
		return need.True
	case !v.Known():
		return need.Unknown
	case slices.ContainsFunc(ranges, func(r string) bool { return LanguageIn(v.Text(), r) }):
		return need.True
	}
	return need.False
}

// languages are the languages that have a tag of two letters (ISO 639-1).
var languages = strings.Fields(`aa ab ae af ak am an ar as av ay az ba be bg bi bm bn bo br bs ca ce ch co cr cs cu
	cv cy da de dv dz ee el en eo es et eu fa ff fi fj fo fr fy ga gd gl gn gu gv ha he hi ho hr ht hu hy hz ia id
	ie ig ii ik io is it iu ja jv ka kg ki kj kk kl km kn ko kr ks ku kv kw ky la lb lg li ln lo lt lu lv mg mh mi
	mk ml mn mr ms mt my na nb nd ne ng nl nn no nr nv ny oc oj om or os pa pi pl ps pt qu rm rn ro ru rw sa sc sd
	se sg si sk sl sm sn so sq sr ss st su sv sw ta te tg th ti tk tl tn to tr ts tt tw ty ug uk ur uz ve vi vo wa
	wo xh yi yo za zh zu`)

// languageTag says what is wrong with a language tag (RFC 5646, section 2.1, without grandfathered
// and private ones), and what would be right; "" where nothing is.
func languageTag(tag string) (wrong, right string) {
	parts := strings.Split(tag, "-")
	first := strings.ToLower(parts[0])
	known := len(first) == 3 && letters(first) || slices.Contains(languages, first)
	if !known {
		right = "a language, with or without its region: en, en-GB"
		if near := doc.Nearest(first, languages); near != "" {
			right += fmt.Sprintf("; did you mean %q?", near)
		}
		return fmt.Sprintf("%q is not a language tag", tag), right
	}
	for _, p := range parts[1:] {
		if len(p) == 0 || len(p) > 8 || strings.Trim(strings.ToLower(p), "abcdefghijklmnopqrstuvwxyz0123456789") != "" {
			return fmt.Sprintf("%q is not a language tag", tag), "a language, with or without its region: en, en-GB"
		}
	}
	return "", ""
}

func letters(s string) bool { return strings.Trim(s, "abcdefghijklmnopqrstuvwxyz") == "" }
