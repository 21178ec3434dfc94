package fact_test

import (
	"testing"

	"rolltop.example/rolltop/core/fact"
)

// Two sources that name the same things do not disagree, however they write them.
func TestEqual(t *testing.T) {
	for _, tt := range []struct {
		name string
		a, b fact.Value
		want bool
	}{
		{"sets in another order and case", fact.Items([]string{"avx2", "sse4.2"}),
			fact.Items([]string{"sse4.2", "AVX2"}), true},
		{"an item twice", fact.Items([]string{"avx2"}), fact.Items([]string{"avx2", "AVX2"}), true},
		{"an item less", fact.Items([]string{"avx2"}), fact.Items([]string{"avx2", "sse4.2"}), false},
		{"an item more", fact.Items([]string{"avx2", "sse4.2"}), fact.Items([]string{"avx2"}), false},
		{"texts in another case", fact.Of(fact.Text, "Fennick"), fact.Of(fact.Text, "FENNICK"), true},
		{"versions written otherwise", fact.Of(fact.Version, "2.0"), fact.Of(fact.Version, "2"), true},
		{"a number and a text", fact.Num(2), fact.Of(fact.Text, "2"), false},
	} {
		t.Run(tt.name, func(t *testing.T) {
			if got := tt.a.Equal(tt.b); got != tt.want {
				t.Errorf("got %v, want %v", got, tt.want)
			}
		})
	}
}
