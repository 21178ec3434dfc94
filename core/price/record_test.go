package price_test

import (
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/internal/expect"
)

// Prices at the edges of what a table accepts are as recorded.
func TestPricesAreAsRecorded(t *testing.T) {
	var out strings.Builder
	for _, least := range []string{
		"0", "0.01", "0.001", "18", "18.5", "18.50", "18.505", "-1", "999999999", "999999999.99", "1000000000",
		"x", "EUR 5",
		"5 EUR", "USD 5", "\"\"", "1e3", "1,000",
	} {
		for _, most := range []string{"18.50", "30", "999999999"} {
			src := "format: rolltop-prices/1\ncurrency: EUR\nas_of: 2026-10-01\nprices:\n" +
				"  - {part: machine, least: " + least + ", most: " + most + "}\n"
			table, err := price.Read("prices.yaml", []byte(src))
			if err != nil {
				fmt.Fprintf(&out, "%s to %s: %s\n", least, most, strings.ReplaceAll(err.Error(), "\n", " / "))
				continue
			}
			cost, ok := table.Of(&part.Part{Kind: part.Machine, Count: 3})
			fmt.Fprintln(&out, least, "to", most, "for three:", cost, ok)
		}
	}
	expect.Record(t, "testdata/prices.txt", out.String())
}
