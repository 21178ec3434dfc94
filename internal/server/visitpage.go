package server

import (
	"bytes"
	"cmp"
	"errors"
	"net/http"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/report"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// visitPath is where the pages of visits are.
const visitPath = "/v/"

// maxForm bounds what the page of a visit sends, in bytes.
const maxForm = 64 << 10

// visit shows the page of a visit to whoever has its link. With a form it records what is done there: the link is for
// one machine, and for the steps of its plan alone.
func (s visitsAPI) visit(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	h.Set("Cache-Control", "no-store")
	h.Set("X-Robots-Tag", "noindex")
	h.Set("Content-Security-Policy", report.FormPolicy)
	h.Set("Content-Type", htmlType)
	refuse := func(status int, title, says string) {
		w.WriteHeader(status)
		_ = report.Notice(w, title, says)
	}
	failed := func(err error) {
		s.log.Error("request failed", "error", err)
		refuse(http.StatusInternalServerError, "The service failed", "The visit could not be shown; see the log of "+
			"the service.")
	}
	secret := strings.TrimPrefix(r.URL.Path, visitPath)
	link, err := s.store.LinkMachine(r.Context(), hash(secret), s.now())
	switch {
	case errors.Is(err, store.ErrExpired):
		refuse(http.StatusGone, "This link has expired",
			"Links to a visit expire after a short time. Create a new link on the machine's page in the console.")
		return
	case errors.Is(err, store.ErrNotFound):
		refuse(http.StatusNotFound, "There is no such link",
			"It may be incomplete. Create a new link on the machine's page in the console.")
		return
	case err != nil:
		failed(err)
		return
	}
	form := &report.Form{Notes: map[string]string{}}
	status := http.StatusOK
	if r.Method == http.MethodPost {
		r.Body = http.MaxBytesReader(w, r.Body, maxForm)
		if err := r.ParseForm(); err != nil {
			refuse(http.StatusBadRequest, "Nothing was recorded", "The form could not be read. Go back and try again.")
			return
		}
		status = s.recordStep(r, &link, form)
	}
	c, err := s.Machines.Ticked(r.Context(), link.Machine.Key, service.Against{})
	if err != nil {
		refuse(http.StatusUnprocessableEntity, "Nothing to show", s.problem(err).Error())
		return
	}
	var b bytes.Buffer
	if err := report.Visit(&b, c.Check, link.Expires, form); err != nil {
		failed(err)
		return
	}
	w.WriteHeader(status)
	_, _ = b.WriteTo(w)
}

// notePrefix begins the names of the fields for notes.
const notePrefix = "note "

// recordStep records what the form of a visit's page says of one step, and says so on the form. It gives the status of
// the answer.
func (s visitsAPI) recordStep(r *http.Request, link *store.Link, form *report.Form) int {
	form.Name = clipped(r.PostForm.Get("name"), 60)
	for name, values := range r.PostForm {
		if item, ok := strings.CutPrefix(name, notePrefix); ok && len(values) > 0 {
			form.Notes[item] = clipped(values[0], 400)
		}
	}
	what, item, _ := strings.Cut(r.PostForm.Get("do"), " ")
	id, isStep := strings.CutPrefix(item, assess.TickStep)
	if !isStep {
		form.Says = "Nothing was recorded: press a button beside a step."
		return http.StatusUnprocessableEntity
	}
	note := form.Notes[item]
	if what == "refused" && note == "" {
		form.Says = "Nothing was recorded: write in the note why it is not done, for whoever comes next."
		return http.StatusUnprocessableEntity
	}
	who := "the link of " + link.By
	if form.Name != "" {
		who = form.Name + ", by " + who
	}
	key := link.Machine.Key
	ctx := service.As(r.Context(), &service.Viewer{Name: who})
	operation := "set-tick"
	if what == "remove" {
		operation = "remove-tick"
	}
	ctx = store.Acting(ctx, &store.AuditEntry{
		Millis: s.now().UnixMilli(), Who: who, What: operation, Subject: key + "/" + item,
	})
	var err error
	switch what {
	case "done", "refused":
		err = s.Work.SetTick(ctx, key, assess.Tick{Item: item, State: what, Note: note})
	case "remove":
		err = s.Work.RemoveTick(ctx, key, item)
	default:
		form.Says = "Nothing was recorded: press a button beside a step."
		return http.StatusUnprocessableEntity
	}
	var wrong *service.Refusal
	switch {
	case errors.As(err, &wrong):
		form.Says = "Nothing was recorded: " + say.Sentence(wrong.Says)
		return http.StatusUnprocessableEntity
	case err != nil:
		s.log.Error("request failed", "error", err)
		form.Says = "Nothing was recorded: the service failed. Try again."
		return http.StatusInternalServerError
	}
	delete(form.Notes, item)
	form.Says = cmp.Or(map[string]string{"done": "Recorded as done: ", "refused": "Recorded as not done: "}[what],
		"The record is removed: ") + say.Sentence(stepRef(s.Knowledge.Base(), id).Title)
	return http.StatusOK
}

// clipped is a text without blanks around it, and no longer than so many bytes; it ends with a whole character.
func clipped(text string, most int) string {
	text = strings.TrimSpace(text)
	if len(text) > most {
		text = strings.ToValidUTF8(text[:most], "")
	}
	return text
}
