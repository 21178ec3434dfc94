package sheet

// What becomes of a row of a spreadsheet.
const (
	RowNew       = "new"        // a machine that was not known
	RowDuplicate = "duplicate"  // it may be a machine that is known: a person says
	RowReplaces  = "replaces"   // only a row was known of the machine: this one takes its place
	RowFills     = "fills-gaps" // of a machine that was read: gaps are filled
	RowConflict  = "conflict"   // and what was read differs
	RowSame      = "nothing-new"
	RowRefused   = "no-effect" // the machine speaks for itself
)

// RowStates are all of them.
func RowStates() []string {
	return []string{RowNew, RowDuplicate, RowReplaces, RowFills, RowConflict, RowSame, RowRefused}
}
