package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/auth"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

// peopleAPI has the operations on users, and the audit log.
type peopleAPI struct{ *Server }

// notChanged is the title of problems with what somebody wants to be changed about a user.
const notChanged = "Not changed"

func (s peopleAPI) listUsers(ctx context.Context, _ *struct{}) (api.UserList, error) {
	list, err := s.store.Users(ctx)
	out := api.UserList{Users: []api.User{}}
	for _, u := range list {
		out.Users = append(out.Users, api.User{Name: u.Name, Role: u.Role, Sites: service.Lines(u.Sites)})
	}
	return out, err
}

func (s peopleAPI) showUser(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"200"`
}) (api.User, error) {
	list, err := s.listUsers(ctx, nil)
	if err != nil {
		return api.User{}, err
	}
	return named(list.Users, func(u *api.User) string { return u.Name }, in.Name, "user")
}

func lastAdministrator(name string) error {
	return &api.Problem{Status: http.StatusConflict, Title: "Last administrator",
		Detail: fmt.Sprintf("%s is the only administrator; make another user an administrator first", name)}
}

type putUserInput struct {
	Name string `path:"name" minLength:"1" maxLength:"200"`
	Body api.SetUser
}

func (s peopleAPI) setUser(ctx context.Context, in *putUserInput) (out api.UserPut, err error) {
	before, err := s.store.UserByName(ctx, in.Name)
	isNew := errors.Is(err, store.ErrNotFound)
	if err != nil && !isNew {
		return out, err
	}
	if err := s.userMistake(ctx, in, isNew); err != nil {
		return out, err
	}
	out = api.UserPut{User: api.User{Name: in.Name, Role: in.Body.Role, Sites: in.Body.Sites}}
	u := &store.User{Name: in.Name, Role: in.Body.Role, Sites: strings.Join(in.Body.Sites, "\n")}
	switch {
	case in.Body.Password != "":
		u.Password = auth.Hash(in.Body.Password)
	case isNew || in.Body.Renew:
		out.Password = NewSecret("")
		u.Password = auth.Hash(out.Password)
	}
	was, becomes := "", roleText(u)
	if !isNew {
		was = roleText(before)
		if u.Password != "" {
			becomes += ", with a new password"
		}
	}
	store.Note(ctx, was, becomes)
	err = s.store.ChangeUser(ctx, u, RoleAdministrator)
	if errors.Is(err, store.ErrLast) {
		err = lastAdministrator(in.Name)
	}
	return out, err
}

// userMistake refuses a user that cannot be.
func (s peopleAPI) userMistake(ctx context.Context, in *putUserInput, isNew bool) error {
	if isNew {
		if wrong, err := s.takenName(ctx, in.Name); err != nil {
			return err
		} else if wrong != "" {
			return refuse(notChanged, "%s", wrong)
		}
	}
	if in.Body.Role == RoleAdministrator && len(in.Body.Sites) > 0 {
		return refuse(notChanged, "an administrator cannot be limited to sites; limit a technician or a viewer")
	}
	if wrong := sitesMistake(in.Body.Sites); wrong != "" {
		return refuse(notChanged, "%s", wrong)
	}
	if in.Body.Password != "" {
		if wrong := auth.Weakness(in.Body.Password, in.Name); wrong != "" {
			return refuse(notChanged, "%s", wrong)
		}
	}
	return nil
}

func roleText(u *store.User) string {
	if u.Sites == "" {
		return u.Role
	}
	return u.Role + " for " + strings.ReplaceAll(u.Sites, "\n", ", ")
}

func (s peopleAPI) removeUser(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"200"`
}) error {
	before, err := s.store.UserByName(ctx, in.Name)
	if err == nil {
		store.Note(ctx, roleText(before), "removed")
		err = s.store.RemoveUser(ctx, in.Name, RoleAdministrator)
	}
	if errors.Is(err, store.ErrLast) {
		return lastAdministrator(in.Name)
	}
	return orMissing(err, "there is no user %q", in.Name)
}

func (s peopleAPI) changePassword(ctx context.Context, in *struct{ Body api.ChangePassword }) error {
	who := callerOf(ctx)
	if who.token != nil { // whatever its name is
		return missing("a token has no password; sign in as a user")
	}
	u, err := s.store.UserByName(ctx, who.Name)
	if err != nil {
		return orMissing(err, "your user no longer exists")
	}
	switch right, err := s.comparePassword(ctx, u.Name, in.Body.Old, u.Password); {
	case err != nil:
		return err
	case !right:
		s.noteSignIn(ctx, auditSignInFailed, u.Name)
		return refuse(notChanged, "the current password is wrong")
	}
	if wrong := auth.Weakness(in.Body.New, u.Name); wrong != "" {
		return refuse(notChanged, "%s", wrong)
	}
	u.Password = auth.Hash(in.Body.New)
	store.Note(ctx, "", "a new password")
	return s.store.SetUser(ctx, u)
}

// undoneAt is when a change was undone; zero if it was not.
func undoneAt(ms int64) time.Time {
	if ms == 0 {
		return time.Time{}
	}
	return time.UnixMilli(ms).UTC()
}

func (s peopleAPI) listAudit(ctx context.Context, in *struct {
	Cursor  string `query:"cursor" maxLength:"20" doc:"The value of next from the previous page"`
	Size    int    `query:"size" default:"100" minimum:"1" maximum:"1000"`
	Who     string `query:"who" maxLength:"200"`
	Subject string `query:"subject" maxLength:"200" doc:"A subject, such as the key of a machine"`
}) (api.AuditLog, error) {
	before := int64(0)
	if in.Cursor != "" {
		var err error
		if before, err = strconv.ParseInt(in.Cursor, 10, 64); err != nil || before < 1 {
			return api.AuditLog{}, refuse("Not a cursor",
				"cursor: %q is not a cursor; pass the value of next from the previous page", in.Cursor)
		}
	}
	list, err := s.store.Audit(ctx, before, in.Size+1, in.Who, in.Subject)
	out := api.AuditLog{Entries: []api.AuditEntry{}}
	if len(list) > in.Size {
		out.Next = strconv.FormatInt(list[in.Size-1].ID, 10)
	}
	for _, a := range list[:min(len(list), in.Size)] {
		out.Entries = append(out.Entries, s.auditEntry(&a))
	}
	return out, err
}

// auditEntry is an entry of the audit log with the words of its operation.
func (s *Server) auditEntry(a *store.AuditEntry) api.AuditEntry {
	return api.AuditEntry{
		ID:      a.ID,
		At:      a.At(),
		Who:     a.Who,
		What:    a.What,
		Did:     s.did(a.What),
		Subject: a.Subject,
		Was:     a.Was,
		Becomes: a.Becomes,
		Change:  a.BulkID,
		Undone:  undoneAt(a.Undone),
	}
}
