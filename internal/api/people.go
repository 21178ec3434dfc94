package api

import "time"

// TokenRow is a token without its secret.
type TokenRow struct {
	ID        int64      `json:"id"`
	Name      string     `json:"name"`
	Scope     string     `json:"scope" enum:"submit,read,work,manage"`
	CreatedAt time.Time  `json:"created_at"`
	UsedAt    *time.Time `json:"used_at,omitempty"`
	ExpiresAt *time.Time `json:"expires_at,omitempty" doc:"Missing where it does not expire"`
	Machines  *int       `json:"machines,omitempty" doc:"How many machines it may still add; missing where any number"`
	Imported  bool       `json:"imported,omitempty" doc:"It may speak for machines that only persons have handed in"`
	Tag       string     `json:"tag,omitempty" doc:"That machines it adds are given"`
	Place     string     `json:"place,omitempty"`
	Places    []string   `json:"places,omitempty" doc:"That it is limited to"`
}

// TokenList lists tokens.
type TokenList struct {
	Tokens []TokenRow `json:"tokens"`
}

// NewToken asks for a token.
type NewToken struct {
	Name  string `json:"name" minLength:"1" maxLength:"100"`
	Scope string `json:"scope" enum:"submit,read,work,manage"`
	Days  int    `json:"days,omitempty" minimum:"1" maximum:"3650" doc:"After how many days it expires; never, where not given"`

	Machines int      `json:"machines,omitempty" minimum:"1" maximum:"1000000" doc:"For submitting: how many machines it may add; 10,000 where not given"`
	Tag      string   `json:"tag,omitempty" maxLength:"64" doc:"For submitting: a tag for the machines that it adds"`
	Place    string   `json:"place,omitempty" maxLength:"100" doc:"For submitting: the place of the machines that it adds, in the place of that by their names"`
	Imported bool     `json:"imported,omitempty" doc:"For submitting: it may speak for machines that only persons have handed in, in files or spreadsheets"`
	Succeeds int64    `json:"succeeds,omitempty" minimum:"1" doc:"For submitting: the id of a token, ended or not, for whose machines this one speaks from now on"`
	Places   []string `json:"places,omitempty" maxItems:"200" doc:"For reading and working: it sees machines of these places only"`
}

// TokenMade is a new token with its secret, which is shown this once.
type TokenMade struct {
	TokenRow
	Taken  int64  `json:"taken,omitempty" doc:"Machines of the former token that it speaks for"`
	Secret string `json:"secret"`
}

// Place gives machines whose names begin with the prefix their place.
type Place struct {
	Prefix string `json:"prefix" minLength:"1" maxLength:"64"`
	Name   string `json:"name" minLength:"1" maxLength:"100"`
}

// PlaceList lists places.
type PlaceList struct {
	Places []Place `json:"places"`
}

// User is somebody who signs in.
type User struct {
	Name   string   `json:"name"`
	Role   string   `json:"role" enum:"viewer,technician,administrator"`
	Places []string `json:"places,omitempty" doc:"That they are limited to"`
}

// UserList lists users.
type UserList struct {
	Users []User `json:"users"`
}

// PutUser adds a user or changes one.
type PutUser struct {
	Role     string `json:"role" enum:"viewer,technician,administrator" doc:"A viewer reads; a technician also enters facts, ticks, and makes links to visits; an administrator does everything"`
	Password string `json:"password,omitempty" maxLength:"1000" doc:"At least 12 characters, and not easy to guess. A new user without one gets a random one"`
	Renew    bool   `json:"renew,omitempty" doc:"Give a random new password"`

	Places []string `json:"places,omitempty" maxItems:"200" doc:"They see machines of these places only; all, where not given. An administrator cannot be limited"`
}

// UserPut is a user that was added or changed.
type UserPut struct {
	User
	Password string `json:"password,omitempty" doc:"A random password, which is shown this once"`
}

// ChangePassword changes one's own password.
type ChangePassword struct {
	Old string `json:"old" minLength:"1" maxLength:"1000"`
	New string `json:"new" maxLength:"1000" doc:"At least 12 characters, and not easy to guess"`
}

// Act is a change that somebody made.
type Act struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	Who     string    `json:"who"`
	What    string    `json:"what" doc:"The operation of the API"`
	Did     string    `json:"did" doc:"The same in words"`
	Subject string    `json:"subject,omitempty" doc:"What it was done to: a machine's key, a kind of document, a name"`
	Was     string    `json:"was,omitempty"`
	Becomes string    `json:"becomes,omitempty"`
}

// ActList is a page of changes, the latest first.
type ActList struct {
	Acts []Act `json:"acts"`
	More bool  `json:"more" doc:"There are earlier ones; ask for those before the last id"`
}

// Collector is a program or script that the service hands out.
type Collector struct {
	Name         string `json:"name"`
	Platform     string `json:"platform" doc:"Linux, Windows, macOS; older systems, for a script"`
	Architecture string `json:"architecture,omitempty"`
	Path         string `json:"path" doc:"To be put behind the service's address"`
	Bytes        int64  `json:"bytes"`
	SHA256       string `json:"sha256"`
}

// CollectorList lists collectors.
type CollectorList struct {
	Collectors []Collector `json:"collectors"`
	Pin        string      `json:"pin,omitempty" doc:"Where the service made its certificate itself: the SHA-256 of it, for --pin"`
}
