package api

import (
	"time"

	"rolltop.example/rolltop/core/sheet"
)

// MachineChanges asks to write on machines: those that a filter picks, or those that are
// named.
type MachineChanges struct {
	Where  string   `json:"where,omitempty" maxLength:"2000" doc:"A filter; without a filter and keys nothing is changed"`
	Keys   []string `json:"keys,omitempty" maxItems:"10000"`
	Tag    []string `json:"tag,omitempty" maxItems:"20" doc:"Tags to add: letters, digits, - and _"`
	Untag  []string `json:"untag,omitempty" maxItems:"20"`
	Site   *string  `json:"site,omitempty" maxLength:"100" doc:"Site of the machines; empty restores the site derived from the name"`
	Retire *bool    `json:"retire,omitempty" doc:"Retire the machines, or reactivate them"`

	Contact *string `json:"contact,omitempty" maxLength:"200" doc:"Whom to ask about the machines, as a role; empty: nobody"`
	Desk    *string `json:"desk,omitempty" maxLength:"200" doc:"Where they stand: a room, a counter; empty: nowhere"`
	DryRun  bool    `json:"dry_run,omitempty" doc:"Only show which machines would be changed"`
}

// ManyChanged says which machines a change of many changed, or would change.
type ManyChanged struct {
	Picked   int          `json:"picked" doc:"Machines that the filter and the keys select"`
	Changed  int          `json:"changed" doc:"Machines that are another than before; in a dry run, that would be"`
	Skipped  int          `json:"skipped,omitempty" doc:"Machines that the change does not concern"`
	Machines []MachineRef `json:"machines" doc:"Of the changed machines, at most 20"`
	Change   int64        `json:"change,omitempty" doc:"Number of the change, with which it can be undone as one"`
	DryRun   bool         `json:"dry_run,omitempty" doc:"Nothing was changed"`
	Says     string       `json:"says"`
}

// TickMany records an item on many machines.
type TickMany struct {
	Where  string   `json:"where,omitempty" maxLength:"2000"`
	Keys   []string `json:"keys,omitempty" maxItems:"1000"`
	Item   string   `json:"item" maxLength:"80" doc:"step/ and the id of a step, or prepare/ and the id of an item of preparation"`
	State  string   `json:"state" enum:"done,refused"`
	Note   string   `json:"note,omitempty" maxLength:"500" doc:"For a refusal: why"`
	DryRun bool     `json:"dry_run,omitempty" doc:"Only show which machines it would be recorded on"`
}

// Undone says what became of a change of many machines that was undone.
type Undone struct {
	Undone       int          `json:"undone" doc:"Machines that are what they were before"`
	Kept         int          `json:"kept" doc:"Machines that were changed again since, or are gone: they stay as they are"`
	Machines     []MachineRef `json:"machines" doc:"Of the machines that are undone, at most 20"`
	KeptMachines []MachineRef `json:"kept_machines" doc:"Of the machines that stay, at most 20"`
	DryRun       bool         `json:"dry_run,omitempty" doc:"Nothing was changed"`
	Says         string       `json:"says"`
}

// MachineNote is a note on a machine.
type MachineNote struct {
	ID   int64     `json:"id" doc:"With which it is removed"`
	Text string    `json:"text"`
	By   string    `json:"by"`
	At   time.Time `json:"at"`
}

// NoteList is the notes on a machine, the latest first.
type NoteList struct {
	Notes []MachineNote `json:"notes" doc:"The latest first"`
}

// AddNote is a note to write about a machine.
type AddNote struct {
	Text string `json:"text" minLength:"1" maxLength:"2000"`
}

// Technician is somebody who visits machines.
type Technician struct {
	Name    string      `json:"name"`
	Minutes int         `json:"minutes" doc:"For visits on a day"`
	LeftOn  string      `json:"left_on,omitempty" doc:"Day on which they left"`
	Booked  []BookedDay `json:"booked" doc:"Days from today on that have visits"`
}

// BookedDay is how much of a day is booked.
type BookedDay struct {
	Day     string `json:"day" doc:"As 2026-12-03"`
	Visits  int    `json:"visits"`
	Minutes int    `json:"minutes" doc:"At most, for all visits"`
	Where   string `json:"where" doc:"Filter that lists the machines"`
}

// SetTechnician adds or changes somebody who visits machines.
type SetTechnician struct {
	Minutes int    `json:"minutes,omitempty" minimum:"0" maximum:"1440" doc:"For visits on a day (default: the working hours)"`
	LeftOn  string `json:"left_on,omitempty" maxLength:"10" doc:"Day on which they left, such as 2026-12-31"`
}

// TechnicianList lists those who visit machines.
type TechnicianList struct {
	Technicians []Technician `json:"technicians" doc:"By name"`
}

// TagList lists tags.
type TagList struct {
	Tags []Count `json:"tags"`
}

// SavedFilter is a filter under a name, for everybody.
type SavedFilter struct {
	Name   string    `json:"name"`
	Filter string    `json:"filter" doc:"In its canonical text"`
	Sort   string    `json:"sort,omitempty"`
	Facts  []string  `json:"facts,omitempty" doc:"Columns"`
	By     string    `json:"by"`
	At     time.Time `json:"at"`
}

// SavedFilterList lists them.
type SavedFilterList struct {
	Filters []SavedFilter `json:"filters"`
}

// SetFilter keeps a filter.
type SetFilter struct {
	Filter string   `json:"filter" maxLength:"2000"`
	Sort   string   `json:"sort,omitempty" maxLength:"100"`
	Facts  []string `json:"facts,omitempty" maxItems:"40"`
}

// FilterRead is a filter as the service reads it.
type FilterRead struct {
	Where  string       `json:"where" doc:"The filter, written as the service writes it"`
	Simple bool         `json:"simple" doc:"All terms must match: no or, not or parentheses join them"`
	Words  string       `json:"words" doc:"The plain words; of a filter that is not simple, all of it"`
	Terms  []FilterTerm `json:"terms" doc:"The terms of a simple filter"`
}

// FilterTerm is a term of a filter.
type FilterTerm struct {
	Key    string   `json:"key,omitempty" doc:"Key; missing for a plain word"`
	Op     string   `json:"op,omitempty" doc:"Comparison; missing for a plain word"`
	Values []string `json:"values" doc:"Values without their quotes"`
	Text   string   `json:"text" doc:"The term as the service writes it"`
}

// Completion is a way to go on with a filter.
type Completion struct {
	Text string `json:"text" doc:"The whole filter with what is added"`
	Says string `json:"says" doc:"What is added, in a few words"`
}

// CompletionList lists ways to go on with a filter.
type CompletionList struct {
	Completions []Completion `json:"completions" doc:"At most 100"`
}

// Duplicate is a possible duplicate that a person has to resolve.
type Duplicate struct {
	ID        int64     `json:"id"`
	Kind      string    `json:"kind" enum:"conflict,weak,unvouched,another-tpm,noted" doc:"Two machines that share an identifier; an inventory that may belong to another machine; an inventory from an unknown sender; a machine that attests with another TPM than before; or a remark that needs no resolution"`
	Says      string    `json:"says"`
	At        time.Time `json:"at"`
	Key       string    `json:"key"`
	Name      string    `json:"name"`
	Other     string    `json:"other,omitempty" doc:"For a conflict: the other machine"`
	OtherName string    `json:"other_name,omitempty"`
	Inventory int64     `json:"inventory,omitempty" doc:"The inventory that it is about"`
	TakenAt   time.Time `json:"taken_at,omitzero" doc:"When it was taken"`
}

// DuplicateList lists possible duplicates, the oldest first.
type DuplicateList struct {
	Duplicates []Duplicate `json:"duplicates"`
}

// ResolveDuplicate says how a person resolves a possible duplicate.
type ResolveDuplicate struct {
	Verdict string `json:"verdict" enum:"same,apart" doc:"same: two machines become one, with all inventories. apart: they stay two, or the inventory becomes a machine of its own"`
}

// Rekey lets a machine speak with another key.
type Rekey struct {
	Reason string `json:"reason" minLength:"1" maxLength:"500" doc:"Reason for the audit log, such as a replaced disk"`
}

// ModelFact is a fact of every machine of a model.
type ModelFact struct {
	ID       int64     `json:"id"`
	Maker    string    `json:"maker"`
	Model    string    `json:"model"`
	Fact     string    `json:"fact"`
	Label    string    `json:"label"`
	Value    string    `json:"value"`
	Note     string    `json:"note,omitempty"`
	By       string    `json:"by"`
	At       time.Time `json:"at"`
	Machines int       `json:"machines"`
}

// ModelFactList lists them.
type ModelFactList struct {
	Facts []ModelFact `json:"facts"`
}

// AddModelFact enters a fact of every machine of a model, or of those that have an adapter. It fills gaps only.
type AddModelFact struct {
	Maker string `json:"maker" maxLength:"200"`
	Model string `json:"model" minLength:"1" maxLength:"200"`
	Fact  string `json:"fact" maxLength:"100" doc:"Name of the fact; of a graphics adapter with its PCI ids, such as graphics[7e5a:0c21].interface_level, for those machines of the model that have it"`
	Value string `json:"value" minLength:"1" maxLength:"500"`
	Note  string `json:"note,omitempty" maxLength:"500" doc:"Source of the value"`
}

// ModelFactEntered is what it came to.
type ModelFactEntered struct {
	Machines int `json:"machines" doc:"Of the model"`
	Settled  int `json:"settled" doc:"Of these, machines whose disposition it changed"`
}

// Expected is a machine of the organisation's own list.
type Expected struct {
	Name   string `json:"name" minLength:"1" maxLength:"200"`
	Serial string `json:"serial,omitempty" maxLength:"200"`
	Maker  string `json:"maker,omitempty" maxLength:"200"`
	Model  string `json:"model,omitempty" maxLength:"200"`
	Site   string `json:"site,omitempty" maxLength:"100"`
	Reason string `json:"reason,omitempty" enum:",off,no-rights,refused,no-network,in-repair,other" doc:"Why it does not report, if known"`
	Note   string `json:"note,omitempty" maxLength:"500"`
}

// ExpectedRow is one with whether it is here.
type ExpectedRow struct {
	ID int64 `json:"id"`
	Expected
	Machine string `json:"machine,omitempty" doc:"Key of the machine; missing if it never reported"`
}

// ExpectedList is the list, those that never reported first.
type ExpectedList struct {
	Machines []ExpectedRow `json:"machines"`
	Missing  int           `json:"missing" doc:"Number of machines that never reported"`
	Reported int           `json:"reported"`
}

// SetExpected replaces the list. What was said of a machine that stays, stays.
type SetExpected struct {
	Machines []Expected `json:"machines" maxItems:"200000"`
}

// SetReason says why an expected machine does not report.
type SetReason struct {
	Reason string `json:"reason" enum:",off,no-rights,refused,no-network,in-repair,other"`
	Note   string `json:"note,omitempty" maxLength:"500"`
}

// Matrix is machines beside the requirements of one release.
type Matrix struct {
	Total        int            `json:"total"`
	From         int            `json:"from" doc:"Machines before the first row"`
	Next         string         `json:"next,omitempty" doc:"For cursor=: the next page"`
	Where        string         `json:"where"`
	Release      string         `json:"release"`
	Requirements []MatrixColumn `json:"requirements"`
	Rows         []MatrixRow    `json:"rows"`
}

// MatrixColumn is a requirement.
type MatrixColumn struct {
	Requirement string `json:"requirement"`
	Title       string `json:"title"`
	Needs       string `json:"needs"`
	Level       string `json:"level"`
	Fails       int    `json:"fails" doc:"Of the machines that the filter picks"`
	Unknown     int    `json:"unknown"`
	WhereFails  string `json:"where_fails"`
}

// MatrixRow is a machine.
type MatrixRow struct {
	Key         string       `json:"key"`
	Name        string       `json:"name"`
	Site        string       `json:"site"`
	Disposition string       `json:"disposition"`
	Cells       []MatrixCell `json:"cells"`
}

// MatrixCell is what a machine has for a requirement.
type MatrixCell struct {
	Outcome string `json:"outcome" enum:"pass,fail,unknown,not-applicable,waived" doc:"Outcome of the requirement; waived if it fails and a decision waives it"`
	Has     string `json:"has,omitempty"`
	Short   string `json:"short,omitempty" doc:"What is missing, if it can be counted"`
}

// Progress is how many machines there were of each disposition, day by day.
type Progress struct {
	Days []ProgressDay `json:"days" doc:"Oldest first; days on which the service did not run are missing"`
}

// ProgressDay is one day's end.
type ProgressDay struct {
	Day          string         `json:"day" doc:"2026-11-23, UTC"`
	Total        int            `json:"total"`
	Dispositions map[string]int `json:"dispositions"`
}

// Webhook is an address that is notified of changes of disposition.
type Webhook struct {
	Name    string     `json:"name"`
	URL     string     `json:"url"`
	SentAt  *time.Time `json:"sent_at,omitempty" doc:"When it last accepted a message"`
	Tries   int        `json:"tries,omitempty" doc:"Failed attempts since then"`
	NextAt  *time.Time `json:"next_at,omitempty" doc:"When the next attempt is made"`
	Problem string     `json:"problem,omitempty"`
	Waiting int        `json:"waiting" doc:"Changes that were not sent yet"`
}

// WebhookList lists webhooks.
type WebhookList struct {
	Webhooks []Webhook `json:"webhooks"`
}

// SetWebhook adds or changes a webhook.
type SetWebhook struct {
	URL   string `json:"url" maxLength:"1000"`
	Renew bool   `json:"renew,omitempty" doc:"Give a new key"`
}

// WebhookPut is a webhook that was added or changed, with its key if that is new.
type WebhookPut struct {
	Webhook
	Secret string `json:"secret,omitempty" doc:"The key that signs messages; it is shown only once"`
}

// ChangeMessage is the message that a webhook is sent.
type ChangeMessage struct {
	Format  string               `json:"format" enum:"rolltop-changes/1"`
	Changes []ChangedDisposition `json:"changes"`
}

// ChangedDisposition is a change of a machine's disposition.
type ChangedDisposition struct {
	ID      int64     `json:"id" doc:"Increases with each message; a message is repeated only if it was not acknowledged"`
	Machine string    `json:"machine" doc:"Key"`
	Name    string    `json:"name"`
	Release string    `json:"release"`
	Was     string    `json:"was"`
	Becomes string    `json:"becomes"`
	Cause   string    `json:"cause" enum:"inventory,facts,rules,proof,hand-off" doc:"A new inventory, facts entered by hand, other rules, a proof by its TPM, or no change: it was handed off to the deployment system"`
	By      []string  `json:"by,omitempty" doc:"For other rules: ids of the requirements that caused it"`
	Wave    int64     `json:"wave,omitempty" doc:"For a hand-off: the wave, whose machines GET /waves/{id}/hand-off has with their packages"`
	At      time.Time `json:"at"`
}

// Settings are what an administrator sets.
type Settings struct {
	StaleDays       int  `json:"stale_days" minimum:"1" maximum:"3650" doc:"A machine whose latest inventory is older is overdue"`
	HistoryMonths   int  `json:"history_months" minimum:"1" maximum:"600" doc:"Months for which every inventory is kept; of older ones, one per quarter"`
	RetiredDays     int  `json:"retired_days" minimum:"0" maximum:"36500" doc:"Days after which a retired machine is removed (0: never)"`
	ViewersSeeAll   bool `json:"viewers_see_all" doc:"Viewers can see serial numbers, UUIDs and installed applications"`
	WebhooksPrivate bool `json:"webhooks_private,omitempty" doc:"Webhooks can be sent to this host and to private networks, but never to link-local addresses"`

	WorkingDays  string `json:"working_days,omitempty" maxLength:"40" doc:"Days of the week on which machines are upgraded and visited, such as mon,tue,wed,thu,fri; they stay, if omitted"`
	WorkingHours string `json:"working_hours,omitempty" maxLength:"20" doc:"Hours of a working day, such as 08:00-16:00; they stay, if omitted"`
}

// NewOwnToken asks for a token that may do what one may do oneself.
type NewOwnToken struct {
	Name string `json:"name" minLength:"1" maxLength:"100"`
	Days int    `json:"days,omitempty" minimum:"1" maximum:"365" doc:"90 if omitted"`
}

// TakeInvitation makes the first administrator.
type TakeInvitation struct {
	Secret   string `json:"secret" minLength:"1" maxLength:"100"`
	Name     string `json:"name" minLength:"1" maxLength:"200"`
	Password string `json:"password" maxLength:"1000" doc:"At least 12 characters, not easy to guess"`
}

// ImportSheet asks to import the rows of a spreadsheet, or to show what they would do.
type ImportSheet struct {
	Name    string                  `json:"name" minLength:"1" maxLength:"200" doc:"Name of the file"`
	Content []byte                  `json:"content" doc:"The file, as CSV"`
	Columns map[string]sheet.Choice `json:"columns,omitempty" doc:"By heading: the fact of a column and its unit; without a fact the column is ignored"`
	Fixed   map[string]string       `json:"fixed,omitempty" doc:"Facts that hold for every row of a new machine, such as os.platform"`
	Apply   bool                    `json:"apply,omitempty" doc:"Import the rows; otherwise nothing is changed"`
}

// SheetRead is what became of it.
type SheetRead struct {
	Columns  []sheet.Column `json:"columns"`
	Problems []string       `json:"problems,omitempty" doc:"Required facts that no column has"`
	Settled  bool           `json:"settled" doc:"All questions are answered"`
	Total    int            `json:"total" doc:"Rows"`
	Machines int            `json:"machines" doc:"Rows that are machines"`
	Rows     []SheetRow     `json:"rows" doc:"The first machines, in words, by column"`
	Refused  []SheetRow     `json:"refused" doc:"Rows that are not machines, and rows of which a cell was left out"`

	Imported []ImportedRow  `json:"imported" doc:"What becomes of each machine, once all questions are answered; in a preview, what would"`
	Counts   map[string]int `json:"counts" doc:"Rows by what becomes of them: new, duplicate, replaces, fills-gaps, conflict, nothing-new, no-effect"`
	Applied  bool           `json:"applied" doc:"The rows were imported; otherwise nothing was changed"`
	Change   int64          `json:"change,omitempty" doc:"Number of the import, with which it can be undone as one"`
}

// ImportedRow is what becomes of a row that is a machine.
type ImportedRow struct {
	Row     int    `json:"row" doc:"Number of the row; 1 is the first below the headings"`
	State   string `json:"state" enum:"new,duplicate,replaces,fills-gaps,conflict,nothing-new,no-effect"`
	Machine string `json:"machine,omitempty" doc:"Key of the machine, if it is known"`
	Name    string `json:"name"`
	Says    string `json:"says" doc:"What becomes of it, with both values of each conflict"`
}

// SheetRow is a row.
type SheetRow struct {
	Row     int      `json:"row" doc:"Number of the row; 1 is the first below the headings"`
	Name    string   `json:"name,omitempty"`
	Facts   []string `json:"facts,omitempty"`
	Left    []string `json:"left,omitempty" doc:"Cells that were left out, and why"`
	Problem string   `json:"problem,omitempty"`
}
