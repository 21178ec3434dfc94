package api

import (
	"time"

	"rolltop.example/rolltop/core/sheet"
)

// Marks asks to write on machines: those that a filter picks, or those that are
// named.
type Marks struct {
	Where  string   `json:"where,omitempty" maxLength:"2000" doc:"A filter; with neither it nor keys nothing is marked"`
	Keys   []string `json:"keys,omitempty" maxItems:"10000"`
	Tag    []string `json:"tag,omitempty" maxItems:"20" doc:"Tags to add: letters, digits, - and _"`
	Untag  []string `json:"untag,omitempty" maxItems:"20"`
	Place  *string  `json:"place,omitempty" maxLength:"100" doc:"A place in the place of that by the name; empty is that by the name again"`
	Retire *bool    `json:"retire,omitempty" doc:"Take them out of use, or back into it"`
}

// Marked is what became of it.
type Marked struct {
	Picked  int `json:"picked"`
	Changed int `json:"changed"`
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

// SaveFilter keeps a filter.
type SaveFilter struct {
	Filter string   `json:"filter" maxLength:"2000"`
	Sort   string   `json:"sort,omitempty" maxLength:"100"`
	Facts  []string `json:"facts,omitempty" maxItems:"40"`
}

// Doubt is a question of which machine is which.
type Doubt struct {
	ID        int64     `json:"id"`
	Kind      string    `json:"kind" enum:"conflict,weak,unvouched,noted" doc:"Two machines that share what no two should; an inventory that may be of another machine; one that did not come from whoever may speak for the machine; something odd about a machine, which nobody has to settle"`
	Says      string    `json:"says"`
	At        time.Time `json:"at"`
	Key       string    `json:"key"`
	Name      string    `json:"name"`
	Other     string    `json:"other,omitempty" doc:"For a conflict: the other machine"`
	OtherName string    `json:"other_name,omitempty"`
	Inventory int64     `json:"inventory,omitempty" doc:"The inventory that it is about"`
	TakenAt   time.Time `json:"taken_at,omitzero" doc:"When it was taken"`
}

// DoubtList lists them, the oldest first.
type DoubtList struct {
	Doubts []Doubt `json:"doubts"`
}

// SettleDoubt is a person's word on a doubt.
type SettleDoubt struct {
	Verdict string `json:"verdict" enum:"same,apart" doc:"One machine: two become one, with all inventories. Two machines: they stay, or a doubted inventory becomes a machine of its own"`
}

// Rekey lets a machine speak with another key.
type Rekey struct {
	Reason string `json:"reason" minLength:"1" maxLength:"500" doc:"Why, as that its disk was changed; it stands in the audit log"`
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

// EnterModelFact enters a fact of every machine of a model. It fills gaps only.
type EnterModelFact struct {
	Maker string `json:"maker" maxLength:"200"`
	Model string `json:"model" minLength:"1" maxLength:"200"`
	Fact  string `json:"fact" maxLength:"100"`
	Value string `json:"value" minLength:"1" maxLength:"500"`
	Note  string `json:"note,omitempty" maxLength:"500" doc:"Where it was read"`
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
	Place  string `json:"place,omitempty" maxLength:"100"`
	Reason string `json:"reason,omitempty" enum:",off,no-rights,refused,no-network,in-repair,other" doc:"Why it does not report, where somebody knows"`
	Note   string `json:"note,omitempty" maxLength:"500"`
}

// ExpectedRow is one with whether it is here.
type ExpectedRow struct {
	ID int64 `json:"id"`
	Expected
	Device string `json:"device,omitempty" doc:"Key of the machine that it is; missing where it never reported"`
}

// ExpectedList is the list, those that never reported first.
type ExpectedList struct {
	Machines []ExpectedRow `json:"machines"`
	Missing  int           `json:"missing" doc:"How many never reported"`
	Reported int           `json:"reported"`
}

// SetExpected replaces the list. What was said of a machine that stays, stays.
type SetExpected struct {
	Machines []Expected `json:"machines" maxItems:"200000"`
}

// SayWhy says why an expected machine does not report.
type SayWhy struct {
	Reason string `json:"reason" enum:",off,no-rights,refused,no-network,in-repair,other"`
	Note   string `json:"note,omitempty" maxLength:"500"`
}

// Grid is machines beside the requirements of one release.
type Grid struct {
	Total        int          `json:"total"`
	From         int          `json:"from" doc:"Machines before the first row"`
	Next         string       `json:"next,omitempty" doc:"For after=: the rows behind these"`
	Where        string       `json:"where"`
	Release      string       `json:"release"`
	Requirements []GridColumn `json:"requirements"`
	Rows         []GridRow    `json:"rows"`
}

// GridColumn is a requirement.
type GridColumn struct {
	Requirement string `json:"requirement"`
	Title       string `json:"title"`
	Needs       string `json:"needs"`
	Level       string `json:"level"`
	Fails       int    `json:"fails" doc:"Of the machines that the filter picks"`
	Unknown     int    `json:"unknown"`
	WhereFails  string `json:"where_fails"`
}

// GridRow is a machine.
type GridRow struct {
	Key         string     `json:"key"`
	Name        string     `json:"name"`
	Place       string     `json:"place"`
	Disposition string     `json:"disposition"`
	Cells       []GridCell `json:"cells"`
}

// GridCell is what a machine has for a requirement.
type GridCell struct {
	Outcome string `json:"outcome" enum:"pass,fail,unknown,not-applicable"`
	Has     string `json:"has,omitempty"`
	Short   string `json:"short,omitempty" doc:"What is missing, where it can be counted"`
}

// Progress is how many machines there were of each disposition, day by day.
type Progress struct {
	Days []ProgressDay `json:"days" doc:"The earliest first; a day on which the service did not run is missing"`
}

// ProgressDay is one day's end.
type ProgressDay struct {
	Day          string         `json:"day" doc:"2026-11-23, UTC"`
	Total        int            `json:"total"`
	Dispositions map[string]int `json:"dispositions"`
}

// Hook is an address that is told of changes of disposition.
type Hook struct {
	Name    string     `json:"name"`
	URL     string     `json:"url"`
	SentAt  *time.Time `json:"sent_at,omitempty" doc:"When it last took what it was sent"`
	Tries   int        `json:"tries,omitempty" doc:"That failed since"`
	NextAt  *time.Time `json:"next_at,omitempty" doc:"When it is tried again"`
	Problem string     `json:"problem,omitempty"`
	Waiting int        `json:"waiting" doc:"Changes that it was not told of yet"`
}

// HookList lists them.
type HookList struct {
	Hooks []Hook `json:"hooks"`
}

// PutHook adds or changes one.
type PutHook struct {
	URL   string `json:"url" minLength:"8" maxLength:"1000"`
	Renew bool   `json:"renew,omitempty" doc:"Give a new key"`
}

// HookPut is one that was added.
type HookPut struct {
	Hook
	Secret string `json:"secret,omitempty" doc:"The key that messages are signed with, which is shown this once"`
}

// Flips is the message that a hook is sent.
type Flips struct {
	Format  string `json:"format" enum:"rolltop-changes/1"`
	Changes []Flip `json:"changes"`
}

// Flip is a change of a machine's disposition.
type Flip struct {
	ID      int64     `json:"id" doc:"Counts up; one that was sent before is sent again only where it was not acknowledged"`
	Machine string    `json:"machine" doc:"Key"`
	Name    string    `json:"name"`
	Release string    `json:"release"`
	Was     string    `json:"was"`
	Becomes string    `json:"becomes"`
	Cause   string    `json:"cause" enum:"inventory,facts,rules,hand-off" doc:"A new inventory, facts that were entered, other rules, or no change: it was handed to the deployment system"`
	By      []string  `json:"by,omitempty" doc:"Of other rules: ids of the requirements that did it"`
	Wave    int64     `json:"wave,omitempty" doc:"Of a hand-off: the wave, whose machines GET /waves/{id}/hand-off has with their packages"`
	At      time.Time `json:"at"`
}

// Settings are what an administrator sets.
type Settings struct {
	StaleDays       int  `json:"stale_days" minimum:"1" maximum:"3650" doc:"A machine whose latest inventory is older is stale"`
	HistoryMonths   int  `json:"history_months" minimum:"1" maximum:"600" doc:"Every inventory is kept so long; of those before, one a quarter"`
	RetiredDays     int  `json:"retired_days" minimum:"0" maximum:"36500" doc:"After how many days a retired machine is removed; 0 is never"`
	ViewersSeeAll   bool `json:"viewers_see_all" doc:"Viewers see serial numbers, UUIDs and installed titles, too"`
	WebhooksPrivate bool `json:"webhooks_private,omitempty" doc:"Webhooks may be sent to this host and to private networks; never to link-local addresses"`
}

// NewOwnToken asks for a token that may do what one may do oneself.
type NewOwnToken struct {
	Name string `json:"name" minLength:"1" maxLength:"100"`
	Days int    `json:"days,omitempty" minimum:"1" maximum:"365" doc:"90 where not given"`
}

// TakeInvitation makes the first administrator.
type TakeInvitation struct {
	Secret   string `json:"secret" minLength:"1" maxLength:"100"`
	Name     string `json:"name" minLength:"1" maxLength:"200"`
	Password string `json:"password" maxLength:"1000" doc:"At least 12 characters, and not easy to guess"`
}

// ReadSheet asks to make inventories of a spreadsheet.
type ReadSheet struct {
	Name    string                  `json:"name" minLength:"1" maxLength:"200" doc:"Name of the file"`
	Content []byte                  `json:"content" doc:"The file, as CSV"`
	Columns map[string]sheet.Choice `json:"columns,omitempty" doc:"By heading: which fact a column is, and in which unit; without a fact it is left out"`
	Fixed   map[string]string       `json:"fixed,omitempty" doc:"Facts that all rows have, as os.platform"`
}

// SheetRead is what became of it.
type SheetRead struct {
	Columns  []sheet.Column `json:"columns"`
	Problems []string       `json:"problems,omitempty" doc:"What no column says and has to be known"`
	Settled  bool           `json:"settled" doc:"Nothing is left to choose"`
	Total    int            `json:"total" doc:"Rows"`
	Machines int            `json:"machines" doc:"Rows that are machines"`
	Rows     []SheetRow     `json:"rows" doc:"The first of them, in words, by column"`
	Refused  []SheetRow     `json:"refused" doc:"Rows that are no machines, and further ones of which a cell was left out"`
	Lines    string         `json:"lines" doc:"An inventory a line"`
}

// SheetRow is a row.
type SheetRow struct {
	Row     int      `json:"row" doc:"1 is the first below the headings"`
	Name    string   `json:"name,omitempty"`
	Facts   []string `json:"facts,omitempty"`
	Left    []string `json:"left,omitempty" doc:"Cells that were left out, and why"`
	Problem string   `json:"problem,omitempty"`
}
