package build

import "strings"

// languages are the language identifiers of installed systems as Windows
// numbers them ([MS-LCID] 2.2), by their language tag.
var languages = map[string]string{
	"0401": "ar-SA", "0402": "bg-BG", "0403": "ca-ES", "0404": "zh-TW", "0405": "cs-CZ", "0406": "da-DK",
	"0407": "de-DE", "0408": "el-GR", "0409": "en-US", "040a": "es-ES", "040b": "fi-FI", "040c": "fr-FR",
	"040d": "he-IL", "040e": "hu-HU", "0410": "it-IT", "0411": "ja-JP", "0412": "ko-KR", "0413": "nl-NL",
	"0414": "nb-NO", "0415": "pl-PL", "0416": "pt-BR", "0418": "ro-RO", "0419": "ru-RU", "041a": "hr-HR",
	"041b": "sk-SK", "041d": "sv-SE", "041e": "th-TH", "041f": "tr-TR", "0422": "uk-UA", "0424": "sl-SI",
	"0425": "et-EE", "0426": "lv-LV", "0427": "lt-LT", "042a": "vi-VN", "0804": "zh-CN", "0807": "de-CH",
	"0809": "en-GB", "0816": "pt-PT", "0c07": "de-AT", "0c0a": "es-ES", "0c0c": "fr-CA", "0c04": "zh-HK",
}

// LanguageByNumber is the tag of a language identifier of four hexadecimal
// digits, or "".
func LanguageByNumber(id string) string { return languages[strings.ToLower(strings.TrimSpace(id))] }

// LanguageOfLocale is the tag in the name of a locale (POSIX.1-2017 8.2):
// de_AT.UTF-8 is de-AT. The locale C names no language.
func LanguageOfLocale(name string) string {
	name, _, _ = strings.Cut(name, ".")
	name, _, _ = strings.Cut(name, "@")
	language, region, _ := strings.Cut(name, "_")
	if len(language) < 2 || len(language) > 3 || strings.ContainsFunc(language+region, func(c rune) bool {
		return (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') && (c < '0' || c > '9')
	}) {
		return ""
	}
	if region == "" {
		return strings.ToLower(language)
	}
	return strings.ToLower(language) + "-" + strings.ToUpper(region)
}
