package cli

import (
	"embed"
	"strings"
)

//go:embed help/*.txt
var helpTexts embed.FS

// help is the long description of a command: the file of its name below help.
func help(name string) string {
	text, err := helpTexts.ReadFile("help/" + name + ".txt")
	if err != nil {
		panic(err) // it is embedded; every command is made in a test
	}
	return strings.TrimRight(string(text), "\n")
}
