package api

// ImportApplications makes entries of applications from a table in a file.
type ImportApplications struct {
	Name    string            `json:"name" minLength:"1" maxLength:"200" doc:"Name of the file"`
	Content []byte            `json:"content" doc:"The file: CSV, XLSX, or an HTML page that was saved"`
	Table   int               `json:"table,omitempty" minimum:"0" maximum:"500" doc:"Number of the table, from 1 (default: the first one with applications)"`
	Columns map[string]string `json:"columns,omitempty" doc:"Headings of fields that the headings do not name"`
	States  map[string]string `json:"states,omitempty" doc:"What the page calls a state, and the state: works with limits to problem"`
}

// ImportedApplications is what became of a file.
type ImportedApplications struct {
	Tables   []FoundTable          `json:"tables"`
	Chosen   int                   `json:"chosen" doc:"The table that was used, counted from 1"`
	Heads    []string              `json:"heads" doc:"Its columns"`
	Used     []UsedColumn          `json:"used"`
	Ignored  []string              `json:"ignored" doc:"Columns that are not used"`
	Guessed  []string              `json:"guessed" doc:"What was assumed, in sentences"`
	Rows     []ImportedApplication `json:"rows" doc:"The first ranges of versions, as a preview"`
	Total    int                   `json:"total" doc:"Number of applications"`
	Dropped  []DroppedRow          `json:"dropped" doc:"Rows that were left out (the first of them)"`
	Document string                `json:"document" doc:"The section software of a release document, as YAML"`
}

// ImportedApplication is what a file says of some versions of an application.
type ImportedApplication struct {
	Name      string `json:"name"`
	Publisher string `json:"publisher,omitempty"`
	Versions  string `json:"versions" doc:"In words"`
	Says      string `json:"says" doc:"What it takes"`
	Weighs    string `json:"weighs,omitempty" doc:"The weight of the work, in a word"`
	Note      string `json:"note,omitempty"`
	Terms     string `json:"terms,omitempty" doc:"Cure, cost and who decides, in sentences"`
}
