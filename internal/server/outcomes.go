package server

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/tables"
)

// readOutcomes reads the outcomes of machines from a table, or from JSON objects one after another. Heads are the
// headings of a table.
func readOutcomes(name string, src []byte, how *wave.Mapping) (out []service.SaidOutcome, heads []string, err error) {
	if bytes.HasPrefix(bytes.TrimSpace(src), []byte("{")) {
		out, err = readOutcomeLines(name, src, how)
		return out, nil, err
	}
	sheets, err := tables.Read(name, src)
	if err != nil {
		return nil, nil, err
	}
	heads = sheets[0].Heads
	at, err := how.Places(heads)
	if err != nil {
		return nil, heads, fmt.Errorf("%s: %w", name, err)
	}
	for _, row := range sheets[0].Texts() {
		out = append(out, service.SaidOutcome{
			Machine: cell(row, at[wave.MachineField]),
			Outcome: how.Outcome(cell(row, at[wave.OutcomeField])),
			Reason:  cell(row, at[wave.ReasonField]),
			Release: cell(row, at[wave.ReleaseField]),
		})
	}
	return out, heads, nil
}

// readOutcomeLines reads outcomes as JSON objects, one after another.
func readOutcomeLines(name string, src []byte, how *wave.Mapping) ([]service.SaidOutcome, error) {
	const form = "an object has machine, outcome, for a failure reason, and for an intermediate release its name as " +
		"release"
	var out []service.SaidOutcome
	dec := json.NewDecoder(bytes.NewReader(src))
	for n := 1; ; n++ {
		var object map[string]any
		switch err := dec.Decode(&object); {
		case err == io.EOF:
			return out, nil
		case err != nil:
			return nil, fmt.Errorf("%s: object %d is not valid JSON; %s", name, n, form)
		}
		var o service.SaidOutcome
		fields := map[string]*string{
			wave.MachineField: &o.Machine, wave.OutcomeField: &o.Outcome, wave.ReasonField: &o.Reason,
			wave.ReleaseField: &o.Release,
		}
		for _, key := range slices.Sorted(maps.Keys(object)) {
			text, ok := object[key].(string)
			switch {
			case fields[key] == nil:
				return nil, fmt.Errorf("%s: object %d has the unknown key %q; %s", name, n, key, form)
			case !ok:
				return nil, fmt.Errorf("%s: %s of object %d is not a text; %s", name, key, n, form)
			}
			*fields[key] = text
		}
		o.Outcome = how.Outcome(o.Outcome)
		out = append(out, o)
	}
}

func cell(row []string, at int) string {
	if at < 0 || at >= len(row) {
		return ""
	}
	return strings.TrimSpace(row[at])
}
