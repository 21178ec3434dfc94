// Package means is what plans are made with beside the release: step
// definitions, firmware guides and prices. The program ships some; an
// administrator's own stand beside or before them.
package knowledge

import (
	"cmp"
	"crypto/sha256"
	_ "embed"
	"encoding/hex"
	"fmt"
	"slices"
	"sync"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/guide"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/remedy"
)

// Base is all knowledge that plans are made with. Nobody changes a Base after it is made.
type Base struct {
	Steps  *remedy.Library
	Guides *guide.Book
	Prices *price.Table // nil: no price is known

	digest string
}

// Kinds of an administrator's documents.
const (
	Steps  = "steps"
	Guides = "guides"
	Prices = "prices"
)

// Kinds are all of them.
func Kinds() []string { return []string{Steps, Guides, Prices} }

var kindOf = map[string]string{remedy.StepFormat: Steps, guide.Format: Guides, price.Format: Prices}

// Shipped are the means of the program.
var Shipped = sync.OnceValue(func() *Base {
	return &Base{Steps: remedy.Shipped(), Guides: guide.Shipped()}
})

// Document is an administrator's document.
type Document struct {
	Name string // as the user knows it
	Text []byte
}

// Kind tells by its format what a document is about. The error is
// [*doc.Mistakes].
func Kind(d Document) (string, error) {
	n, err := doc.Parse(d.Name, d.Text)
	if err != nil {
		return "", err
	}
	formats := remedy.StepFormat + ", " + guide.Format + " or " + price.Format
	if n.Kind != doc.Map {
		return "", doc.Refuse(d.Name, "this is "+n.Kind.String(), "a document begins with the key format: "+formats)
	}
	if !n.Has("format") {
		return "", doc.Refuse(d.Name, "the key \"format\" is missing", "it is one of "+formats)
	}
	kind, ok := kindOf[n.Of("format").Text]
	if !ok {
		return "", doc.Refuse(d.Name, fmt.Sprintf("the format is %q", n.Of("format").Text), "it is one of "+formats)
	}
	return kind, nil
}

// Read puts documents over the means of the program, at most one of each kind.
// The error is [*doc.Mistakes].
func Read(docs ...Document) (*Base, error) {
	m := *Shipped()
	seen := map[string]string{}
	sum := sha256.New()
	slices.SortStableFunc(docs, func(a, b Document) int { return cmp.Compare(a.Name, b.Name) })
	for _, d := range docs {
		kind, err := Kind(d)
		if err != nil {
			return nil, err
		}
		if other, twice := seen[kind]; twice {
			return nil, doc.Refuse(d.Name, fmt.Sprintf("%s and %s are both about %s", other, d.Name, kind),
				"put the two together in one document")
		}
		seen[kind] = d.Name
		switch kind {
		case Steps:
			m.Steps, err = remedy.Read(d.Name, d.Text)
		case Guides:
			m.Guides, err = guide.Read(d.Name, d.Text)
		case Prices:
			m.Prices, err = price.Read(d.Name, d.Text)
		}
		if err != nil {
			return nil, err
		}
		if kind != Prices { // a price changes no verdict
			fmt.Fprintf(sum, "%s %d ", kind, len(d.Text))
			sum.Write(d.Text)
			m.digest = hex.EncodeToString(sum.Sum(nil))[:8]
		}
	}
	return &m, nil
}

// Digest names what of the means decides verdicts, or is empty for those of the
// program alone.
func (m *Base) Digest() string { return m.digest }

//go:embed example-prices.yaml
var examplePrices []byte

// ShippedText is what the program ships of a kind, or an example to start from.
func ShippedText(kind string) []byte {
	switch kind {
	case Steps:
		return remedy.ShippedText()
	case Guides:
		return guide.ShippedText()
	}
	return examplePrices
}
