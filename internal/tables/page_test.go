package tables_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/tables"
)

// The text of a page is what a reader sees of it, line by line.
func TestPageText(t *testing.T) {
	for name, tt := range map[string]struct{ src, want string }{
		"blocks": {"<html><head><title>no</title><style>p{}</style></head><body><h1>Skerry 12</h1><p>Needs\n " +
			"4&nbsp;GB</p><script>alert(1)</script><ul><li>One<li>Two</ul><!-- no --></body></html>",
			"Skerry 12\nNeeds 4 GB\nOne\nTwo\n"},
		"rows": {"<table><tr><th>Memory<td>4 GB<td></tr><tr><td>Drive</td><td>100<br>GB</td></tr></table>",
			"Memory\t4 GB\nDrive\t100\nGB\n"},
		"struck out": {"<body><p>At least <del>4 GB</del> <s>5</s> 6 GB</p>" +
			"<p style='text-decoration: line-through'>x</p>",
			"At least 6 GB\n"},
		"forms and frames": {"<body><form><p>Search</p><select><option>a</select><button>Go</button></form>" +
			"<iframe src='x'>no</iframe>", "Search\n"},
		"footnotes": {"<body><p>4 GB<sup>1</sup>; 10<sup>th</sup></p><p><sup>*</sup> Only here.</p>",
			"4 GB [1]; 10th\n[*] Only here.\n"},
		"nested":       {"<body><table><tr><td><table><tr><td>a<td>b</table><td>c</table>", "a\tb\nc\n"},
		"old encoding": {"<html><meta charset=windows-1252><body>10 \x80 \x96 caf\xe9</body></html>", "10 € – café\n"},
		"plain text":   {"\ufeffOne\r\n\r\n  two  words\t x \n", "\ufeffOne\ntwo words\tx\n"},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := tables.PageText("page", []byte(tt.src))
			expect.NoError(t, err)
			expect.Same(t, "the text", got, tt.want)
		})
	}
	for name, tt := range map[string]struct{ src, wrong string }{
		"empty":     {" \n", "has no text"},
		"no text":   {"<html><body><img src=x></body></html>", "has no text; save the complete page"},
		"bytes":     {"\xff\xfe\x00", "neither HTML nor text in UTF-8"},
		"too large": {strings.Repeat("x", tables.MaxBytes+1), "is too large: at most 32 MiB"},
		"too much":  {strings.Repeat("many words\n", 500_000), "more than 4 MB of text"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := tables.PageText("page", []byte(tt.src))
			expect.Error(t, err, tt.wrong)
		})
	}
}

func FuzzPageText(f *testing.F) {
	f.Add([]byte("<html><body><p>a<table><tr><td>b</table>"))
	f.Add([]byte("plain. Text"))
	f.Fuzz(func(t *testing.T, src []byte) {
		text, err := tables.PageText("page", src)
		if err == nil && strings.TrimSpace(text) == "" {
			t.Error("no text and no error")
		}
	})
}
