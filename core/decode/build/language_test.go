package build

import "testing"

func TestLanguages(t *testing.T) {
	for name, want := range map[string]string{
		"de_AT.UTF-8":          "de-AT",
		"en_GB":                "en-GB",
		"sv":                   "sv",
		"ca_ES.UTF-8@valencia": "ca-ES",
		"C":                    "",
		"C.UTF-8":              "",
		"POSIX":                "",
		"":                     "",
		"../x":                 "",
		"e":                    "",
		"en_G/B":               "",
	} {
		t.Run(name, func(t *testing.T) {
			if got := LanguageOfLocale(name); got != want {
				t.Errorf("%q is %q, want %q", name, got, want)
			}
		})
	}
	for id, want := range map[string]string{"0409": "en-US", "040A": "es-ES", " 0c07 ": "de-AT", "ffff": "", "": ""} {
		t.Run(id, func(t *testing.T) {
			if got := LanguageByNumber(id); got != want {
				t.Errorf("%q is %q, want %q", id, got, want)
			}
		})
	}
}
