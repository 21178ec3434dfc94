package api

import (
	"time"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
)

// KeptPage is a page of the publisher that a release keeps as evidence.
type KeptPage struct {
	ID        string    `json:"id"`
	Source    string    `json:"source"`
	Saved     time.Time `json:"saved" doc:"The day on which it was saved"`
	SHA256    string    `json:"sha256"`
	Sentences []string  `json:"sentences" doc:"Its text; cells of a row of a table have tabs between them"`
}

// ComparePage compares a newer page with the one that a release keeps.
type ComparePage struct {
	Name     string `json:"name" minLength:"1" maxLength:"200" doc:"Name of the file"`
	Content  []byte `json:"content" doc:"The page: HTML that was saved, or text"`
	Page     string `json:"page,omitempty" maxLength:"64" doc:"Id of the kept page (default: the only one)"`
	Revision int    `json:"revision,omitempty" minimum:"0" doc:"Default: the latest"`
}

// PageComparison is how a newer page differs from the one that is kept.
type PageComparison struct {
	Says         string          `json:"says" doc:"In a sentence or two"`
	Page         string          `json:"page"`
	Removed      []string        `json:"removed" doc:"Sentences that are gone"`
	Added        []string        `json:"added" doc:"Sentences that are new"`
	Requirements []PointedToPage `json:"requirements" doc:"Requirements that point to the page"`
}

// PointedToPage is a requirement that points to words of a page.
type PointedToPage struct {
	Requirement string `json:"requirement"`
	Title       string `json:"title"`
	Quote       string `json:"quote" doc:"The words"`
	Gone        bool   `json:"gone" doc:"The newer page does not contain them"`
	Nearest     string `json:"nearest,omitempty" doc:"The nearest sentence of the newer page"`
}

// ComparedPage shows a comparison.
func ComparedPage(c *release.PageChange) PageComparison {
	out := PageComparison{
		Says:         say.PageChanged(c),
		Page:         c.Page.ID,
		Removed:      append([]string{}, c.Removed...),
		Added:        append([]string{}, c.Added...),
		Requirements: []PointedToPage{},
	}
	for i := range c.Pointed {
		p := &c.Pointed[i]
		out.Requirements = append(out.Requirements, PointedToPage{
			Requirement: p.Requirement.ID,
			Title:       p.Requirement.Title,
			Quote:       p.Requirement.Quote.Text,
			Gone:        p.Gone,
			Nearest:     p.Nearest,
		})
	}
	return out
}
