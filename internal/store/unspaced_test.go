package store

import "testing"

// Blanks go, and nothing of a text does; what has none is not copied.
func TestUnspaced(t *testing.T) {
	for text, want := range map[string]string{
		`{"a":1}`: `{"a":1}`, "": "", ` { "a" : "b  c" , "d\"  e" : [ 1 , 2 ] } ` + "\n": `{"a":"b  c","d\"  e":[1,2]}`,
		"\t{\"\\\\\" : \" \\\\\\\" \" }": `{"\\":" \\\" "}`,
		`{"a":"open  `:                   `{"a":"open  `, `{"a":"\`: `{"a":"\`,
	} {
		t.Run(text, func(t *testing.T) {
			if got := string(unspaced([]byte(text))); got != want {
				t.Errorf("%q: %q, want %q", text, got, want)
			}
		})
	}
}
