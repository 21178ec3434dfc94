package cli_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// The shell is offered what the service has, and nothing where it does not respond.
func TestCompletion(t *testing.T) {
	s := servertest.Demo(t, nil)
	expect.NoError(t, standin.Furnish(t.Context(), s, s.Now()))
	t.Setenv("ROLLTOP_SERVER", s.URL)
	t.Setenv("ROLLTOP_TOKEN", s.Token)
	for line, want := range map[string]string{
		"machines show GULL-00":                 "GULL-001",
		"machines show gull-00":                 "gull-001", // as it was typed, which bash and zsh ask for
		"machines facts set gull-001 tpm.st":    "tpm.state=",
		"machines facts remove gull-001 tpm.st": "tpm.state",
		"machines --where class=pc&dis":         "class=pc disposition=",
		"machines --where site=G":               `site="Gull Quay"`,
		"machines --where fails=tp":             "fails=tpm",
		"machines --format nd":                  "ndjson",
		"machines --facts tpm.st":               "tpm.state",
		"waves show ":                           "1",
		"waves machines remove 1 LANT-0":        "LANT-001",
		"decisions add wa":                      "waive",
		"decisions add waive --requirement tp":  "tpm",
		"decisions end ":                        "1",
		"releases what-if sk":                   "skerry-12",
		"check --release sk":                    "skerry-12",
		"check gull-0":                          "gull-001",
		"tokens add x --scope su":               "submit",
		"tokens add x --only G":                 "Gull Quay",
		"users remove d":                        "demo",
		"users set x --role vi":                 "viewer",
		"duplicates resolve 1 sa":               "same",
		"sites remove G":                        "GULL",
		"work stock new":                        "new laptop",
		"expected set 1 off":                    "off",
	} {
		t.Run(line, func(t *testing.T) {
			args := []string{"__complete"}
			for _, word := range strings.Split(line, " ") {
				args = append(args, strings.ReplaceAll(word, "&", " "))
			}
			_, out, _ := rolltop(t, args...)
			found := false
			for candidate := range strings.Lines(out) {
				word, _, _ := strings.Cut(strings.TrimSuffix(candidate, "\n"), "\t")
				found = found || word == want
			}
			if !found {
				t.Errorf("%q is not offered for %q:\n%.300s", want, line, out)
			}
		})
	}
	t.Setenv("ROLLTOP_SERVER", "http://127.0.0.1:1")
	code, out, _ := rolltop(t, "__complete", "machines", "show", "g")
	expect.Same(t, "code", code, 0)
	expect.Same(t, "out", out, ":4\n")
}
