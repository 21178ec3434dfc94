package server_test

import (
	"bufio"
	_ "embed"
	"encoding/json"
	"fmt"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// mistakes are typical mistakes, a request a line: method, path, and what is sent.
//
//go:embed testdata/mistakes.txt
var mistakes string

const answers = "testdata/mistakes-answers.txt"

// ofLibraries are words of libraries, of Go and of its types, which no person has to read; a
// message that ends in a semicolon or a comma lacks its second half.
var ofLibraries = regexp.MustCompile(`strconv|invalid character|unmarshal|body\.|query\.|path\.|json:|yaml:|` +
	`cannot parse|parsing |unexpected (end|EOF|property)|is required$|validation failed|int64|float64|sqlite|sql:|goroutine|` +
	`nil pointer|%!|[;,:] *$`)

// What a caller does wrong is answered in the words of the caller: the golden table holds each
// message, so that a change of one is read by a person. Nothing of it changes the fleet.
func TestMistakes(t *testing.T) {
	t.Parallel()
	day := time.Date(2026, 11, 29, 12, 0, 0, 0, time.UTC) // some mistakes are about days
	s := servertest.StartAt(t, nil, func() time.Time { return day })
	_, err := standin.Fill(ctx, s, day)
	expect.NoError(t, err)
	before, err := s.Client.Fleet(ctx, "")
	expect.NoError(t, err)
	var out strings.Builder
	n := 0
	for in := bufio.NewScanner(strings.NewReader(mistakes)); in.Scan(); {
		line := strings.TrimSpace(in.Text())
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		n++
		said := answerTo(t, s, line)
		if found := ofLibraries.FindString(said); found != "" {
			t.Errorf("%s\n  is answered in words of a library (%q): %s", line, found, said)
		}
		fmt.Fprintf(&out, "%s\n    %s\n", line, said)
	}
	expect.That(t, fmt.Sprintf("at least 150 mistakes are in the table, not %d", n), n >= 150)
	after, err := s.Client.Fleet(ctx, "")
	expect.NoError(t, err)
	was, is := asJSON(t, before), asJSON(t, after)
	expect.Same(t, "the fleet", is, was)
	if *expect.Update {
		expect.NoError(t, os.WriteFile(answers, []byte(out.String()), 0o644))
	}
	want, err := os.ReadFile(answers)
	expect.NoError(t, err)
	got := strings.Split(out.String(), "\n")
	for i, w := range strings.Split(string(want), "\n") {
		if i >= len(got) || got[i] != w {
			t.Fatalf("%s:%d: got %s, want %s", answers, i+1, got[min(i, len(got)-1)], w)
		}
	}
	expect.Same(t, "length of the table", out.Len(), len(want))
}

// answerTo makes the request of a line and gives its status and the first line of its message.
// “FIND => REPLACE” as what is sent is the demo's release document with that change.
func answerTo(t *testing.T, s *servertest.Service, line string) string {
	t.Helper()
	method, rest, _ := strings.Cut(line, " ")
	path, body, _ := strings.Cut(rest, " ")
	kind := "application/json"
	if from, to, ok := strings.Cut(body, " => "); ok {
		kind = "application/yaml"
		body = string(standin.SkerryWith(from, strings.ReplaceAll(to, `\n`, "\n")))
	}
	if body == "" {
		kind = ""
	}
	status, _, got := call(t, method, s.URL+"/api/v1"+path, s.Token, kind, body)
	if status < 400 || status >= 500 {
		t.Errorf("%s is answered with %d", line, status)
		return ""
	}
	var p api.Problem
	expect.NoError(t, json.Unmarshal([]byte(got), &p))
	first, _, _ := strings.Cut(p.Error(), "\n") // a document's other mistakes follow, a line each
	return fmt.Sprintf("%d %s", status, first)
}

func asJSON(t *testing.T, v any) string {
	t.Helper()
	b, err := json.Marshal(v)
	expect.NoError(t, err)
	return string(b)
}
