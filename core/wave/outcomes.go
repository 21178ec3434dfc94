package wave

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
)

// Fields of a table of outcomes.
const (
	MachineField = "machine"
	OutcomeField = "outcome"
	ReasonField  = "reason"
	ReleaseField = "release"
)

// OutcomeFields are the fields of a table of outcomes; the first two are required.
func OutcomeFields() []string { return []string{MachineField, OutcomeField, ReasonField, ReleaseField} }

// headings are what columns of deployment systems are called, by field, in lower case.
var headings = map[string][]string{
	MachineField: {
		"machine",
		"computer",
		"computer name",
		"host",
		"host name",
		"hostname",
		"name",
		"device",
		"device name",
		"client",
		"key",
	},
	OutcomeField: {"outcome", "status", "state", "result"},
	ReasonField:  {"reason", "error", "message", "detail", "details", "description", "error message"},
	ReleaseField: {"release", "hop", "version"},
}

// outcomeTexts are what deployment systems write of outcomes, in lower case.
var outcomeTexts = map[string][]string{
	Arrived: {Arrived, "success", "succeeded", "successful", "ok", "done", "complete", "completed", "installed"},
	Failed:  {Failed, "failure", "fail", "error"},
	Back:    {Back, "rolled back", "rollback", "reverted"},
	Waiting: {Waiting, "pending", "retry", "try again"},
}

// Mapping says which column of a table has which field, and which of its texts is which outcome. What it does not say
// is recognized by usual headings and texts.
type Mapping struct {
	Columns map[string]string // field → heading
	Words   map[string]string // text → outcome
}

// Places finds the columns of a table, by field; -1 where the table has none. The error names what is missing.
func (m *Mapping) Places(heads []string) (map[string]int, error) {
	at := map[string]int{}
	for field, heading := range m.Columns {
		if !slices.Contains(OutcomeFields(), field) {
			return nil, fmt.Errorf("unknown field %q; %s", field, doc.Suggest(field, OutcomeFields()))
		}
		i := slices.IndexFunc(heads, func(h string) bool { return strings.EqualFold(strings.TrimSpace(h), heading) })
		if i < 0 {
			return nil, fmt.Errorf("unknown column %q for %s; the table has %s", heading, field,
				strings.Join(heads, ", "))
		}
		at[field] = i
	}
	for _, field := range OutcomeFields() {
		if _, given := at[field]; given {
			continue
		}
		at[field] = slices.IndexFunc(heads, func(h string) bool {
			return slices.Contains(headings[field], strings.ToLower(strings.TrimSpace(h)))
		})
		if at[field] < 0 && (field == MachineField || field == OutcomeField) {
			return nil, fmt.Errorf("no column is the %s; the table has %s. Say which it is", field,
				strings.Join(heads, ", "))
		}
	}
	return at, nil
}

// Outcome is the outcome that a text means; a text that it does not know stays as it is, in lower case.
func (m *Mapping) Outcome(text string) string {
	text = strings.TrimSpace(text)
	for word, outcome := range m.Words {
		if strings.EqualFold(word, text) {
			return outcome
		}
	}
	lower := strings.ToLower(text)
	for outcome, texts := range outcomeTexts {
		if slices.Contains(texts, lower) {
			return outcome
		}
	}
	return lower
}
