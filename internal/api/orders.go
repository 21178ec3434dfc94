package api

import (
	"time"

	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/core/work"
)

// PartShare is where the part of one machine is. The numbers add up to what the machine needs.
type PartShare struct {
	MachineRef
	ToOrder   int `json:"to_order,omitempty"`
	FromStock int `json:"from_stock,omitempty" doc:"The stock has them for it"`
	Ordered   int `json:"ordered,omitempty" doc:"Awaited"`
	Arrived   int `json:"arrived,omitempty" doc:"There, and set aside for it"`
	Fitted    int `json:"fitted,omitempty" doc:"Fitted, and not seen by an inventory yet"`

	Says string `json:"says" doc:"Where they are, in words"`
}

// Order is an order of parts that was placed.
type Order struct {
	Number   string      `json:"number" doc:"Of the order; stock: parts that machines got from the stock"`
	Supplier string      `json:"supplier,omitempty" doc:"Who delivers it"`
	Day      string      `json:"day" doc:"Day on which it was placed"`
	Expected string      `json:"expected,omitempty" doc:"Day on which it should arrive"`
	Late     bool        `json:"late,omitempty" doc:"The day has passed, and parts are awaited"`
	By       string      `json:"by"`
	Parts    []PartCount `json:"parts" doc:"What was ordered, without what was cancelled"`
	States   []Count     `json:"states" doc:"Parts by state: ordered, arrived, fitted, stock, cancelled"`
	Machines int         `json:"machines"`
	Cost     Money       `json:"cost" doc:"Without what was cancelled"`
	Where    string      `json:"where" doc:"Filter that lists its machines"`
	Says     string      `json:"says"`
}

// PartCount is how many parts of one kind there are.
type PartCount = work.PartCount

// OrderItem is a part of an order for one machine.
type OrderItem struct {
	Machine  MachineRef `json:"machine" doc:"Without a key if the record of the machine was removed"`
	Part     string     `json:"part"`
	Count    int        `json:"count"`
	Price    int64      `json:"price,omitempty" doc:"Of one, in hundredths; missing if it is not known"`
	Currency string     `json:"currency,omitempty"`
	State    string     `json:"state" enum:"ordered,arrived,fitted,stock,cancelled"`
	Word     string     `json:"word" doc:"The state in words"`
	Day      string     `json:"day" doc:"Since when it is in this state"`
}

// OrderList is the orders that were placed, the latest first.
type OrderList struct {
	Orders []Order `json:"orders" doc:"The latest first"`
}

// OrderDetail is an order with its parts.
type OrderDetail struct {
	Order
	Items []OrderItem `json:"items" doc:"Which machine gets which part"`
}

// MakeOrder records an order that was placed.
type MakeOrder struct {
	Number   string   `json:"number" minLength:"1" maxLength:"60" doc:"Of the order; stock takes the parts from the stock"`
	Supplier string   `json:"supplier,omitempty" maxLength:"100" doc:"Who delivers it"`
	Day      string   `json:"day,omitempty" maxLength:"10" doc:"Day on which it was placed (default: today)"`
	Expected string   `json:"expected,omitempty" maxLength:"10" doc:"Day on which it should arrive"`
	Part     string   `json:"part,omitempty" maxLength:"300" doc:"Name of the part, as in the parts order (default: all that the machines need)"`
	Where    string   `json:"where,omitempty" maxLength:"2000"`
	Keys     []string `json:"keys,omitempty" maxItems:"1000"`
	Price    *int64   `json:"price,omitempty" minimum:"0" maximum:"100000000000" doc:"Of one part, in hundredths"`

	SurePrice bool `json:"confirm_price,omitempty" doc:"Even if the price is far from that of the table"`
	Append    bool `json:"append,omitempty" doc:"The order exists, and gets further parts"`
	DryRun    bool `json:"dry_run,omitempty" doc:"Only show what would be recorded"`
}

// SetOrder records what became of parts of an order.
type SetOrder struct {
	State  string   `json:"state" maxLength:"20" doc:"ordered, arrived, fitted, stock or cancelled"`
	Day    string   `json:"day,omitempty" maxLength:"10" doc:"Since when (default: today)"`
	Part   string   `json:"part,omitempty" maxLength:"300" doc:"Name of the part (default: all)"`
	Where  string   `json:"where,omitempty" maxLength:"2000"`
	Keys   []string `json:"keys,omitempty" maxItems:"1000" doc:"Machines whose parts are meant (default: all)"`
	DryRun bool     `json:"dry_run,omitempty" doc:"Only show what would be recorded"`
}

// OrderChanged is what the recording of an order, or of what became of it, came to.
type OrderChanged struct {
	Number   string       `json:"number"`
	Parts    []PartCount  `json:"parts" doc:"What it is about"`
	Count    int          `json:"count" doc:"Machines"`
	Machines []MachineRef `json:"machines" doc:"At most 20, by name"`
	DryRun   bool         `json:"dry_run,omitempty" doc:"Nothing was changed"`
	Says     string       `json:"says"`
}

// Replacement is an old machine with the one that takes its place.
type Replacement struct {
	Old     MachineRef `json:"old"`
	NewName string     `json:"new_name" doc:"Of the machine that takes its place"`
	New     MachineRef `json:"new,omitzero" doc:"Missing if it has not reported yet"`
	Note    string     `json:"note,omitempty"`
	Done    int        `json:"done" doc:"Items of the hand-over list that are recorded"`
	Of      int        `json:"of" doc:"Items of the hand-over list"`
	Says    string     `json:"says"`
}

// ReplacementList is all pairs, by the name of the old machine.
type ReplacementList struct {
	Replacements []Replacement `json:"replacements" doc:"By the name of the old machine"`
}

// SetReplacement records which machine takes the place of another.
type SetReplacement struct {
	NewName string `json:"new_name" minLength:"1" maxLength:"100" doc:"Of the new machine; it may not have reported yet"`
	Note    string `json:"note,omitempty" maxLength:"500"`
}

// HandOver is what is handed over from an old machine to the one that takes its place.
type HandOver struct {
	Replacement
	Contact string        `json:"contact,omitempty" doc:"Whom to ask about the old machine"`
	Desk    string        `json:"desk,omitempty" doc:"Where the old machine stands"`
	Titles  *results.Kept `json:"titles,omitempty" doc:"Titles of the old machine beside those of the new one; missing until the new one has reported"`
	Items   []Leaving     `json:"items" doc:"The hand-over list"`
}

// AskQuestion records that an open question was put to somebody.
type AskQuestion struct {
	Who  string `json:"who" minLength:"1" maxLength:"100" doc:"A role or a name"`
	Due  string `json:"due,omitempty" maxLength:"10" doc:"Day by which an answer is expected"`
	Note string `json:"note,omitempty" maxLength:"500"`
}

// AnswerQuestion is the answer to an open question.
type AnswerQuestion struct {
	Value   string `json:"value,omitempty" maxLength:"200" doc:"The value of the fact; of a title or a driver: fine, update, buy, remove or problem; of a processor or a model on a list: yes"`
	TreatAs string `json:"treat_as,omitempty" maxLength:"200" doc:"Nobody answered, and this counts instead; a note says why"`
	Note    string `json:"note,omitempty" maxLength:"500" doc:"Where the answer is from, or why this counts"`
	DryRun  bool   `json:"dry_run,omitempty" doc:"Only show what would be recorded"`
}

// QuestionAnswered is what an answer came to.
type QuestionAnswered struct {
	Says     string       `json:"says"`
	Count    int          `json:"count" doc:"Machines of the question"`
	Machines []MachineRef `json:"machines" doc:"At most 20, by name"`
	Proposed string       `json:"proposed,omitempty" doc:"The revision that has the answer and is not in force, as skerry-12@6"`
	DryRun   bool         `json:"dry_run,omitempty" doc:"Nothing was changed"`
}

// QuestionEnded is an open question that was answered, or asked again.
type QuestionEnded struct {
	Question string    `json:"question" doc:"Id"`
	Says     string    `json:"says" doc:"The question"`
	Asked    string    `json:"asked,omitempty" doc:"Whom it was put to"`
	At       time.Time `json:"at" doc:"When it was put, or answered if nobody was asked"`
	Answer   string    `json:"answer"`
	Ended    time.Time `json:"ended"`
	By       string    `json:"by" doc:"Who recorded the answer"`
}

// AnswerList is the answers to open questions, the latest first.
type AnswerList struct {
	Answers []QuestionEnded `json:"answers" doc:"The latest first"`
}

// Briefing is the page for the head of the organisation.
type Briefing struct {
	At        time.Time       `json:"at" doc:"When it was counted"`
	Headline  string          `json:"headline"`
	Classes   []ClassBriefing `json:"classes" doc:"Classes of hardware that have a target"`
	Money     BriefMoney      `json:"money" doc:"Spent, ordered, still needed"`
	Visits    int             `json:"visits" doc:"Visits that are left"`
	Time      string          `json:"time" doc:"What they take, in words"`
	Decisions []Decision      `json:"decisions" doc:"Decisions that count, those for the most machines first"`
	Week      []string        `json:"week" doc:"What has changed since last week, in sentences"`
	Since     string          `json:"since" doc:"The day a week ago"`
}

// ClassBriefing is where the machines of a class stand to their target.
type ClassBriefing struct {
	Class    string   `json:"class"`
	Release  string   `json:"release"`
	Machines int      `json:"machines" doc:"That are to run the release"`
	Done     Count    `json:"done"`
	OnTheWay Count    `json:"on_the_way" doc:"In a wave, and not there yet"`
	Ready    Count    `json:"ready" doc:"Could go now; those on the way are among them"`
	Blocked  Count    `json:"blocked" doc:"Need something first"`
	Unknown  Count    `json:"undetermined"`
	Unseen   int      `json:"unseen,omitempty" doc:"Expected machines that never reported"`
	AtRisk   int      `json:"at_risk" doc:"Not there when support of what they run ends, at the actual pace"`
	Stay     Count    `json:"stay" doc:"Stay by decision; not among machines"`
	End      string   `json:"end,omitempty" doc:"The next end of support that machines run into"`
	Pace     float64  `json:"pace" doc:"Machines a working day, over the last 28 days"`
	Needed   float64  `json:"needed_pace" doc:"Machines a working day that meet every end of support"`
	Says     []string `json:"says" doc:"Whether they are in time, in sentences"`
}

// BriefMoney is what was paid, what is ordered, and what is still needed.
type BriefMoney struct {
	Spent    Money  `json:"spent" doc:"For parts that arrived"`
	Ordered  Money  `json:"ordered" doc:"For parts that are awaited"`
	Needed   Money  `json:"needed" doc:"For parts to order"`
	Labour   Money  `json:"labour" doc:"For the visits that are left"`
	Extended Money  `json:"extended_support" doc:"For machines that stay beyond the end of support"`
	Says     string `json:"says"`
}

// Effort is what machines take until they can take a release.
type Effort struct {
	Machines int    `json:"machines" doc:"That are not ready and have work"`
	Visits   int    `json:"visits"`
	Minutes  Span   `json:"minutes" doc:"At the desks"`
	Days     Span   `json:"days" doc:"Of visits, with all technicians at work"`
	Replaced int    `json:"replaced" doc:"Machines that are replaced"`
	Parts    Money  `json:"parts" doc:"All that is bought"`
	Labour   Money  `json:"labour" doc:"Of the visits, by the price of an hour"`
	Says     string `json:"says"`
}

// Span is a range of numbers.
type Span struct {
	Least int `json:"least"`
	Most  int `json:"most"`
}
