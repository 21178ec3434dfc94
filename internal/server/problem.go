package server

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// problem turns an error into one that the API says. What is not the caller's doing is logged and
// not told.
func (s *Server) problem(err error) error {
	var status huma.StatusError
	var refusal *service.Refusal
	var mistakes *doc.Mistakes
	switch {
	case errors.As(err, &status): // it is one already
		return err
	case errors.As(err, &refusal):
		return &api.Problem{Status: statusOf(refusal.Reason), Title: refusal.Title, Detail: refusal.Says}
	case errors.As(err, &mistakes):
		return &api.Problem{
			Type:   api.ProblemPath + api.ProblemDocument,
			Status: mistaken,
			Title:  "The document has mistakes",
			Detail: err.Error(),
			Errors: mistakes.List,
		}
	}
	for _, p := range storeProblems {
		if !errors.Is(err, p.is) {
			continue
		}
		if p.logged {
			s.log.Error("request failed", "error", err)
		}
		detail := p.detail
		if detail == "" {
			detail = err.Error()
		}
		out := &api.Problem{Status: p.status, Title: p.title, Detail: detail}
		if p.kind != "" {
			out.Type = api.ProblemPath + p.kind
		}
		return again(out, p.after)
	}
	s.log.Error("request failed", "error", err)
	return &api.Problem{
		Status: http.StatusInternalServerError,
		Title:  "The service failed",
		Detail: "the service failed; see its log. Nothing was changed.",
	}
}

// storeProblems are the errors of the store that a caller is told of.
var storeProblems = []struct {
	is            error
	status        int
	title, detail string // without a detail, the error's own words
	after         string // seconds after which it may be tried again
	kind          string // of problem, where it is not the usual one of the status
	logged        bool
}{
	{is: store.ErrNotFound, status: notFound, title: "Not found", detail: "it does not exist"},
	{is: store.ErrRevision, status: conflict, title: "The revision cannot be saved"},
	{is: store.ErrBusy, status: busy, title: "Busy", after: "2",
		detail: "the service is overloaded; nothing was saved. Try again in a few seconds"},
	{is: store.ErrUsedUp, status: forbidden, title: "The token is used up", kind: api.ProblemTokenUsedUp,
		detail: "this token cannot add more machines; known machines can still submit. Use another token"},
	{is: store.ErrFull, status: diskFull, title: "The disk is full", logged: true,
		detail: "the disk of the service's database is full; nothing was saved. Free space, and try again"},
	{is: store.ErrReadOnly, status: busy, title: "The database cannot be written", after: "60", logged: true,
		kind:   api.ProblemReadOnly,
		detail: "the service cannot write to its disk; nothing was saved. See the log of the service"},
}

// again says after how many seconds something may be tried again; "" says nothing.
func again(p *api.Problem, seconds string) error {
	if seconds == "" {
		return p
	}
	return huma.ErrorWithHeaders(p, http.Header{"Retry-After": {seconds}})
}

func statusOf(r service.Reason) int {
	switch r {
	case service.Missing:
		return notFound
	case service.Forbidden:
		return forbidden
	case service.Taken:
		return conflict
	case service.DiskFull:
		return diskFull
	}
	return mistaken
}

// refuse is a problem with what was asked for.
func refuse(title, format string, args ...any) error {
	return &api.Problem{Status: mistaken, Title: title, Detail: fmt.Sprintf(format, args...)}
}

// notForYou is a problem with who asks.
func notForYou(format string, args ...any) error {
	return &api.Problem{Status: forbidden, Title: "Not permitted", Detail: fmt.Sprintf(format, args...)}
}

func missing(format string, args ...any) error {
	return &api.Problem{Status: notFound, Title: "Not found", Detail: fmt.Sprintf(format, args...)}
}

// orMissing says what is missing where the store has not found it; other errors stay as they are.
func orMissing(err error, format string, args ...any) error {
	if errors.Is(err, store.ErrNotFound) {
		return missing(format, args...)
	}
	return err
}

// detail says an error as the answer to one line of several.
func (s *Server) detail(err error) string {
	var p *api.Problem
	if errors.As(s.problem(err), &p) {
		return p.Detail
	}
	return err.Error()
}

// refuseWith answers a request with an error, from a middleware.
func (s *Server) refuseWith(a huma.API, ctx huma.Context, err error) {
	err = s.problem(err)
	var h huma.HeadersError
	if errors.As(err, &h) {
		for name, values := range h.GetHeaders() {
			for _, v := range values {
				ctx.AppendHeader(name, v)
			}
		}
	}
	status := http.StatusInternalServerError
	var p huma.StatusError
	if errors.As(err, &p) {
		status = p.GetStatus()
	}
	_ = huma.WriteErr(a, ctx, status, err.Error())
}

// maxEcho is how much of a wrong value an answer repeats, in bytes.
const maxEcho = 64

// secretField are the places of what no answer repeats.
var secretField = regexp.MustCompile(`(?i)password|secret|token|body\.(old|new)$|authorization|cookie`)

// newProblem makes the library's errors ours: no echo of what was sent beyond a few bytes.
func newProblem(status int, message string, errs ...error) huma.StatusError {
	p := &api.Problem{Status: status, Title: http.StatusText(status), Detail: message}
	for _, err := range errs {
		d, ok := err.(*huma.ErrorDetail)
		if !ok || d == nil {
			p.Errors = append(p.Errors, doc.Mistake{Wrong: plainly(err.Error())})
			continue
		}
		m := doc.Mistake{Path: fieldOf(d.Location), Wrong: plainly(d.Message)}
		switch v := d.Value.(type) { // never a group: it may hold a password
		case string: // nor what is not there, nor a body as a whole, which the sender has
			if v != "" && m.Path != "" && len(v) <= maxEcho && !secretField.MatchString(d.Location) {
				m.Wrong += fmt.Sprintf("; it is %q", v)
			}
		case float64, bool:
			m.Wrong += fmt.Sprintf("; it is %v", v)
		}
		p.Errors = append(p.Errors, m)
	}
	// A key that is unknown explains one that is missing.
	slices.SortStableFunc(p.Errors, func(a, b doc.Mistake) int {
		return cmp.Compare(strings.Index(b.Wrong, unknownKey), strings.Index(a.Wrong, unknownKey)) // -1: in none
	})
	if len(p.Errors) == 0 && p.Detail == "request body is required" {
		p.Detail = plainly(message)
	}
	if len(p.Errors) > 0 && message == "validation failed" { // the detail is what people see
		p.Detail = firstOf(p.Errors)
	}
	return p
}

// firstOf says the first of several mistakes; of a key that is unknown, also what is missing in its
// place.
func firstOf(all []doc.Mistake) string {
	first := &all[0]
	switch {
	case strings.HasPrefix(first.Wrong, unknownKey):
		says := fmt.Sprintf("unknown key %q", first.Path)
		for i := range all {
			if strings.HasSuffix(all[i].Wrong, " is missing") {
				return says + "; " + all[i].Wrong
			}
		}
		return says
	case first.Path != "":
		return first.Path + ": " + first.Wrong
	}
	return first.Wrong
}

// writeProblem answers a request that no operation takes.
func writeProblem(w http.ResponseWriter, p *api.Problem) {
	w.Header().Set("Content-Type", p.ContentType(""))
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}

// problemTypes lists the kinds of problems.
func problemTypes(context.Context, *struct{}) (api.ProblemTypeList, error) {
	return api.ProblemTypeList{Types: api.ProblemTypes}, nil
}

// problemType explains one kind of problem.
func problemType(_ context.Context, in *struct {
	ID string `path:"id" maxLength:"80" doc:"Last part of the type of a problem"`
}) (api.ProblemType, error) {
	for _, t := range api.ProblemTypes {
		if t.ID == in.ID {
			return t, nil
		}
	}
	return api.ProblemType{}, missing("unknown kind of problem %q; /api/v1/problems lists all", in.ID)
}

// named is the row of a list that has a name; what says what it is of, for the error.
func named[T any](list []T, nameOf func(*T) string, name, what string) (out T, err error) {
	names := make([]string, len(list))
	for i := range list {
		if names[i] = nameOf(&list[i]); names[i] == name {
			return list[i], nil
		}
	}
	return out, missing("%s", doc.With(fmt.Sprintf("there is no %s %q", what, name), doc.Suggest(name, names)))
}
