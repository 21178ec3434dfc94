package price_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/expect"
)

const head = "format: rolltop-prices/1\ncurrency: EUR\nas_of: 2026-10-15\nprices:\n"

func TestPriceOfAPart(t *testing.T) {
	table, err := price.Read("prices.yaml", []byte(head+`  - {part: memory-module, size: 8 GiB, least: 15, most: 38}
  - {part: memory-module, type: DDR4, form: SODIMM, size: 4 GiB, least: 11, most: 18}
  - {part: memory-module, type: DDR4, form: SODIMM, size: 8 GiB, least: 18.50, most: 30 EUR}
  - {part: drive, size: 256 GB, least: 24, most: 24}
  - {part: title, name: Counterfoil, least: 79, most: 79}
  - {part: machine, least: 500, most: 900}
  - {part: machine, form: laptop, least: 640, most: 920}
`))
	if err != nil {
		t.Fatal(err)
	}
	tests := []struct {
		part part.Part
		want string // "" is no price
	}{
		{part.Part{Kind: part.Memory, Count: 1, Bytes: 4 << 30, Type: "DDR4", Form: "SODIMM"}, "11–18"},
		{part.Part{Kind: part.Memory, Count: 2, Bytes: 8 << 30, Type: "ddr4", Form: "SODIMM"}, "37–60"},
		{part.Part{Kind: part.Memory, Count: 1, Bytes: 8 << 30, Type: "DDR3"}, "15–38"},
		{part.Part{Kind: part.Memory, Count: 1, Bytes: 16 << 30}, ""},
		{part.Part{Kind: part.Memory, Count: 1}, ""}, // of no known size
		{part.Part{Kind: part.Drive, Count: 1, Bytes: 128e9}, "24"},
		{part.Part{Kind: part.Drive, Count: 1, Bytes: 512e9}, ""},
		{part.Part{Kind: part.Title, Count: 1, For: "Counterfoil 4.2"}, "79"},
		{part.Part{Kind: part.Title, Count: 1, For: "Tidebook 3"}, ""},
		{part.Part{Kind: part.Machine, Count: 1, Form: "laptop"}, "640–920"},
		{part.Part{Kind: part.Machine, Count: 1, Form: "desktop"}, "500–900"},
		{part.Part{Kind: part.TPM, Count: 1}, ""},
	}
	for _, tt := range tests {
		t.Run(tt.want, func(t *testing.T) {
			got, ok := table.Of(&tt.part)
			expect.Same(t, "ok", ok, (tt.want != ""))
			expect.That(t, "!(ok && got.String() != tt.want)", !(ok && got.String() != tt.want))
		})
	}
	if _, ok := (*price.Table)(nil).Of(&tests[0].part); ok {
		t.Error("no table has a price")
	}
}

func TestBadPrices(t *testing.T) {
	tests := []struct{ src, want string }{
		{head + "  - {part: drive, least: 24, most: 40, currency: GBP}",
			"5:50: prices[0].currency: the price is in GBP, and the table in EUR; a table has one currency"},
		{head + "  - {part: drive, least: 24 GBP, most: 40}", "the price is in GBP, and the table in EUR"},
		{head + "  - {part: drive, least: 40, most: 24}", "the lowest price is above the highest"},
		{head + "  - {part: drive, least: cheap, most: 24}",
			`"cheap" is not a price; write a number with at most two places`},
		{head + "  - {part: drive, least: -4, most: 24}", `"-4" is not a price`},
		{head + "  - {part: drive, least: 1.234, most: 24}", `"1.234" is not a price`},
		{head + "  - {part: drive, least: .inf, most: 24}", `is not a price`},
		{head + "  - {part: drive, size: large, least: 4, most: 24}", `"large" is not a size`},
		{head + "  - {part: display, size: 24 GB, least: 4, most: 24}", "a display has no size here"},
		{head + "  - {part: drive, name: Slate, least: 4, most: 24}", "only a title and extended support have a name"},
		{head + "  - {part: lamp, least: 4, most: 24}", `"lamp"`},
		{head + "  - {part: drive, least: 4, most: 5}\n  - {part: drive, least: 6, most: 7}",
			"another row is for the same part"},
		{strings.Replace(head, "EUR", "euro", 1) + "  - {part: drive, least: 4, most: 5}",
			`"euro" is not a currency; write its three letters: EUR`},
		{"format: rolltop-prices/1\nas_of: 2026-11-01\nprices: []", `the key "currency" is missing`},
		{"format: rolltop-steps/1\nprices: []", "rolltop-prices/1"},
	}
	for _, tt := range tests {
		t.Run(tt.src, func(t *testing.T) {
			_, err := price.Read("prices", []byte(tt.src))
			coretest.Refused(t, err, tt.want)
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(head + "  - {part: drive, size: 256 GB, least: 24, most: 41}"))
	f.Fuzz(func(t *testing.T, src []byte) {
		table, err := price.Read("fuzz", src)
		if err == nil {
			p := part.Part{Kind: part.Drive, Count: 1, Bytes: 1}
			if r, ok := table.Of(&p); ok {
				if r.Least < 0 || r.Least > r.Most {
					t.Errorf("a drive costs %s", r)
				}
			}
		}
	})
}

// Labour is paid by the hour, extended support by the machine; without a row neither has a price.
func TestLabourAndSupport(t *testing.T) {
	table, err := price.Read("prices", []byte("format: rolltop-prices/1\ncurrency: EUR\nas_of: 2026-11-01\nprices:\n"+
		"  - {part: labour, least: 30, most: 40}\n"+
		"  - {part: extended-support, name: Skerry 10, least: 55, most: 55}\n"))
	if err != nil {
		t.Fatal(err)
	}
	hours, ok := table.Hours(remedy.Minutes{Least: 30, Most: 90})
	expect.Same(t, "labour", fmt.Sprint(hours, ok), "15–60 true")
	support, ok := table.Extended("Skerry 10", 3)
	expect.Same(t, "support", fmt.Sprint(support, ok), "165 true")
	_, ok = table.Extended("Skerry 11", 3)
	expect.Same(t, "of another release", ok, false)
	var none *price.Table
	_, ok = none.Hours(remedy.Minutes{Most: 60})
	expect.Same(t, "without a table", ok, false)
}
