package release

import (
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
)

// Document is a release document as it is written.
type Document struct {
	Format       string           `json:"format" enum:"rolltop-release/1"`
	ID           string           `json:"id" doc:"Lower-case letters, digits and hyphens"`
	Name         string           `json:"name"`
	InstallsOn   string           `json:"installs_on" enum:"pc,mac" doc:"The class of hardware"`
	Version      string           `json:"version,omitempty" doc:"What os.version is on a machine that runs the release, in quotes: \"12.0\". Machines with it, or with a later one, are done; without it the name decides"`
	Revision     int              `json:"revision" minimum:"1" maximum:"1000000" doc:"Counts up; a revision is never overwritten"`
	Published    time.Time        `json:"published" doc:"The date the publisher gives the requirements"`
	Source       string           `json:"source" doc:"Address of the page it was taken from"`
	Retrieved    time.Time        `json:"retrieved,omitzero" doc:"The date the page was read"`
	EnteredBy    string           `json:"entered_by,omitempty" doc:"Who wrote or imported the document, as a role"`
	Draft        bool             `json:"draft,omitempty" doc:"A draft cannot judge the fleet"`
	TestRelease  bool             `json:"test_release,omitempty" doc:"The release itself is one for testing: its requirements may still change, and there may be no way back"`
	Follows      string           `json:"follows,omitempty" doc:"Id of the release before it; machines of that target are also checked against this one, as what comes next"`
	MediaFrom    time.Time        `json:"media_from,omitzero" doc:"Since when the publisher gives out installation media that need not wait for the offer"`
	Offered      []StageDoc       `json:"offered,omitempty" doc:"Where the publisher offers the release in stages: from when, to which machines"`
	Support      []SupportDoc     `json:"support,omitempty" doc:"End of support, of this release and of the ones before it"`
	Upgrade      []SourceDoc      `json:"upgrade,omitempty" doc:"From which installed systems one gets there, and how; the shortest way that fits counts"`
	Interim      []InterimDoc     `json:"interim,omitempty" doc:"Releases between, which some ways go through"`
	Editions     []EditionDoc     `json:"editions,omitempty" doc:"Which installed edition becomes which"`
	Conversion   *ConversionDoc   `json:"conversion,omitempty" doc:"The publisher's own rule of when a disk can be converted to GPT; without it, that of the conversion tool counts"`
	Packages     []PackageDoc     `json:"packages,omitempty" doc:"What is installed, by edition, architecture and language"`
	Pages        []PageDoc        `json:"pages,omitempty" doc:"Pages of the publisher that are kept as evidence, each as a text in a file beside the document"`
	Requirements []RequirementDoc `json:"requirements"`
	Conditions   []ConditionDoc   `json:"conditions,omitempty" doc:"Conditions that rows of lists name with only"`
	Lists        []list.Document  `json:"lists,omitempty"`
	Software     []KnownDoc       `json:"software,omitempty" doc:"What is known of installed titles"`
	Drivers      []KnownDoc       `json:"drivers,omitempty" doc:"What is known of drivers; names are those of devices"`
	Preparation  []PreparationDoc `json:"preparation,omitempty" doc:"What to do on any machine before the upgrade"`
	Ends         []EndDoc         `json:"ends,omitempty" doc:"What ends with the upgrade: features, titles and devices that are gone or different afterwards"`

	Node *doc.Node `json:"-"`
}

// PageDoc is a page of the publisher that is kept as evidence.
type PageDoc struct {
	ID     string    `json:"id"`
	Source string    `json:"source" doc:"Address of the page"`
	Saved  time.Time `json:"saved" doc:"The day on which it was saved"`
	File   string    `json:"file" doc:"Name of the file with its text, which ends in .txt"`
	SHA256 string    `json:"sha256" doc:"Checksum of the file, 64 hexadecimal digits"`

	Node *doc.Node `json:"-"`
	text string
}

// ConversionDoc is a publisher's own rule of when a disk can be converted.
type ConversionDoc struct {
	Says string        `json:"says" doc:"The rule as the page says it: with at most two partitions"`
	Need need.Document `json:"need"`

	Node *doc.Node `json:"-"`
}

// ConditionDoc is a condition under which rows of lists count.
type ConditionDoc struct {
	ID   string        `json:"id"`
	Says string        `json:"says" doc:"The condition as the page says it: in laptops only"`
	Need need.Document `json:"need"`

	Node *doc.Node `json:"-"`
}

// QuoteDoc points to a place of a page that is kept.
type QuoteDoc struct {
	Page string `json:"page" doc:"Id of the page"`
	Text string `json:"text" doc:"Words of the page, copied"`

	Node *doc.Node `json:"-"`
}

// StageDoc is one stage of an offer.
type StageDoc struct {
	From time.Time      `json:"from"`
	To   string         `json:"to" doc:"Which machines, in words: every machine, new machines"`
	When *need.Document `json:"when,omitempty" doc:"Facts of the machines; all, if omitted"`

	Node *doc.Node `json:"-"`
}

// SupportDoc is the end of support of one release.
type SupportDoc struct {
	Release      string    `json:"release" doc:"As in os.name"`
	Edition      string    `json:"edition,omitempty" doc:"Where editions differ"`
	Ends         time.Time `json:"ends,omitzero" doc:"Last day of support; omitted only with not_decided: ends"`
	NotDecided   string    `json:"not_decided,omitempty" enum:"ends,extended" doc:"What the publisher has not decided: when support ends, or whether it is extended"`
	Extended     time.Time `json:"extended,omitzero" doc:"End of extended support, which has to be asked or paid for"`
	ExtendedNote string    `json:"extended_note,omitempty" doc:"What extended support takes"`
	Source       string    `json:"source,omitempty"`

	Node *doc.Node `json:"-"`
}

// SourceDoc is one installed system from which one gets to the release.
type SourceDoc struct {
	Platform     string         `json:"platform" enum:"windows,macos,linux"`
	From         string         `json:"from,omitempty" doc:"Name of the release that it starts from, for readers; platform and versions decide"`
	AtLeast      string         `json:"at_least,omitempty" doc:"Lowest os.version, inclusive"`
	AtMost       string         `json:"at_most,omitempty" doc:"Highest os.version, inclusive"`
	Below        string         `json:"below,omitempty" doc:"First os.version that is no longer included; instead of at_most"`
	Edition      []string       `json:"edition,omitempty" doc:"Allowed values of os.edition"`
	Architecture []string       `json:"architecture,omitempty" doc:"Allowed values of os.architecture"`
	Language     []string       `json:"language,omitempty" doc:"Allowed languages: de includes de-AT, de-AT only itself"`
	When         *need.Document `json:"when,omitempty" doc:"Facts of the machines that can take the way; all, if omitted"`
	Way          string         `json:"way" enum:"in-place,interim,image,reinstall" doc:"Installed over the present release, through an intermediate release, from a full image, or as a clean installation"`
	Through      string         `json:"through,omitempty" doc:"For interim: id of the intermediate release"`
	Keeps        []string       `json:"keeps,omitempty" doc:"What stays: programs, files, settings; if omitted, everything stays in place and by intermediate releases, nothing in a clean installation, and of an image it is unknown"`
	BackDays     int            `json:"back_days,omitempty" minimum:"1" maximum:"1000" doc:"For how many days the installed release itself can go back to the former one; without it, nothing is said of that"`

	Node *doc.Node `json:"-"`
}

// InterimDoc is a release on the way. Its requirements count like the target's
// for machines that go through it.
type InterimDoc struct {
	ID           string           `json:"id"`
	Name         string           `json:"name"`
	Source       string           `json:"source,omitempty"`
	Upgrade      []SourceDoc      `json:"upgrade,omitempty" doc:"Ways to the release; in place from anything, if omitted"`
	Requirements []RequirementDoc `json:"requirements,omitempty"`
	Editions     []EditionDoc     `json:"editions,omitempty" doc:"Which installed edition becomes which; the edition stays, if omitted"`
	Packages     []PackageDoc     `json:"packages,omitempty" doc:"What is installed, by edition, architecture and language"`

	Node *doc.Node `json:"-"`
}

// EditionDoc says which edition becomes which.
type EditionDoc struct {
	From []string `json:"from" doc:"Values of os.edition"`
	To   string   `json:"to"`

	Node *doc.Node `json:"-"`
}

// PackageDoc is something to install.
type PackageDoc struct {
	ID           string `json:"id"`
	Edition      string `json:"edition,omitempty" doc:"Edition that it installs; any, if omitted"`
	Architecture string `json:"architecture,omitempty" enum:"x86,x86-64,arm64" doc:"Of the processor; any, if omitted"`
	Language     string `json:"language,omitempty" doc:"Language that it serves; de includes de-AT, unless a package is for de-AT"`
	Way          string `json:"way,omitempty" enum:"in-place,interim,image,reinstall" doc:"Way that it serves; any, if omitted"`
	File         string `json:"file"`
	Bytes        int64  `json:"bytes,omitempty" minimum:"1" maximum:"9007199254740992"`
	SHA256       string `json:"sha256" doc:"64 hexadecimal digits"`
	Before       string `json:"before,omitempty" doc:"What must be installed before it, in words"`

	Node *doc.Node `json:"-"`
}

// RequirementDoc is one requirement as it is written.
type RequirementDoc struct {
	ID          string         `json:"id"`
	Title       string         `json:"title"`
	Level       string         `json:"level" enum:"must,should,feature"`
	Consequence string         `json:"consequence,omitempty" enum:"will-not-start,installer-refuses,unsupported,works-less-well" doc:"What follows if it is not met"`
	AskedBy     string         `json:"asked_by,omitempty" enum:"publisher,house" doc:"The publisher if omitted"`
	Feature     string         `json:"feature,omitempty" doc:"For the level feature: which one"`
	Reason      string         `json:"reason" doc:"Why it exists, in plain words"`
	When        *need.Document `json:"when,omitempty" doc:"The requirement applies only where this holds"`
	Need        need.Document  `json:"need"`
	Attested    string         `json:"attested,omitempty" enum:"required" doc:"The machine's TPM must attest the facts of the need as well: what the system reports is not enough"`
	Advised     *need.Document `json:"advised,omitempty" doc:"A higher value that is only advised"`
	Quote       *QuoteDoc      `json:"quote,omitempty" doc:"Where the publisher says it: words of a page that is kept"`

	Node *doc.Node `json:"-"`
}

// KnownDoc is what is known of a title or of the driver of a device.
type KnownDoc struct {
	Name      []string   `json:"name" doc:"Titles, or names of devices; a version behind the name, or words in brackets, are not part of it"`
	Publisher string     `json:"publisher,omitempty" doc:"For a title: who publishes it; for a driver: its provider"`
	Code      []string   `json:"code,omitempty" doc:"Of a title: its product codes, as the systems list them; a title with one of them is meant, whatever its name is"`
	Versions  []RangeDoc `json:"versions" doc:"What is known of which versions"`

	Node *doc.Node `json:"-"`
}

// RangeDoc is a range of versions.
type RangeDoc struct {
	AtLeast string         `json:"at_least,omitempty" doc:"Lowest version, inclusive"`
	Below   string         `json:"below,omitempty" doc:"First version that is no longer included"`
	Is      string         `json:"is" enum:"fine,update,buy,remove,problem" doc:"Fine; to be updated first, for nothing or by buying; to be removed first; known to have a problem"`
	When    *need.Document `json:"when,omitempty" doc:"Facts of the machines that it is said of; all, if omitted. The first range that fits counts"`
	Weight  string         `json:"weight,omitempty" enum:"required,advised,optional" doc:"How much the work before the upgrade matters, whatever the requirements say; advised if omitted"`
	Note    string         `json:"note,omitempty" doc:"What to do, or what the problem is"`
	Cure    string         `json:"cure,omitempty" doc:"What cures a known problem: a version, or a setting"`
	Cost    string         `json:"cost,omitempty" doc:"What the work costs, as the source says it: EUR 40 for each counter"`
	Decides string         `json:"decides,omitempty" doc:"Who decides on it, as a role: the head of the ticket office"`
	Source  string         `json:"source,omitempty"`

	Node *doc.Node `json:"-"`
	row  int       // of the table that it was imported from
}

// EndDoc is one thing that ends with the upgrade.
type EndDoc struct {
	ID    string         `json:"id"`
	What  string         `json:"what" enum:"feature,title,device"`
	Title string         `json:"title" doc:"What it is called"`
	How   string         `json:"how" enum:"gone,removed,different" doc:"Gone: the release does not have it; removed: the installation takes it away; different: it works in another way"`
	Says  string         `json:"says" doc:"What that means for the machine's user, in a sentence"`
	When  *need.Document `json:"when,omitempty" doc:"Machines that have it; all, if omitted"`

	Node *doc.Node `json:"-"`
}

// PreparationDoc is one thing to do before the upgrade.
type PreparationDoc struct {
	ID     string         `json:"id"`
	Title  string         `json:"title"`
	Reason string         `json:"reason"`
	When   *need.Document `json:"when,omitempty" doc:"It is needed only where this holds"`
	Need   *need.Document `json:"need,omitempty" doc:"Facts that show that it is done; without it, confirmed by a person"`

	Node *doc.Node `json:"-"`
}
