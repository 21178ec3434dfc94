package decision_test

import (
	"testing"
	"time"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

var now = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)

const document = `format: rolltop-release/1
id: ebb-4
name: Ebb 4
installs_on: pc
revision: 1
published: 2026-01-02
source: https://ebb.example/4
requirements:
  - {id: memory, title: Memory, level: must, consequence: unsupported, reason: It needs it., need: {fact: memory.installed_bytes, at_least: 4 GiB}}
  - {id: boot, title: Boot mode, level: must, consequence: will-not-start, reason: It needs it., need: {fact: firmware.boot_mode, equals: uefi}}
  - {id: word, title: Word size, level: must, consequence: installer-refuses, reason: It needs it., need: {fact: processor.cores, at_least: 2}}
  - {id: desk, title: Desk size, level: must, asked_by: house, consequence: works-less-well, reason: We want it., need: {fact: storage.system.disk_bytes, at_least: 100 GB}}
  - {id: drive, title: Drive, level: should, consequence: works-less-well, reason: Faster., need: {fact: storage.system.disk_bytes, at_least: 200 GB}}
`

func TestCheck(t *testing.T) {
	rel, err := release.Read("ebb", []byte(document), nil)
	if err != nil {
		t.Fatal(err)
	}
	good := decision.Decision{
		Kind:        decision.Waive,
		Scope:       "fails=memory",
		Release:     "ebb-4",
		Requirement: "memory",
		Reason:      "the till stays",
		Until:       now.AddDate(0, 2, 0),
	}
	for _, tt := range []struct {
		name   string
		change func(*decision.Decision)
		want   string
	}{
		{"a waiver", func(*decision.Decision) {}, ""},
		{"of the house", func(d *decision.Decision) { d.Requirement = "desk" }, ""},
		{"a stay", func(d *decision.Decision) { d.Kind, d.Requirement = decision.Stay, "" }, ""},
		{"no kind", func(d *decision.Decision) { d.Kind = "skip" }, "use waive, stay, hold, later"},
		{"no machines", func(d *decision.Decision) { d.Scope = " " }, "give a filter"},
		{"a bad filter", func(d *decision.Decision) { d.Scope = "plaice=x" }, `unknown key "plaice"`},
		{"a filter that goes round in a circle", func(d *decision.Decision) { d.Scope = "disposition=ready" },
			"because decisions change it"},
		{"no reason", func(d *decision.Decision) { d.Reason = "" }, "the reason is missing"},
		{"no end", func(d *decision.Decision) { d.Until = time.Time{} }, "the last day is missing"},
		{"an end in the past", func(d *decision.Decision) { d.Until = now.AddDate(0, 0, -1) },
			"2026-11-21 is in the past"},
		{"an end far ahead", func(d *decision.Decision) { d.Until = now.AddDate(4, 0, 0) }, "more than 3 years ahead"},
		{"no requirement", func(d *decision.Decision) { d.Requirement = "" }, "names no requirement"},
		{"an unknown requirement", func(d *decision.Decision) { d.Requirement = "tpm" },
			`no requirement "tpm"; it has memory`},
		{"will not start", func(d *decision.Decision) { d.Requirement = "boot" },
			"the system will not start. Use the kind stay instead"},
		{"installer refuses", func(d *decision.Decision) { d.Requirement = "word" },
			"the installer refuses. Use the kind stay instead"},
		{"advice", func(d *decision.Decision) { d.Requirement = "drive" }, "only a recommendation"},
		{"a stay with a requirement", func(d *decision.Decision) { d.Kind = decision.Stay },
			"does not concern a requirement"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			d := good
			tt.change(&d)
			err := decision.Check(&d, rel, now)
			expect.Error(t, err, tt.want)
		})
	}
	if !good.Counts(now) || good.Counts(good.Until) {
		t.Error("it counts up to its end")
	}
	good.Ended = now
	if good.Counts(now) {
		t.Error("ended by a person")
	}
}
