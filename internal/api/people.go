package api

import "time"

// TokenRow is a token without its secret.
type TokenRow struct {
	ID        int64      `json:"id"`
	Name      string     `json:"name"`
	Scope     string     `json:"scope" enum:"submit,read,work,manage"`
	CreatedAt time.Time  `json:"created_at"`
	UsedAt    *time.Time `json:"used_at,omitempty"`
	ExpiresAt *time.Time `json:"expires_at,omitempty" doc:"Missing if it does not expire"`
	Machines  *int       `json:"machines,omitempty" doc:"Number of machines that it can still add; missing if unlimited"`
	Imported  bool       `json:"imported,omitempty" doc:"It can update machines that only persons have imported"`
	Tag       string     `json:"tag,omitempty" doc:"Tag of the machines that it adds"`
	Site      string     `json:"site,omitempty"`
	Sites     []string   `json:"sites,omitempty" doc:"Sites that it is limited to"`
}

// TokenList lists tokens.
type TokenList struct {
	Tokens []TokenRow `json:"tokens"`
}

// NewToken asks for a token.
type NewToken struct {
	Name  string `json:"name" minLength:"1" maxLength:"100"`
	Scope string `json:"scope" enum:"submit,read,work,manage"`
	Days  int    `json:"days,omitempty" minimum:"1" maximum:"3650" doc:"Days until it expires (default: never)"`

	Machines int      `json:"machines,omitempty" minimum:"1" maximum:"1000000" doc:"For submit: number of machines that it can add (default 10,000)"`
	Tag      string   `json:"tag,omitempty" maxLength:"64" doc:"For submit: tag of the machines that it adds"`
	Site     string   `json:"site,omitempty" maxLength:"100" doc:"For submit: site of the machines that it adds, instead of the site derived from their names"`
	Imported bool     `json:"imported,omitempty" doc:"For submit: it can update machines that only persons have imported"`
	Succeeds int64    `json:"succeeds,omitempty" minimum:"1" doc:"For submit: id of an earlier token whose machines this token takes over"`
	Sites    []string `json:"sites,omitempty" maxItems:"200" doc:"For read and work: it can see machines of these sites only"`
}

// TokenMade is a new token with its secret, which is shown only once.
type TokenMade struct {
	TokenRow
	Taken  int64  `json:"taken,omitempty" doc:"Number of machines that it took over"`
	Secret string `json:"secret"`
}

// Site gives machines whose names begin with the prefix their site.
type Site struct {
	Prefix string `json:"prefix" minLength:"1" maxLength:"64"`
	Name   string `json:"name" minLength:"1" maxLength:"100"`
}

// SiteList lists sites.
type SiteList struct {
	Sites []Site `json:"sites"`
}

// User is somebody who signs in.
type User struct {
	Name  string   `json:"name"`
	Role  string   `json:"role" enum:"viewer,technician,administrator"`
	Sites []string `json:"sites,omitempty" doc:"Sites that the user is limited to"`
}

// UserList lists users.
type UserList struct {
	Users []User `json:"users"`
}

// SetUser adds a user or changes one.
type SetUser struct {
	Role     string `json:"role" enum:"viewer,technician,administrator" doc:"A viewer can read; a technician can also enter facts, tick steps and create links to visits; an administrator can do everything"`
	Password string `json:"password,omitempty" maxLength:"1000" doc:"At least 12 characters, not easy to guess. If omitted, a new user gets a random password"`
	Renew    bool   `json:"renew,omitempty" doc:"Create a random new password"`

	Sites []string `json:"sites,omitempty" maxItems:"200" doc:"Sites that the user can see (default: all). An administrator cannot be limited"`
}

// UserPut is a user that was added or changed.
type UserPut struct {
	User
	Password string `json:"password,omitempty" doc:"A random password; it is shown only once"`
}

// ChangePassword changes one's own password.
type ChangePassword struct {
	Old string `json:"old" minLength:"1" maxLength:"1000"`
	New string `json:"new" maxLength:"1000" doc:"At least 12 characters, not easy to guess"`
}

// AuditEntry is one entry of the audit log.
type AuditEntry struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	Who     string    `json:"who"`
	What    string    `json:"what" doc:"The operation of the API"`
	Did     string    `json:"did" doc:"The same in words"`
	Subject string    `json:"subject,omitempty" doc:"What was changed: a machine's key, a kind of document, or a name"`
	Was     string    `json:"was,omitempty"`
	Becomes string    `json:"becomes,omitempty"`
	Change  int64     `json:"change,omitempty" doc:"Number of a change of many machines, with which it can be undone"`
	Undone  time.Time `json:"undone,omitzero" doc:"When it was undone"`
}

// AuditLog is a page of the audit log, the latest entry first.
type AuditLog struct {
	Entries []AuditEntry `json:"entries"`
	Next    string       `json:"next,omitempty" doc:"For cursor=: the next page, of earlier entries"`
}

// Collector is a program or script that the service hands out.
type Collector struct {
	Name         string `json:"name"`
	Platform     string `json:"platform" doc:"Linux, Windows, macOS; older systems for a script"`
	Architecture string `json:"architecture,omitempty"`
	Path         string `json:"path" doc:"Path to append to the address of the service"`
	Bytes        int64  `json:"bytes"`
	SHA256       string `json:"sha256"`
}

// CollectorList lists collectors.
type CollectorList struct {
	Collectors []Collector `json:"collectors"`
	Pin        string      `json:"pin,omitempty" doc:"For a self-signed certificate: its SHA-256 fingerprint, for --pin"`
}
