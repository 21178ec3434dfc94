package server

import (
	"github.com/danielgtaylor/huma/v2"
)

// Scopes, from the least to the most. Submitting does not let one read.
const (
	ScopeSubmit = "submit"
	ScopeRead   = "read"
	ScopeWork   = "work" // read, enter facts, tick, make links to visits
	ScopeManage = "manage"

	// open marks an operation that anyone may call, anybody one for everybody who has signed in.
	open    = "open"
	anybody = "anybody"
)

// Roles of users.
const (
	RoleViewer        = "viewer"
	RoleTechnician    = "technician"
	RoleAdministrator = "administrator"
)

// Roles are all of them, from the least to the most.
func Roles() []string { return []string{RoleViewer, RoleTechnician, RoleAdministrator} }

func scopeOf(role string) string {
	switch role {
	case RoleAdministrator:
		return ScopeManage
	case RoleTechnician:
		return ScopeWork
	}
	return ScopeRead
}

// allows says whether a scope is enough for an operation.
func allows(has, needs string) bool {
	switch needs {
	case open, anybody:
		return true
	case ScopeSubmit:
		return has == ScopeSubmit || has == ScopeManage
	case ScopeRead:
		return has == ScopeRead || has == ScopeWork || has == ScopeManage
	case ScopeWork:
		return has == ScopeWork || has == ScopeManage
	}
	return has == ScopeManage
}

// What the metadata of an operation says.
const (
	metaScope      = "scope"
	metaEverywhere = "everywhere"
)

// secured sets what an operation needs. An operation without it is refused to everybody.
func secured(scope string) option {
	return func(_ huma.API, op *huma.Operation) {
		op.Metadata = map[string]any{metaScope: scope}
		op.Security = []map[string][]string{{}} // nobody need sign in
		if scope != open {
			op.Security = []map[string][]string{{"token": {}}, {"session": {}}}
		}
	}
}
