package api

import (
	"encoding/json"
	"net/http"

	"rolltop.example/rolltop/core/doc"
)

// Problem is an error answer (RFC 9457).
type Problem struct {
	Type string `json:"type" format:"uri-reference" doc:"Kind of problem; stable, for programs. GET it for an explanation"`

	Title  string        `json:"title" doc:"Kind of problem, for people"`
	Status int           `json:"status" doc:"HTTP status"`
	Detail string        `json:"detail,omitempty" doc:"What happened, and what would be right"`
	Errors []doc.Mistake `json:"errors,omitempty" doc:"Each mistake of a document or a request, with its place"`

	// RetryAfter is when it may be tried again, as the header of that name says (RFC 9110, section 10.2.3).
	RetryAfter string `json:"-"`
}

// Error is the detail.
func (p *Problem) Error() string {
	if p.Detail != "" {
		return p.Detail
	}
	return p.Title
}

// GetStatus is the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is RFC 9457's.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

// MarshalJSON gives a problem without a type the one of its status, so that no problem lacks one.
func (p *Problem) MarshalJSON() ([]byte, error) {
	type plain Problem
	out := plain(*p)
	if out.Type == "" {
		out.Type = ProblemPath + typeOfStatus(p.Status)
	}
	return json.Marshal(&out)
}

// ProblemPath is where the service explains the types of problems: a type is this and its id.
const ProblemPath = "/api/v1/problems/"

// ProblemType is a kind of problem.
type ProblemType struct {
	ID     string `json:"id" doc:"Last part of the type of a problem"`
	Status int    `json:"status" doc:"HTTP status of these problems"`
	Says   string `json:"says" doc:"What happened"`
	Try    string `json:"try" doc:"What to do about it"`
}

// ProblemTypeList lists the kinds of problems.
type ProblemTypeList struct {
	Types []ProblemType `json:"types" doc:"All kinds of problems, by status"`
}

// Ids of the kinds of problems that are not the usual one of their status.
const (
	ProblemCrossSite     = "cross-site"
	ProblemTokenUsedUp   = "token-used-up"
	ProblemNoAddress     = "no-such-address"
	ProblemDocument      = "document-mistakes"
	ProblemReadOnly      = "database-read-only"
	ProblemChangedBefore = "changed-meanwhile"
)

// ProblemTypes are all kinds of problems. The first of a status is the usual one. An id never changes
// its meaning and is never removed.
var ProblemTypes = []ProblemType{
	{"malformed", http.StatusBadRequest, "The request cannot be read, for example because its body is not JSON.",
		"Correct the request."},
	{"not-signed-in", http.StatusUnauthorized, "The request has no valid token and no session.",
		"Pass a token as Authorization: Bearer, or sign in again."},
	{"not-permitted", http.StatusForbidden, "The user or token does not have the permission, or sees other sites only.",
		"Use a token with the permission that the detail names, or ask an administrator."},
	{ProblemCrossSite, http.StatusForbidden, "A page of another website sent the request.", "Open the console itself."},
	{ProblemTokenUsedUp, http.StatusForbidden, "The token has added as many machines as it can add.",
		"Create another token. Machines that it added can still submit."},
	{"not-found", http.StatusNotFound, "What the address names does not exist, or the caller cannot see it.",
		"Correct the name; the detail has the nearest match where there is one."},
	{ProblemNoAddress, http.StatusNotFound, "The API does not have the address.", "See /api/v1/openapi.json."},
	{"method-not-allowed", http.StatusMethodNotAllowed, "The address does not accept the method.",
		"Use a method that the header Allow lists."},
	{"too-slow", http.StatusRequestTimeout, "The body of the request did not arrive in time.", "Send it again."},
	{"conflict", http.StatusConflict, "The change contradicts what is stored, for example because a name is taken.",
		"Read what is stored, and change the request."},
	{ProblemChangedBefore, http.StatusPreconditionFailed,
		"Somebody else changed it after you read it: If-Match names an earlier state. Nothing was saved.",
		"Read it again, and repeat your change."},
	{"too-large", http.StatusRequestEntityTooLarge, "The body of the request is larger than the limit.",
		"Send less at a time."},
	{"unsupported-media-type", http.StatusUnsupportedMediaType, "The body is of a type that is not accepted here.",
		"Send one of the types that the description names for this operation."},
	{"invalid", http.StatusUnprocessableEntity, "A value of the request is not valid. Nothing was changed.",
		"Correct what the detail and the list of errors name."},
	{ProblemDocument, http.StatusUnprocessableEntity, "A document has mistakes. Nothing was changed.",
		"Correct the document; errors has each mistake with its line."},
	{
		"too-many-requests",
		http.StatusTooManyRequests,
		"The caller has too many requests in progress, or tried too often.",
		"Wait as long as the header Retry-After says.",
	},
	{"failed", http.StatusInternalServerError, "The service failed. Nothing was changed.",
		"See the log of the service, under the number in the header X-Request-Id."},
	{"overloaded", http.StatusServiceUnavailable, "The service is overloaded. Nothing was saved.",
		"Wait as long as the header Retry-After says."},
	{ProblemReadOnly, http.StatusServiceUnavailable, "The service cannot write to its database. Nothing was saved.",
		"See the log of the service; check the disk and its permissions."},
	{"disk-full", http.StatusInsufficientStorage, "The disk of the database is full. Nothing was saved.",
		"Free space on the disk of the database."},
}

// typeOfStatus is the id of the usual kind of problem with a status.
func typeOfStatus(status int) string {
	for i := range ProblemTypes {
		if ProblemTypes[i].Status == status {
			return ProblemTypes[i].ID
		}
	}
	if status < http.StatusInternalServerError {
		return "malformed"
	}
	return "failed"
}
