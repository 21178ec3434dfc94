package main

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
)

// packageOf is the directory of the Go package that a file belongs to: step definitions
// stand one below.
func packageOf(file string) string {
	if dir := filepath.Dir(file); filepath.Base(dir) == "steps" {
		return filepath.Dir(dir)
	}
	return filepath.Dir(file)
}

var (
	flowList = regexp.MustCompile(`\[([^\[\]{}]+)\]`)
	flowPair = regexp.MustCompile(`[{,] *([a-z_]+(?:\.[a-z_]+)*: *(?:"[^"]*"|[^,{}\[\]]+))`)
	number   = regexp.MustCompile(`(least|most|restarts|at_least|at_most): "?(\d+)`)
	truth    = regexp.MustCompile(`: "?(true|false|on|off)"?`)
	oneKey   = regexp.MustCompile(`^    ([a-z_]+): .+`)
	listItem = regexp.MustCompile(`^      - \S.*`)
	// refused without them
	needless = []string{"id", "title", "phase", "do", "tell", "confirm", "noun", "minutes", "effect", "setting", "part"}
)

// stepMistakes are small mistakes in the step definitions and the table of safeguards of
// a directory: an entry of a list left out, a key left out, a number one higher, a truth
// turned round.
func stepMistakes(dir string) ([]mistake, error) {
	names, err := filepath.Glob(filepath.Join(dir, "*.yaml"))
	if err != nil {
		return nil, err
	}
	var out []mistake
	for _, name := range names {
		src, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		lines := strings.Split(string(src), "\n")
		for i, line := range lines {
			add := func(what, is string) {
				out = append(out, mistake{name, what, i + 1, func() ([]byte, error) {
					changed := append([]string{}, lines...)
					if changed[i] = is; is == "" {
						changed = append(changed[:i], changed[i+1:]...)
					}
					return []byte(strings.Join(changed, "\n")), nil
				}})
			}
			mistakesOfLine(line, add)
		}
	}
	return out, nil
}

func mistakesOfLine(line string, add func(what, is string)) {
	if trimmed := strings.TrimSpace(line); trimmed == "" || strings.HasPrefix(trimmed, "#") {
		return
	}
	cut := func(what string, from, to int, is string) { add(what, line[:from]+is+line[to:]) }
	for _, m := range flowList.FindAllStringSubmatchIndex(line, -1) {
		items := strings.Split(line[m[2]:m[3]], ",")
		for k := range items {
			left := append(append([]string{}, items[:k]...), items[k+1:]...)
			cut("without "+strings.TrimSpace(items[k]), m[2], m[3], strings.TrimSpace(strings.Join(left, ",")))
		}
	}
	if strings.HasPrefix(line, "    effect: {") || strings.HasPrefix(line, "    leaves: {") ||
		strings.HasPrefix(line, "    assume: {") {
		for _, m := range flowPair.FindAllStringSubmatchIndex(line, -1) {
			to := m[3]
			if strings.HasPrefix(line[to:], ", ") {
				to += 2
			}
			cut("without "+line[m[2]:m[3]], m[2], to, "")
		}
	}
	for _, m := range number.FindAllStringSubmatchIndex(line, -1) {
		n, _ := strconv.Atoi(line[m[4]:m[5]])
		cut(fmt.Sprintf("%d for %d", n+1, n), m[4], m[5], strconv.Itoa(n+1))
	}
	for _, m := range truth.FindAllStringSubmatchIndex(line, -1) {
		was := line[m[2]:m[3]]
		is := map[string]string{"true": "false", "false": "true", "on": "off", "off": "on"}[was]
		cut(is+" for "+was, m[2], m[3], is)
	}
	if m := oneKey.FindStringSubmatch(line); m != nil && !contains(needless, m[1]) &&
		!strings.HasSuffix(strings.TrimSpace(line), ":") {
		add("without "+m[1], "")
	}
	if listItem.MatchString(line) && !strings.Contains(line, "- when:") {
		add("without an item", "")
	}
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}
