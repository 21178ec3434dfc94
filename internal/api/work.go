package api

import (
	"time"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Money is a price range.
type Money struct {
	Says     string `json:"says" doc:"In words: EUR 180–300, and what has no price"`
	Currency string `json:"currency,omitempty"`
	Least    int64  `json:"least" doc:"In hundredths"`
	Most     int64  `json:"most" doc:"In hundredths"`
	Unpriced int    `json:"unpriced,omitempty" doc:"Parts that no price is known of"`
}

// StepRef names a step.
type StepRef struct {
	Step  string `json:"step"`
	Title string `json:"title"`
}

// Remedy is what one remedy does for the fleet.
type Remedy struct {
	StepRef
	Class      string         `json:"class"`
	By         string         `json:"by" doc:"Who can do it, in words"`
	Minutes    remedy.Minutes `json:"minutes" doc:"On one machine"`
	Needs      int            `json:"needs" doc:"Machines that do not become ready without it"`
	Alone      int            `json:"alone" doc:"Of these, machines that need no other remedy"`
	Expected   int            `json:"expected" doc:"Of those that need no other, machines on which its effect is not certain"`
	WhereNeeds string         `json:"where_needs"`
}

// Pick is what to do next for the most effect.
type Pick struct {
	Steps    []StepRef      `json:"steps" doc:"Remedies that no pick before it has"`
	Gain     int            `json:"gain" doc:"Machines that become ready"`
	Expected int            `json:"expected" doc:"Of these, machines on which that is not certain"`
	Ready    int            `json:"ready" doc:"Machines that are ready then"`
	Minutes  remedy.Minutes `json:"minutes" doc:"Of the whole plans of the machines gained"`
	SoFar    remedy.Minutes `json:"minutes_so_far"`
	Cost     Money          `json:"cost"`
	CostSums Money          `json:"cost_so_far"`
}

// Effects is what frees most.
type Effects struct {
	Where             string   `json:"where,omitempty"`
	Order             string   `json:"order" enum:"machines,time"`
	Machines          int      `json:"machines"`
	Ready             int      `json:"ready" doc:"Before anything is done"`
	Undetermined      int      `json:"undetermined" doc:"Nothing is promised of these: what is not known comes first"`
	WhereUndetermined string   `json:"where_undetermined"`
	Remedies          []Remedy `json:"remedies" doc:"Those that free most by themselves first"`
	Picks             []Pick   `json:"picks" doc:"In the best order, each the best after those before it"`
}

// AskWhatIf compares a draft, or a stored release, with another over the fleet.
type AskWhatIf struct {
	Document string `json:"document,omitempty" maxLength:"8388608" doc:"The text of a release document, or of a bundle; nothing is kept of it"`
	Release  string `json:"release,omitempty" maxLength:"64" doc:"In place of the document: id of a stored release"`
	Revision int    `json:"revision,omitempty" minimum:"0"`
	Than     string `json:"than,omitempty" maxLength:"64" doc:"Id of the release to compare with; the target of the class where it is not given"`
	ThanRev  int    `json:"than_revision,omitempty" minimum:"0"`
	Where    string `json:"where,omitempty" maxLength:"2000"`
}

// Shift is machines that change from one disposition to another.
type Shift struct {
	Was      string `json:"was"`
	Becomes  string `json:"becomes"`
	Machines int    `json:"machines"`
}

// PlaceShift is how many change at a place.
type PlaceShift struct {
	Place  string  `json:"place"`
	Moved  int     `json:"moved"`
	Shifts []Shift `json:"shifts"`
}

// RequirementShift is what becomes of one requirement.
type RequirementShift struct {
	Requirement string `json:"requirement"`
	Title       string `json:"title"`
	Needs       string `json:"needs"`
	New         bool   `json:"new,omitempty" doc:"The other has no such requirement"`
	Fails       int    `json:"newly_fail"`
	Passes      int    `json:"no_longer_fail"`
	Opens       int    `json:"newly_unknown"`
	FailsNow    int    `json:"fail" doc:"All that fail it"`
	Unknown     int    `json:"unknown" doc:"All that leave it unknown"`
}

// MissingFact is a fact that decides and is not known.
type MissingFact struct {
	Fact     string `json:"fact"`
	Label    string `json:"label"`
	Machines int    `json:"machines"`
	NotAsked int    `json:"never_collected" doc:"Of these, machines that were never asked for it"`
	Where    string `json:"where"`
}

// FlipRow is a machine whose disposition would change.
type FlipRow struct {
	Key     string   `json:"key"`
	Name    string   `json:"name"`
	Place   string   `json:"place"`
	Model   string   `json:"model"`
	Was     string   `json:"was"`
	Becomes string   `json:"becomes"`
	By      []string `json:"by" doc:"Titles of the requirements that do it"`
}

// WhatIf is who would flip.
type WhatIf struct {
	Says     string             `json:"says" doc:"In one sentence"`
	Was      release.Ref        `json:"was"`
	Becomes  release.Ref        `json:"becomes"`
	Draft    bool               `json:"draft,omitempty"`
	Where    string             `json:"where,omitempty"`
	Machines int                `json:"machines"`
	Moved    int                `json:"moved"`
	Before   map[string]int     `json:"before" doc:"Machines by disposition"`
	After    map[string]int     `json:"after"`
	Shifts   []Shift            `json:"shifts"`
	Places   []PlaceShift       `json:"places"`
	Changes  []RequirementShift `json:"requirements"`
	Missing  []MissingFact      `json:"missing" doc:"Facts that decide and are not known"`
	Flips    []FlipRow          `json:"flips" doc:"At most 1,000, worst first"`
	Took     time.Duration      `json:"took_ns"`
}

// Decision is what somebody decided about machines, until a date.
type Decision struct {
	ID          int64     `json:"id"`
	Kind        string    `json:"kind" enum:"waive,stay,hold,later" doc:"A requirement may fail; machines stay on the release that they run; they are held back; they are left alone until the date"`
	Says        string    `json:"says"`
	Scope       string    `json:"scope" doc:"The filter that picks its machines"`
	Release     string    `json:"release,omitempty"`
	Requirement string    `json:"requirement,omitempty"`
	Title       string    `json:"title,omitempty" doc:"Of the requirement"`
	Reason      string    `json:"reason"`
	By          string    `json:"by"`
	At          time.Time `json:"at"`
	Until       time.Time `json:"until" doc:"When it falls away"`
	Counts      bool      `json:"counts" doc:"It has not ended"`
	EndedAt     time.Time `json:"ended_at,omitzero" doc:"By a person, before its date"`
	EndedBy     string    `json:"ended_by,omitempty"`
	Machines    int       `json:"machines" doc:"That it changes something for now"`
	Where       string    `json:"where" doc:"Filter that lists them"`
}

// DecisionList lists them, the latest first.
type DecisionList struct {
	Decisions []Decision `json:"decisions"`
}

// MakeDecision decides something about machines.
type MakeDecision struct {
	Kind        string `json:"kind" enum:"waive,stay,hold,later"`
	Scope       string `json:"scope" maxLength:"2000" doc:"A filter: key=gull-014, place=\"Gull Quay\", fails=memory"`
	Release     string `json:"release,omitempty" maxLength:"64" doc:"Of a waiver; the target that has the requirement where it is not given"`
	Requirement string `json:"requirement,omitempty" maxLength:"64" doc:"Of a waiver"`
	Reason      string `json:"reason" maxLength:"500"`
	Until       string `json:"until" maxLength:"10" doc:"The last day: 2027-01-31"`
	Ahead       bool   `json:"ahead,omitempty" doc:"It may be for machines that are still to come"`
}
