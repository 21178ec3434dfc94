package api

import (
	"time"

	"rolltop.example/rolltop/core/question"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/watch"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/core/work"
)

// Money is a price range.
type Money struct {
	Says     string `json:"says" doc:"In words, with what has no price"`
	Currency string `json:"currency,omitempty"`
	Least    int64  `json:"least" doc:"In hundredths"`
	Most     int64  `json:"most" doc:"In hundredths"`
	Unpriced int    `json:"unpriced,omitempty" doc:"Parts without a price"`
}

// StepRef names a step.
type StepRef struct {
	Step  string `json:"step"`
	Title string `json:"title"`
}

// Minutes is a range of working time, of one machine or of many.
type Minutes struct {
	Least int `json:"least" minimum:"0" doc:"Minutes at least"`
	Most  int `json:"most" minimum:"0" doc:"Minutes at most"`
}

// Remedy is what one remedy does for the fleet.
type Remedy struct {
	StepRef
	Class      string  `json:"class"`
	By         string  `json:"by" doc:"Who can do it, in words"`
	Minutes    Minutes `json:"minutes" doc:"On one machine"`
	Needs      int     `json:"needs" doc:"Machines that do not become ready without it"`
	Alone      int     `json:"alone" doc:"Of these, machines that need nothing else"`
	Expected   int     `json:"expected" doc:"Of those that need nothing else, machines on which its effect is not certain"`
	WhereNeeds string  `json:"where_needs"`
	WhereAlone string  `json:"where_alone"`
}

// Pick is what to do next for the most effect.
type Pick struct {
	Steps    []StepRef `json:"steps" doc:"Steps that no earlier pick contains"`
	Gain     int       `json:"gain" doc:"Machines that become ready"`
	Expected int       `json:"expected" doc:"Of these, machines on which it is not certain"`
	Ready    int       `json:"ready" doc:"Machines that are ready afterwards"`
	Minutes  Minutes   `json:"minutes" doc:"Of the complete plans of these machines"`
	SoFar    Minutes   `json:"minutes_so_far"`
	Cost     Money     `json:"cost"`
	CostSums Money     `json:"cost_so_far"`
	Where    string    `json:"where" doc:"Filter that lists the machines that become ready"`
}

// Wins are the fixes that make most machines ready.
type Wins struct {
	Where             string   `json:"where,omitempty"`
	Order             string   `json:"order" enum:"machines,time"`
	Machines          int      `json:"machines"`
	Ready             int      `json:"ready" doc:"Before anything is done"`
	Undetermined      int      `json:"undetermined" doc:"Undetermined machines, which are not included"`
	WhereUndetermined string   `json:"where_undetermined"`
	Decide            int      `json:"decide" doc:"No known step makes these ready; a person has to decide"`
	WhereDecide       string   `json:"where_decide"`
	Remedies          []Remedy `json:"remedies" doc:"Largest effect alone first"`
	Picks             []Pick   `json:"picks" doc:"In the best order: each has the largest effect after the earlier ones"`
}

// AskWhatIf compares a draft, or a stored release, with another over the fleet.
type AskWhatIf struct {
	Document string `json:"document,omitempty" maxLength:"8388608" doc:"The text of a release document or of a bundle; it is not saved"`
	Release  string `json:"release,omitempty" maxLength:"64" doc:"Id of a stored release, instead of the document"`
	Revision int    `json:"revision,omitempty" minimum:"0"`
	Than     string `json:"than,omitempty" maxLength:"64" doc:"Id of the release to compare with (default: the target of the class)"`
	ThanRev  int    `json:"than_revision,omitempty" minimum:"0"`
	Where    string `json:"where,omitempty" maxLength:"2000"`
	Effort   bool   `json:"effort,omitempty" doc:"Also work out what both take: visits, time, parts; this takes longer"`
}

// Shift is machines that change from one disposition to another.
type Shift struct {
	Was      string `json:"was"`
	Becomes  string `json:"becomes"`
	Machines int    `json:"machines"`
}

// SiteShift is how many machines change at a site.
type SiteShift struct {
	Site   string  `json:"site"`
	Moved  int     `json:"moved"`
	Shifts []Shift `json:"shifts"`
}

// RequirementShift is what becomes of one requirement.
type RequirementShift struct {
	Requirement string `json:"requirement"`
	Title       string `json:"title"`
	Needs       string `json:"needs"`
	New         bool   `json:"new,omitempty" doc:"The other release does not have the requirement"`
	Fails       int    `json:"newly_fail"`
	Passes      int    `json:"no_longer_fail"`
	Opens       int    `json:"newly_unknown"`
	FailsNow    int    `json:"fail" doc:"All that fail it"`
	Unknown     int    `json:"unknown" doc:"All for which it is unknown"`
}

// MissingFact is a fact that decides and is not known.
type MissingFact struct {
	Fact     string `json:"fact"`
	Label    string `json:"label"`
	Machines int    `json:"machines"`
	NotAsked int    `json:"never_collected" doc:"Of these, machines from which it was never collected"`
	Where    string `json:"where"`
}

// ChangedMachine is a machine whose disposition would change.
type ChangedMachine struct {
	Key     string   `json:"key"`
	Name    string   `json:"name"`
	Site    string   `json:"site"`
	Model   string   `json:"model"`
	Was     string   `json:"was"`
	Becomes string   `json:"becomes"`
	By      []string `json:"by" doc:"Titles of the requirements that cause it"`
}

// WhatIf is which machines would change disposition.
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
	Sites    []SiteShift        `json:"sites"`
	Changes  []RequirementShift `json:"requirements"`
	Missing  []MissingFact      `json:"missing" doc:"Decisive facts that are unknown"`
	Notes    []string           `json:"notes" doc:"Requirements that every machine fails, or that none fails, in sentences"`
	Changed  []ChangedMachine   `json:"changed" doc:"At most 1,000, worst first"`
	Took     time.Duration      `json:"took_ns"`

	EffortBefore *Effort `json:"effort_before,omitempty" doc:"What machines take until they can take was"`
	EffortAfter  *Effort `json:"effort_after,omitempty" doc:"What machines take until they can take becomes"`
}

// Decision is what somebody decided about machines, until a date.
type Decision struct {
	ID          int64     `json:"id"`
	Kind        string    `json:"kind" enum:"waive,stay,hold,later" doc:"waive: a requirement may fail; stay: machines stay on their release; hold: machines are held back; later: machines are postponed"`
	Says        string    `json:"says"`
	Scope       string    `json:"scope" doc:"The filter that selects its machines"`
	Release     string    `json:"release,omitempty"`
	Requirement string    `json:"requirement,omitempty"`
	Title       string    `json:"title,omitempty" doc:"Of the requirement"`
	Reason      string    `json:"reason"`
	By          string    `json:"by"`
	At          time.Time `json:"at"`
	Until       time.Time `json:"until" doc:"When it ends"`
	Counts      bool      `json:"counts" doc:"It is in force"`
	EndedAt     time.Time `json:"ended_at,omitzero" doc:"Ended by a person before its date"`
	EndedBy     string    `json:"ended_by,omitempty"`
	Machines    int       `json:"machines" doc:"Machines that it affects now"`
	Where       string    `json:"where" doc:"Filter that lists them"`

	DryRun bool         `json:"dry_run,omitempty" doc:"Nothing was decided"`
	Some   []MachineRef `json:"some,omitempty" doc:"In a dry run: machines that it is for, at most 20"`
}

// DecisionList lists them, the latest first.
type DecisionList struct {
	Decisions []Decision `json:"decisions"`
}

// MakeDecision decides something about machines.
type MakeDecision struct {
	Kind        string `json:"kind" enum:"waive,stay,hold,later"`
	Scope       string `json:"scope" maxLength:"2000" doc:"A filter: key=gull-014, site=\"Gull Quay\", fails=memory"`
	Release     string `json:"release,omitempty" maxLength:"64" doc:"For a waiver (default: the target that has the requirement)"`
	Requirement string `json:"requirement,omitempty" maxLength:"64" doc:"Of a waiver"`
	Reason      string `json:"reason" maxLength:"500"`
	Until       string `json:"until" maxLength:"10" doc:"The last day: 2027-01-31"`
	Ahead       bool   `json:"ahead,omitempty" doc:"Accept a filter that matches no machine yet"`
	DryRun      bool   `json:"dry_run,omitempty" doc:"Only show how many machines it is for, and which"`
}

// ChangeDecision moves the last day of a decision.
type ChangeDecision struct {
	Until string `json:"until" maxLength:"10" doc:"The last day: 2027-01-31"`
}

// MachineRef names a machine.
type MachineRef = work.MachineRef

// Visit is what is done at one machine.
type Visit struct {
	MachineRef
	Disposition string    `json:"disposition"`
	Before      []StepRef `json:"before,omitempty" doc:"Questions to answer before the visit"`
	Steps       []StepRef `json:"steps" doc:"Steps that settle findings; the plan also has those that prepare and confirm them"`
	Minutes     Minutes   `json:"minutes"`
	Restarts    int       `json:"restarts"`
	Firmware    bool      `json:"firmware,omitempty" doc:"Settings of the firmware are changed"`
	Parts       bool      `json:"parts,omitempty" doc:"A part must be available first"`
	Ticked      []string  `json:"ticked,omitempty" doc:"Titles of ticked steps; the next inventory confirms them"`
	Who         string    `json:"who,omitempty" doc:"Assigned to"`
	Note        string    `json:"note,omitempty"`
	Day         string    `json:"day,omitempty" doc:"Day of the visit"`
	Half        string    `json:"half,omitempty" doc:"am or pm; the whole day, if missing"`
	NotBefore   time.Time `json:"not_before,omitzero" doc:"Postponed until then"`
}

// Stop is the visits at one place.
type Stop struct {
	Site     string  `json:"site"`
	Machines int     `json:"machines"`
	Minutes  Minutes `json:"minutes"`
	Parts    int     `json:"parts" doc:"Visits that need a part"`
	Waiting  int     `json:"waiting" doc:"Visits to machines that are postponed"`
	Visits   []Visit `json:"visits" doc:"At most 200"`
	Where    string  `json:"where" doc:"Filter that lists its machines"`
}

// Batch is one step on many machines, without going there.
type Batch struct {
	StepRef
	By       string       `json:"by"`
	Host     bool         `json:"host,omitempty" doc:"Done on the hosts of virtual machines"`
	Closes   bool         `json:"closes,omitempty" doc:"It finds out what is unknown"`
	Weights  *Weights     `json:"weights,omitempty" doc:"Of further work, which no requirement asks for"`
	Machines int          `json:"machines"`
	Expected int          `json:"expected" doc:"Machines on which its effect is not certain"`
	Waiting  int          `json:"waiting"`
	Minutes  Minutes      `json:"minutes" doc:"On one machine"`
	Pilot    []MachineRef `json:"pilot,omitempty" doc:"Do this first"`
	Where    string       `json:"where"`
	Says     string       `json:"says"`

	Installs bool           `json:"installs,omitempty" doc:"It puts a release on the machines; a wave can do that"`
	Now      int            `json:"now,omitempty" doc:"Of a step that installs: machines on which nothing else comes first"`
	Packages []BatchPackage `json:"packages,omitempty" doc:"What is installed, release by release"`
}

// BatchPackage is how many machines of a batch get a package.
type BatchPackage struct {
	Release  string `json:"release" doc:"Name"`
	Package  string `json:"package,omitempty" doc:"Id"`
	File     string `json:"file,omitempty"`
	SHA256   string `json:"sha256,omitempty"`
	None     string `json:"none,omitempty" doc:"Why there is no package"`
	Machines int    `json:"machines"`
}

// Weights is on how many machines further work is required, recommended and optional.
type Weights struct {
	Required int    `json:"required" doc:"Machines on which it is required"`
	Advised  int    `json:"advised" doc:"Machines on which it is recommended"`
	Optional int    `json:"optional" doc:"Machines on which it is optional"`
	Says     string `json:"says"`
}

// OrderLine is one line of the parts order.
type OrderLine struct {
	Part     string `json:"part"`
	Kind     string `json:"kind"`
	Quantity int    `json:"quantity"`
	OnHand   int    `json:"on_hand" doc:"In the stock, for the whole fleet"`

	FromStock int `json:"from_stock" doc:"What the stock has for these machines; it gives each part once"`
	Ordered   int `json:"ordered" doc:"Awaited"`
	Arrived   int `json:"arrived" doc:"There, and set aside for these machines"`
	Fitted    int `json:"fitted" doc:"Fitted, and not seen by an inventory yet"`

	ToOrder  int    `json:"to_order"`
	LeadDays int    `json:"lead_days,omitempty"`
	Price    Money  `json:"price" doc:"Of the parts to order"`
	Confirm  int    `json:"confirm,omitempty" doc:"To confirm in the maker's manual before ordering"`
	Voids    int    `json:"ends_warranty,omitempty" doc:"Machines whose warranty ends when the part is installed"`
	Machines int    `json:"machines"`
	Where    string `json:"where"`

	Shares []PartShare `json:"shares" doc:"Where the part of each machine is, in the order in which they get from the stock; at most 200, where lists all"`
}

// Work is the work of the whole fleet.
type Work struct {
	Says      string              `json:"says" doc:"In one sentence"`
	Where     string              `json:"where,omitempty"`
	Visits    int                 `json:"visits"`
	Minutes   Minutes             `json:"minutes" doc:"Of all visits"`
	Stops     []Stop              `json:"stops"`
	Batches   []Batch             `json:"batches"`
	Further   []Batch             `json:"further" doc:"Remote work that no requirement asks for, on ready machines, too"`
	Order     []OrderLine         `json:"order"`
	Cost      Money               `json:"cost" doc:"Of the parts to order"`
	Labour    Money               `json:"labour" doc:"Of all visits, by the price of an hour"`
	Questions []question.Question `json:"questions"`
	Watch     []watch.Item        `json:"watch"`
}

// Assign gives the work on machines to somebody.
type Assign struct {
	Where string   `json:"where,omitempty" maxLength:"2000"`
	Keys  []string `json:"keys,omitempty" maxItems:"1000"`
	Who   string   `json:"who,omitempty" maxLength:"100" doc:"A role or a name. What is omitted stays; if who, note and day are omitted, the assignment is removed"`
	Note  string   `json:"note,omitempty" maxLength:"500"`
	Day   string   `json:"day,omitempty" maxLength:"10" doc:"Day of the visits, such as 2026-12-03"`
	Half  string   `json:"half,omitempty" maxLength:"2" doc:"am or pm; the whole day, if omitted"`

	Overwrite bool `json:"overwrite,omitempty" doc:"Also machines that are assigned to somebody else"`
	Overbook  bool `json:"overbook,omitempty" doc:"Even if the technician's day is too short"`
	DryRun    bool `json:"dry_run,omitempty" doc:"Only show which machines would be assigned"`
}

// SetStock records the stock and the lead time of a part.
type SetStock struct {
	Part     string `json:"part" minLength:"1" maxLength:"300" doc:"Name of the part, as in the parts order"`
	OnHand   int    `json:"on_hand" minimum:"0" maximum:"1000000"`
	LeadDays int    `json:"lead_days,omitempty" minimum:"0" maximum:"1000"`
}

// WorkTable is a list of the fleet's work as a table.
type WorkTable struct {
	Format string              `json:"format" enum:"rolltop-table/1" doc:"Format of the document"`
	List   string              `json:"list" doc:"Name of the list"`
	Rows   []map[string]string `json:"rows" doc:"One object per row: column to value; all values are texts"`
}

// Export is machines as a table.
type Export struct {
	Format   string       `json:"format" enum:"rolltop-export/1" doc:"Format of the document"`
	Machines []MachineRow `json:"machines" doc:"Machines, by name"`
}

// Message is what the person whose machine it is should know.
type Message struct {
	MachineRef
	To      string   `json:"to,omitempty" doc:"Contact of the machine, for those who may see it"`
	Desk    string   `json:"desk,omitempty" doc:"Where the machine stands"`
	Subject string   `json:"subject"`
	Text    []string `json:"text" doc:"Paragraphs"`
}

// MessageList is messages, by site and name.
type MessageList struct {
	Total    int       `json:"total" doc:"Machines (at most 500)"`
	Messages []Message `json:"messages"`
}

// Wave is a group of machines that go in the same days.
type Wave struct {
	ID       int64          `json:"id"`
	Name     string         `json:"name"`
	Release  string         `json:"release" doc:"Id"`
	To       string         `json:"release_name"`
	Pilot    bool           `json:"pilot,omitempty"`
	Rule     string         `json:"rule" doc:"A filter: the machines that can enter"`
	Most     int            `json:"most"`
	Starts   string         `json:"starts" doc:"First day"`
	Ends     string         `json:"ends" doc:"Last day"`
	Note     string         `json:"note,omitempty"`
	Ended    bool           `json:"ended,omitempty"`
	Machines int            `json:"machines"`
	Outcomes map[string]int `json:"outcomes" doc:"Machines by outcome: waiting, handed-off, arrived, failed, back"`
	Says     string         `json:"says"`

	StopPercent int    `json:"stop_percent,omitempty" doc:"It pauses when more than so many percent of its machines that were handed off failed or went back; 0: never"`
	Paused      string `json:"paused,omitempty" doc:"Why it is paused, by its own stop rule or by that of a pilot"`
}

// MakeWave adds a wave, or changes one.
type MakeWave struct {
	Name    string `json:"name" maxLength:"100"`
	Release string `json:"release,omitempty" maxLength:"64" doc:"Default: the target of PCs"`
	Pilot   bool   `json:"pilot,omitempty"`
	Rule    string `json:"rule" maxLength:"2000"`
	Most    int    `json:"most"`
	Starts  string `json:"starts" maxLength:"10"`
	Ends    string `json:"ends" maxLength:"10"`
	Note    string `json:"note,omitempty" maxLength:"500"`

	StopPercent int  `json:"stop_percent,omitempty" doc:"Pause when more than so many percent of the machines that were handed off failed or went back; 0: never"`
	Reschedule  bool `json:"reschedule,omitempty" doc:"Give machines that were not handed off new days; otherwise announced days stay"`
}

// ResumeWave lets a paused wave go on.
type ResumeWave struct {
	Reason string `json:"reason" maxLength:"500" doc:"Why it can go on"`
}

// WaveDetail is a wave with its machines.
type WaveDetail struct {
	Wave
	Members []wave.Machine `json:"members"`
	Free    int            `json:"free" doc:"Machines that match the rule and can enter"`

	OutcomeNames map[string]string `json:"outcome_names" doc:"Names of outcomes"`

	Refusals []wave.Refusal `json:"refusals" doc:"Machines that match the rule and cannot enter"`
}

// WaveList is all waves, with the days on which nothing is upgraded and the forecasts.
type WaveList struct {
	Waves     []Wave     `json:"waves"`
	Blackout  []Blackout `json:"blackout"`
	Forecasts []Forecast `json:"forecasts"`
}

// Blackout is days on which nothing is upgraded.
type Blackout struct {
	From   string `json:"from" maxLength:"10"`
	To     string `json:"to" maxLength:"10"`
	Reason string `json:"reason,omitempty" maxLength:"200"`
}

// Blackouts replaces them.
type Blackouts struct {
	Days []Blackout `json:"days" maxItems:"200"`
}

// Forecast is whether the machines of a class arrive in time.
type Forecast struct {
	Says     string   `json:"says"`
	Needs    string   `json:"needs,omitempty" doc:"The pace that meets the ends of support that are still ahead, in a sentence"`
	Class    string   `json:"class"`
	Release  string   `json:"release"`
	Pace     float64  `json:"pace" doc:"Machines per day, over the last days that were not blackout days"`
	Days     int      `json:"days"`
	Machines int      `json:"machines" doc:"Machines to upgrade"`
	On       int      `json:"on" doc:"Already on the target"`
	Ready    int      `json:"ready" doc:"Could go now"`
	Blocked  int      `json:"blocked" doc:"Not ready yet"`
	Unknown  int      `json:"undetermined"`
	Parts    int      `json:"parts" doc:"Of those not ready, machines that need a part or are replaced"`
	Unseen   int      `json:"unseen" doc:"Expected machines that never reported"`
	Silent   int      `json:"silent" doc:"Of all, overdue machines"`
	Held     int      `json:"held" doc:"Of all, machines on hold"`
	Stay     int      `json:"stay" doc:"Machines that stay by decision; not counted in machines"`
	End      string   `json:"end,omitempty" doc:"Of support of what most of them run"`
	Done     string   `json:"done,omitempty" doc:"Date of completion at this pace"`
	InTime   int      `json:"in_time" doc:"Upgraded before their support ends, if what blocks them is settled in time"`
	Late     int      `json:"late" doc:"Not upgraded when support of what they run ends"`
	Overdue  int      `json:"overdue" doc:"Machines that run what is out of support already"`
	Assumed  float64  `json:"assumed_pace" doc:"The pace that the forecast goes by"`
	Needed   float64  `json:"needed_pace" doc:"Machines a working day that meet every end of support; 0: there is none, or no day is left"`
	Firm     int      `json:"firm" doc:"The same for machines that are ready now"`
	Assumes  []string `json:"assumes" doc:"What the forecast assumes, and what it does not"`

	Deadlines []Deadline `json:"deadlines" doc:"Ends of support of what machines run, by edition, the first first"`
}

// Deadline is a day on which support of what some machines run ends.
type Deadline struct {
	Day      string  `json:"day" doc:"As 2026-12-08"`
	Machines int     `json:"machines" doc:"Machines whose support ends that day"`
	Due      int     `json:"due" doc:"These and those of earlier days"`
	InTime   int     `json:"in_time" doc:"Of due, upgraded by then at the assumed pace"`
	Days     int     `json:"working_days" doc:"Working days left, today not included"`
	Needed   float64 `json:"needed_pace" doc:"Machines a working day for all of them; 0: no day is left"`
	Start    string  `json:"latest_start,omitempty" doc:"Latest first day for all of them at the assumed pace; missing if they cannot all be in time"`
	Says     string  `json:"says"`
}

// ForecastList is a forecast for each class of hardware.
type ForecastList struct {
	Forecasts []Forecast `json:"forecasts"`
}

// FillWave puts machines into a wave.
type FillWave struct {
	Keys   []string `json:"keys,omitempty" maxItems:"1000" doc:"Keys of machines (default: as many that match the rule as there is room for)"`
	ByName bool     `json:"by_name,omitempty" doc:"Admit these machines although a requirement is waived, the upgrade removes an application, or a clean installation keeps nothing"`
	Day    string   `json:"day,omitempty" maxLength:"10" doc:"Day for these machines, also for those that are in the wave (default: a day with room)"`
}

// WaveFilled is what it came to.
type WaveFilled struct {
	Added    int            `json:"added"`
	Moved    int            `json:"moved" doc:"Machines of the wave that got another day"`
	Refusals []wave.Refusal `json:"refusals"`
}

// HandOff is the machines of a wave for a deployment system, rolltop-handoff/1.
type HandOff struct {
	Format   string         `json:"format" enum:"rolltop-handoff/1"`
	Wave     string         `json:"wave"`
	Release  string         `json:"release"`
	At       time.Time      `json:"at"`
	Machines []wave.Machine `json:"machines"`
	Refused  []wave.Machine `json:"refused" doc:"In the wave, but not to be upgraded now"`
}

// Outcomes is what a deployment system tells of machines.
type Outcomes struct {
	Outcomes []SaidOutcome `json:"outcomes" maxItems:"10000"`
}

// SaidOutcome is one of them.
type SaidOutcome struct {
	Machine string `json:"machine" maxLength:"200" doc:"Key or name"`
	Outcome string `json:"outcome" maxLength:"20" doc:"arrived, failed, back, or waiting to try again"`
	Reason  string `json:"reason,omitempty" maxLength:"500"`
	Release string `json:"release,omitempty" maxLength:"200" doc:"Name of the intermediate release that it is about (default: the target)"`
}

// OutcomesFile is the same in a file.
type OutcomesFile struct {
	Name    string `json:"name" minLength:"1" maxLength:"200" doc:"Name of the file"`
	Content []byte `json:"content" doc:"The file, as CSV or NDJSON"`

	Columns map[string]string `json:"columns,omitempty" doc:"Headings of the fields machine, outcome, reason and release, if they are not recognized"`
	Words   map[string]string `json:"words,omitempty" doc:"Outcomes by the texts of the file, if they are not recognized"`
	DryRun  bool              `json:"dry_run,omitempty" doc:"Only show how the file is understood; nothing is saved"`
}

// OutcomesTaken is what it came to, line by line where something is wrong.
type OutcomesTaken struct {
	Taken    int           `json:"taken" doc:"Outcomes that were recorded; in a dry run, that would be"`
	Problems []string      `json:"problems,omitempty"`
	Headings []string      `json:"headings,omitempty" doc:"Of a file: the headings of its table"`
	Outcomes []SaidOutcome `json:"outcomes,omitempty" doc:"Of a file: how it is understood; the first 100"`
}

// Judging is how far the judging of the fleet by other rules has come.
type Judging struct {
	Running  bool         `json:"running"`
	Release  *release.Ref `json:"release,omitempty"`
	Machines int          `json:"machines"`
	Done     int          `json:"done"`
}

// RuleChange is that other rules were put in force, and what that did.
type RuleChange struct {
	ID       int64            `json:"id"`
	Says     string           `json:"says" doc:"In one sentence"`
	At       time.Time        `json:"at"`
	Release  release.Ref      `json:"release"`
	Was      release.Ref      `json:"was"`
	Machines int              `json:"machines" doc:"Machines that were judged"`
	Moved    int              `json:"moved"`
	Shifts   []Shift          `json:"shifts"`
	By       []Count          `json:"by" doc:"Requirements that caused it, with the number of machines"`
	Where    string           `json:"where" doc:"Filter that lists the machines that changed"`
	Changed  []ChangedMachine `json:"changed,omitempty" doc:"At most 1,000, worst first"`
}

// RuleChangeList lists them, the latest first, without their machines.
type RuleChangeList struct {
	Changes []RuleChange `json:"changes"`
}
