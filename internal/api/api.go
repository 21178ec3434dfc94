// Package api is the wire types of the service's HTTP API: structs and tags.
// The server, the client and the collector share them; the OpenAPI description
// and the console's types are generated from them.
package api

import (
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/wave"
)

// Version says which program answers.
type Version struct {
	Version string `json:"version"`
}

// Credentials are given to sign in.
type Credentials struct {
	Name     string `json:"name" minLength:"1" maxLength:"200"`
	Password string `json:"password" minLength:"1" maxLength:"1000"`
}

// Who is signed in, by a session or a token.
type Who struct {
	Name  string `json:"name" doc:"Empty if nobody is signed in"`
	Scope string `json:"scope" enum:"none,submit,read,work,manage" doc:"Permission: none, submit inventories, read, work on machines (facts, ticks, links to visits), or manage everything"`

	Sites []string `json:"sites,omitempty" doc:"Sites that it can see; missing if it can see all"`
	Plain bool     `json:"plain,omitempty" doc:"It can see serial numbers, UUIDs and installed applications"`
}

// Submitted is the answer to an inventory that was handed in.
type Submitted struct {
	Machine     string       `json:"machine" doc:"Key of the machine"`
	Name        string       `json:"name"`
	Created     bool         `json:"created" doc:"The machine is new"`
	Changed     bool         `json:"changed" doc:"The readings differ from the earlier ones"`
	Latest      bool         `json:"latest" doc:"No later inventory of this machine exists"`
	Release     *release.Ref `json:"release,omitempty" doc:"The target it was checked against"`
	Disposition string       `json:"disposition,omitempty" enum:"done,ready,reconfigure,refit,decide,replace,undetermined"`
	Answer      string       `json:"answer,omitempty"`
	Beside      bool         `json:"beside,omitempty" doc:"It does not come from the machine's own key or token; it has no effect until somebody reviews it"`
	Note        string       `json:"note,omitempty" doc:"If the machine, the sender or the time is uncertain: why"`
	Attest      *Attest      `json:"attest,omitempty" doc:"The machine is asked for a proof by its TPM, if it has one"`
}

// SubmittedLine is the answer to one line of several inventories.
type SubmittedLine struct {
	Line    int    `json:"line"`
	Problem string `json:"problem,omitempty" doc:"Why it was refused; the others are saved"`
	*Submitted
}

// MachineRow is a machine in a list.
type MachineRow struct {
	Key          string    `json:"key"`
	Name         string    `json:"name"`
	Site         string    `json:"site"`
	Class        string    `json:"class"`
	Manufacturer string    `json:"manufacturer"`
	Model        string    `json:"model"`
	Installed    string    `json:"installed"`
	TakenAt      time.Time `json:"taken_at" doc:"When its latest inventory was taken"`
	Disposition  string    `json:"disposition,omitempty" enum:"done,ready,reconfigure,refit,decide,replace,undetermined" doc:"Missing if its class has no target"`
	Certainty    string    `json:"certainty,omitempty" enum:"confirmed,expected"`
	Answer       string    `json:"answer,omitempty"`
	Fails        int       `json:"fails"`
	Release      string    `json:"release,omitempty"`
	Tags         []string  `json:"tags,omitempty"`
	Stale        bool      `json:"stale,omitempty" doc:"Overdue: no inventory for longer than the settings allow"`
	Retired      bool      `json:"retired,omitempty"`
	Decided      []string  `json:"decided,omitempty" doc:"Kinds of the decisions in force for it: waive, stay, hold, later"`
	Duplicate    bool      `json:"duplicate,omitempty" doc:"A possible duplicate to resolve"`
	SupportEnds  string    `json:"support_ends,omitempty" doc:"Day on which support of what it runs ends, by its edition; missing if it is unknown, or if the machine runs its target"`
	DaysLeft     *int      `json:"days_left,omitempty" doc:"Days until that day, negative when it is over"`

	Facts map[string]string `json:"facts,omitempty" doc:"Requested facts that are known"`
}

// MachineList is a page of machines.
type MachineList struct {
	Total    int          `json:"total" doc:"Machines that the filter selects, on all pages"`
	Page     int          `json:"page"`
	Size     int          `json:"size"`
	From     int          `json:"from" doc:"Number of machines before this page"`
	Next     string       `json:"next,omitempty" doc:"For cursor=: the next page, unaffected by changes"`
	Where    string       `json:"where" doc:"The filter in its canonical text"`
	Filter   FilterRead   `json:"filter" doc:"The filter in its parts"`
	Loading  bool         `json:"loading,omitempty" doc:"The service has just started with a large fleet: the rows come from the database, and decisions are not applied to them yet"`
	Machines []MachineRow `json:"machines"`
}

// Machine is one machine.
type Machine struct {
	MachineRow
	Check      *assess.Document    `json:"check,omitempty" doc:"Checked now against the target of its class; missing if there is none"`
	Vouched    string              `json:"vouched" doc:"How the origin of its facts is assured"`
	Keyed      bool                `json:"keyed,omitempty" doc:"It signs its inventories with its own key"`
	Attested   Attestation         `json:"attested" doc:"What its TPM proved"`
	NoCheck    string              `json:"no_check,omitempty" doc:"Why there is no check"`
	Facts      []FactGroup         `json:"facts" doc:"The full inventory in words"`
	History    []InventoryRef      `json:"history"`
	Hand       []HandFact          `json:"hand,omitempty" doc:"Facts that were entered by hand"`
	Duplicates []Duplicate         `json:"duplicates,omitempty" doc:"Possible duplicates of this machine"`
	Decisions  []Decision          `json:"decisions,omitempty" doc:"Decisions about it, until a date"`
	Changes    []DispositionChange `json:"changes,omitempty" doc:"Changes of its disposition, newest first"`
	SameModel  *ModelCount         `json:"same_model,omitempty" doc:"Number of machines of its model"`
	Leaving    []Leaving           `json:"leaving" doc:"What is done when it leaves"`
	After      []Leaving           `json:"after_upgrade,omitempty" doc:"Questions to its user after the upgrade"`
	Start      string              `json:"latest_start,omitempty" doc:"Last day on which its work can begin, so that it is done when support of what it runs ends"`
	Wave       *InWave             `json:"wave,omitempty" doc:"The wave that it belongs to"`

	WaveRecords []WaveRecord `json:"wave_records,omitempty" doc:"Every outcome that was recorded for it in waves, also in those that it has left; earliest first"`

	Who      string `json:"who,omitempty" doc:"Person or role that the work is assigned to"`
	WorkNote string `json:"work_note,omitempty"`

	VisitDay  string `json:"visit_day,omitempty" doc:"Day of its visit"`
	VisitHalf string `json:"visit_half,omitempty" doc:"am or pm; the whole day, if missing"`
	Contact   string `json:"contact,omitempty" doc:"Whom to ask about it"`
	Desk      string `json:"desk,omitempty" doc:"Where it stands"`

	Standing []Standing    `json:"standing" doc:"What was decided about it and what is under way, in sentences"`
	Notes    []MachineNote `json:"notes,omitempty" doc:"Notes of people, the latest first"`
}

// Standing is one thing that was decided about a machine, or that is under way.
type Standing struct {
	Kind string `json:"kind" enum:"retired,decision,wave,record,after,start,visit,part,replacement,ticks,note,contact"`
	Says string `json:"says"`
	ID   int64  `json:"id,omitempty" doc:"Of a wave, a decision or a note: its number"`
	Day  string `json:"day,omitempty" doc:"Of a latest start: the day"`
}

// Leaving is one thing that is done when a machine leaves.
type Leaving struct {
	ID     string       `json:"id"`
	Title  string       `json:"title"`
	Says   string       `json:"says"`
	Ticked *assess.Tick `json:"ticked,omitempty"`
}

// InWave is how a machine stands in a wave.
type InWave struct {
	ID      int64  `json:"id"`
	Name    string `json:"name"`
	Starts  string `json:"starts"`
	Ends    string `json:"ends"`
	Outcome string `json:"outcome" enum:"waiting,handed-off,arrived,failed,back"`
	Says    string `json:"says" doc:"The outcome in words"`
	Reason  string `json:"reason,omitempty"`
	Paused  string `json:"paused,omitempty" doc:"Why the wave is paused"`

	Day         string     `json:"day,omitempty" doc:"Announced day of its upgrade"`
	HandedOffAt time.Time  `json:"handed_off_at,omitzero"`
	Hops        []wave.Hop `json:"hops,omitempty" doc:"Intermediate releases on its way"`
}

// WaveRecord is an outcome that was recorded for a machine in a wave.
type WaveRecord struct {
	Wave    string    `json:"wave" doc:"Name"`
	WaveID  int64     `json:"wave_id" doc:"Its number"`
	Release string    `json:"release" doc:"Name of the release that it is about"`
	Outcome string    `json:"outcome"`
	Reason  string    `json:"reason,omitempty"`
	By      string    `json:"by,omitempty"`
	At      time.Time `json:"at"`
}

// DispositionChange is a change of a machine's disposition.
type DispositionChange struct {
	Release string    `json:"release" doc:"Id"`
	Was     string    `json:"was"`
	Becomes string    `json:"becomes"`
	Cause   string    `json:"cause" enum:"inventory,facts,rules,proof"`
	By      []string  `json:"by,omitempty" doc:"For other rules: the requirements that caused it"`
	At      time.Time `json:"at"`
}

// ModelCount is how many machines are of a model.
type ModelCount struct {
	Maker    string `json:"maker"`
	Model    string `json:"model"`
	Machines int    `json:"machines"`
}

// HandFact is a fact that was entered by hand.
type HandFact struct {
	manual.Fact
	Label   string `json:"label"`
	Problem string `json:"problem,omitempty" doc:"Why it does not fit the latest inventory"`
}

// SetFact enters a fact by hand.
type SetFact struct {
	Value string `json:"value" minLength:"1" maxLength:"500" doc:"With its unit: 16 GiB"`
	Note  string `json:"note,omitempty" maxLength:"500" doc:"Source of the value"`
	Days  int    `json:"days,omitempty" minimum:"1" maximum:"3650" doc:"Days until it expires; it expires with the board in any case"`
}

// SayTick says that an item of preparation or a step is done, or refuses it.
type SayTick struct {
	State string `json:"state" enum:"done,refused"`
	Note  string `json:"note,omitempty" maxLength:"500" doc:"For a refusal: why"`
}

// VisitLink is a link to the page of a visit.
type VisitLink struct {
	Path    string    `json:"path" doc:"Path to append to the address of the service, as the phone reaches it"`
	Address string    `json:"address,omitempty" doc:"The complete address, if the origin was given"`
	Picture string    `json:"picture,omitempty" doc:"The address as a QR code: a PNG as a data URL"`
	Expires time.Time `json:"expires"`
}

// Knowledge describes the documents of one kind: steps, firmware guides or prices.
type Knowledge struct {
	Kind    string     `json:"kind" enum:"steps,guides,prices"`
	Own     bool       `json:"own" doc:"The organisation has its own document"`
	Number  int        `json:"number,omitempty" doc:"Number of the document; earlier documents are kept"`
	AddedAt *time.Time `json:"added_at,omitempty"`
	AddedBy string     `json:"added_by,omitempty"`
	Text    string     `json:"text,omitempty" doc:"The own document"`
	Shipped string     `json:"shipped,omitempty" doc:"What the program ships, or an example to start from"`
}

// KnowledgeList lists all kinds of knowledge.
type KnowledgeList struct {
	Documents []Knowledge `json:"documents"`
}

// KnowledgeVersion is a document of one kind that is or was in force.
type KnowledgeVersion struct {
	Number  int       `json:"number"`
	Own     bool      `json:"own" doc:"A document of your own; otherwise what the program ships"`
	InForce bool      `json:"in_force" doc:"It is the document in force now"`
	AddedAt time.Time `json:"added_at"`
	AddedBy string    `json:"added_by"`
}

// KnowledgeHistory lists the documents of one kind that were in force.
type KnowledgeHistory struct {
	Kind     string             `json:"kind" enum:"steps,guides,prices"`
	Versions []KnowledgeVersion `json:"versions" doc:"The latest first"`
}

// KnowledgeText is the text of a knowledge document to put in force or to validate.
type KnowledgeText struct {
	Text string `json:"text" doc:"The document, in YAML or JSON"`
}

// Titles are what a collector should look for.
type Titles struct {
	Titles []string `json:"titles"`
}

// InventoryRef is one inventory in a machine's history.
type InventoryRef struct {
	ID       int64     `json:"id"`
	TakenAt  time.Time `json:"taken_at" doc:"When these readings came first"`
	LastSeen time.Time `json:"last_seen" doc:"The last time"`
	Beside   bool      `json:"beside,omitempty" doc:"It does not come from the machine's own key or token, and has no effect"`
}

// FactGroup is the facts of one subject.
type FactGroup struct {
	Group   string    `json:"group"`
	Summary string    `json:"summary,omitempty" doc:"The group in a line"`
	Facts   []FactRow `json:"facts"`
}

// FactRow is one fact in words.
type FactRow struct {
	Fact   string `json:"fact"`
	Label  string `json:"label"`
	Value  string `json:"value"`
	Known  bool   `json:"known"`
	None   bool   `json:"none,omitempty" doc:"The machine does not have what the fact is about"`
	Source string `json:"source,omitempty"`
	Why    string `json:"why,omitempty" doc:"For a gap: why the fact is unknown"`
	Try    string `json:"try,omitempty" doc:"For a gap: how to close it"`

	Choices []string `json:"choices,omitempty" doc:"For a gap: the values that can be entered, if there are few"`
	Example string   `json:"example,omitempty" doc:"For a gap: how a value is written"`
}

// Fleet is what the machines that a filter picks look like.
type Fleet struct {
	Headline     string       `json:"headline"`
	Where        string       `json:"where"`
	Total        int          `json:"total"`
	Unjudged     int          `json:"unjudged" doc:"Machines whose class has no target"`
	Dispositions []Count      `json:"dispositions"`
	Obstacles    []Obstacle   `json:"obstacles" doc:"Requirements that machines fail, most failing first"`
	Sites        []SiteCounts `json:"sites"`
	Targets      []Target     `json:"targets"`
	Classes      []SiteCounts `json:"classes" doc:"The same for each class of hardware; site is the class"`
	Causes       []Count      `json:"causes" doc:"Why machines are undetermined; one may have several reasons"`
	Next         []NextCounts `json:"next" doc:"The same machines against the next release"`
	Stale        Count        `json:"stale" doc:"Machines that are overdue"`
	Duplicate    Count        `json:"duplicates" doc:"Possible duplicates"`
	Waived       Count        `json:"waived" doc:"Machines that are ready because a requirement is waived"`
	Unsupported  Count        `json:"unsupported" doc:"Machines that run their target and do not meet what its publisher requires"`
	Urgency      []Count      `json:"urgency" doc:"Machines by the days until the end of support of what they run, by edition, the most urgent first; machines that run their target are omitted"`
	Support      []Support    `json:"support" doc:"End of support of what machines run now, earliest first; machines that run their target are omitted"`
}

// Support is the end of support of an installed release.
type Support struct {
	Release  string    `json:"release"`
	Edition  string    `json:"edition,omitempty" doc:"If the day is that of one edition"`
	Ends     time.Time `json:"ends"`
	Days     int       `json:"days" doc:"From now; negative when it is over"`
	Machines int       `json:"machines"`
	Says     string    `json:"says"`
	Where    string    `json:"where"`
}

// NextCounts is how machines stand to the release that follows their target.
type NextCounts struct {
	Target       string  `json:"target"`
	Release      string  `json:"release"`
	Dispositions []Count `json:"dispositions"`
	Newly        Count   `json:"newly" doc:"Ready for the target but not for this release"`
}

// Count is how many, with the filter that lists them.
type Count struct {
	Name  string `json:"name"`
	Says  string `json:"says,omitempty" doc:"The name in words, if it needs any"`
	Count int    `json:"count"`
	Where string `json:"where"`
}

// Obstacle is a requirement with how many machines fail it.
type Obstacle struct {
	Requirement string `json:"requirement"`
	Title       string `json:"title"`
	Release     string `json:"release"`
	Fails       int    `json:"fails"`
	Alone       int    `json:"alone" doc:"Of these, machines that fail nothing else"`
	Unknown     int    `json:"unknown"`
	Where       string `json:"where"`
	WhereAlone  string `json:"where_alone"`
	WhereUnsure string `json:"where_unknown"`
}

// SiteCounts counts the dispositions at one site.
type SiteCounts struct {
	Site         string  `json:"site"`
	Total        int     `json:"total"`
	Where        string  `json:"where"`
	Dispositions []Count `json:"dispositions"`
}

// Target is the target release of one class of hardware.
type Target struct {
	Class   string       `json:"class" enum:"pc,mac"`
	Release *release.Ref `json:"release,omitempty"`
}

// TargetSet chooses targets: one release per class of hardware.
type TargetSet struct {
	PC  string `json:"pc,omitempty" doc:"Id of a release that installs on PCs; to choose a revision: skerry-12@5"`
	Mac string `json:"mac,omitempty" doc:"Id of a release that installs on Macs"`

	PCRevision  int  `json:"pc_revision,omitempty" doc:"Revision in force for PCs"`
	MacRevision int  `json:"mac_revision,omitempty" doc:"Revision in force for Macs"`
	Testing     bool `json:"testing,omitempty" doc:"To choose: accept a release for testing"`
}

// Activate puts a revision of a release in force for its class of hardware.
type Activate struct {
	Revision int  `json:"revision,omitempty" minimum:"0" doc:"The latest that is no draft, if omitted; an earlier one goes back"`
	Testing  bool `json:"testing,omitempty" doc:"Accept a release for testing"`
}

// Activated is what putting a revision in force did.
type Activated struct {
	ReleaseRow
	Change *RuleChange `json:"change,omitempty" doc:"Its effect on the fleet, if it was not in force before"`
}

// ReleaseRow is a kept revision of a release document.
type ReleaseRow struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	Class    string    `json:"class" enum:"pc,mac"`
	Revision int       `json:"revision"`
	Draft    bool      `json:"draft,omitempty"`
	Test     bool      `json:"test_release,omitempty" doc:"A release for testing"`
	AddedAt  time.Time `json:"added_at"`
	Target   bool      `json:"target,omitempty" doc:"It is the target of its class, in this revision"`
}

// ReleaseList lists releases.
type ReleaseList struct {
	Releases []ReleaseRow `json:"releases"`
}

// Release is one revision in sentences.
type Release struct {
	ReleaseRow
	Published    time.Time        `json:"published"`
	Source       string           `json:"source"`
	Retrieved    *time.Time       `json:"retrieved,omitempty" doc:"When the page was read"`
	EnteredBy    string           `json:"entered_by,omitempty"`
	Follows      string           `json:"follows,omitempty"`
	Revisions    []ReleaseRow     `json:"revisions" doc:"All revisions, newest first"`
	Requirements []RequirementRow `json:"requirements"`
	Sections     []ReleaseSection `json:"sections" doc:"Everything else, in sentences"`
	Pages        []KeptPage       `json:"pages" doc:"Pages of the publisher that are kept as evidence"`
}

// ReleaseSection is a part of a release in sentences.
type ReleaseSection struct {
	Title string   `json:"title"`
	Lines []string `json:"lines"`
}

// RequirementRow is a requirement in sentences.
type RequirementRow struct {
	ID          string `json:"id"`
	Title       string `json:"title"`
	Level       string `json:"level" enum:"must,should,feature"`
	AskedBy     string `json:"asked_by" enum:"publisher,house"`
	Feature     string `json:"feature,omitempty"`
	Interim     string `json:"interim,omitempty" doc:"The intermediate release that requires it"`
	Says        string `json:"says" doc:"The need as a sentence"`
	Reason      string `json:"reason"`
	Consequence string `json:"consequence,omitempty"`
	Quoted      string `json:"quoted,omitempty" doc:"Where the publisher says it: the words of a page that is kept"`
}

// ReleaseText is a release document as it was written, for editing.
type ReleaseText struct {
	ID       string               `json:"id"`
	Revision int                  `json:"revision"`
	Latest   int                  `json:"latest" doc:"The latest revision that is kept"`
	Document string               `json:"document"`
	Files    []release.BundleFile `json:"files"`
}

// Validated is what is wrong in a document, or what it says.
type Validated struct {
	Mistakes []doc.Mistake `json:"mistakes" doc:"Empty where there are none"`
	More     int           `json:"more,omitempty" doc:"Number of mistakes that are not listed"`
	Release  *Release      `json:"release,omitempty" doc:"In sentences, if there are no mistakes"`
	Changes  []Difference  `json:"changes,omitempty" doc:"Against the latest revision that is kept"`
	Notes    []string      `json:"notes,omitempty" doc:"Warnings: requirements that no step fixes, or that no collector reads"`
}

// Difference is one difference between two revisions, or releases.
type Difference struct {
	Kind    string `json:"kind" enum:"added,tightened,changed,eased,removed"`
	Subject string `json:"subject"`
	Says    string `json:"says"`
}

// ReleaseDifference is how a revision differs from another.
type ReleaseDifference struct {
	From    release.Ref  `json:"from"`
	To      release.Ref  `json:"to"`
	Changes []Difference `json:"changes"`
}

// ImportList asks to make a list from a file.
type ImportList struct {
	Name    string            `json:"name" minLength:"1" maxLength:"200" doc:"Name of the file"`
	Content []byte            `json:"content" doc:"The file: CSV, XLSX, or an HTML page that was saved"`
	Tables  []int             `json:"tables,omitempty" maxItems:"500" doc:"Numbers of the tables to join, from 1 (default: the largest table with a column for names)"`
	Columns map[string]string `json:"columns,omitempty" doc:"Headings of fields that the headings do not name"`
	Prefix  string            `json:"prefix,omitempty" maxLength:"100" doc:"Prefix for names that do not begin with it"`
	Set     map[string]string `json:"set,omitempty" doc:"Values that the page states for all rows: field to value"`
	Except  []string          `json:"except_marked,omitempty" maxItems:"50" doc:"Marks of footnotes: set does not apply to rows with one of them"`
	Only    map[string]string `json:"only_marked,omitempty" doc:"Marks of footnotes, and the condition of the document under which rows with the mark count"`
	Current string            `json:"current,omitempty" doc:"The rows that the list has now, as CSV: what the page changes is shown"`
	Former  []byte            `json:"former,omitempty" doc:"The file that the current rows came from: corrections made to them since are kept"`
}

// ImportedList is what became of a file.
type ImportedList struct {
	Tables  []FoundTable  `json:"tables"`
	Chosen  []int         `json:"chosen" doc:"The tables that were used, counted from 1"`
	Heads   []string      `json:"heads" doc:"Columns of the tables that were used"`
	Above   []string      `json:"above" doc:"Lines above the heading of the table, such as its title"`
	Guessed []string      `json:"guessed" doc:"What was assumed, in sentences"`
	Notes   []Footnote    `json:"footnotes" doc:"The footnotes of the rows"`
	Series  []Series      `json:"series" doc:"Rows that describe a series of names, with proposed naming rules"`
	Changes *ListChanges  `json:"changes,omitempty" doc:"What the page changes in the current rows"`
	Used    []UsedColumn  `json:"used"`
	Ignored []string      `json:"ignored" doc:"Columns that are not used"`
	Rows    []list.RowDoc `json:"rows" doc:"The first rows, as a preview"`
	Total   int           `json:"total"`
	Dropped []DroppedRow  `json:"dropped" doc:"Rows and values that were left out (the first of them)"`
	Left    int           `json:"left" doc:"Number of rows that were left out"`
	CSV     string        `json:"csv" doc:"The list as a file beside a release document"`
}

// Footnote is a footnote of a page, and the rows that it marks.
type Footnote struct {
	Mark  string   `json:"mark" doc:"Its mark, such as 2 or *"`
	Text  string   `json:"text,omitempty" doc:"Absent if the page does not have it"`
	Names []string `json:"names" doc:"The first of the rows that have the mark"`
	Rows  int      `json:"rows" doc:"Number of rows that have the mark"`
}

// Series is a row that describes a series of names.
type Series struct {
	Row      int      `json:"row"`
	Says     string   `json:"says" doc:"The row"`
	Rules    string   `json:"rules,omitempty" doc:"Proposed naming rules, as YAML for the key naming"`
	Why      string   `json:"why,omitempty" doc:"Why no rule is proposed"`
	Included []string `json:"included" doc:"Names in the fleet that the rules include"`
	Excluded []string `json:"excluded" doc:"Names in the fleet that the rules read and exclude"`
	Left     []string `json:"left" doc:"Exceptions of the page that no rule reads; add them by hand"`
}

// ListChanges are what a page changes in the rows of a list.
type ListChanges struct {
	Added   []string `json:"added" doc:"Names that the page adds"`
	Removed []string `json:"removed" doc:"Names that are no longer on the page"`
	Changed []string `json:"changed" doc:"Sentences: the name, the field, before and now"`
	Kept    []string `json:"kept" doc:"Corrections made by hand that stay, in sentences"`
}

// FoundTable is a table in a file.
type FoundTable struct {
	Where string   `json:"where"`
	Heads []string `json:"heads"`
	Rows  int      `json:"rows"`
}

// UsedColumn is a field of a list with the headings it came from.
type UsedColumn struct {
	Field string   `json:"field"`
	From  []string `json:"from"`
}

// DroppedRow is a row, or a value of one, that was left out.
type DroppedRow struct {
	Row  int    `json:"row"`
	Text string `json:"text"`
	Why  string `json:"why"`
	Kept bool   `json:"kept,omitempty" doc:"The row was kept without the value"`
}

// ReleaseAdded is the answer to a release document that was handed in.
type ReleaseAdded struct {
	ReleaseRow
	Added bool `json:"added" doc:"False if the revision already exists"`
}
