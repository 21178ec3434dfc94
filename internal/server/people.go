package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/auth"
	"rolltop.example/rolltop/internal/store"
)

func (s *Server) people(a huma.API) {
	tag := []string{"People"}
	huma.Register(a, secured(huma.Operation{OperationID: "users", Method: http.MethodGet, Path: "/users", Summary: "List users", Tags: tag}, ScopeManage), s.listUsers)
	huma.Register(a, secured(huma.Operation{OperationID: "put-user", Method: http.MethodPut, Path: "/users/{name}", Summary: "Add a user, or change one", Tags: tag, Errors: []int{http.StatusConflict}}, ScopeManage), s.putUser)
	huma.Register(a, secured(huma.Operation{OperationID: "remove-user", Method: http.MethodDelete, Path: "/users/{name}", Summary: "Take a user out", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound, http.StatusConflict}}, ScopeManage), s.removeUser)
	huma.Register(a, secured(huma.Operation{OperationID: "change-password", Method: http.MethodPut, Path: "/session/password", Summary: "Change one's own password; it signs out everywhere", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity, http.StatusTooManyRequests}}, ScopeRead), s.changePassword)
	huma.Register(a, secured(huma.Operation{OperationID: "acts", Method: http.MethodGet, Path: "/acts", Summary: "What was changed, by whom, the latest first", Tags: tag}, ScopeManage), s.listActs)
}

func (s *Server) listUsers(ctx context.Context, _ *struct{}) (*struct{ Body api.UserList }, error) {
	list, err := s.store.Users(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := api.UserList{Users: []api.User{}}
	for _, u := range list {
		out.Users = append(out.Users, api.User{Name: u.Name, Role: u.Role, Places: lines(u.Places)})
	}
	return &struct{ Body api.UserList }{out}, nil
}

func lastAdministrator(name string) error {
	return &api.Problem{Status: http.StatusConflict, Title: "The last administrator", Detail: fmt.Sprintf("%s is the only administrator; make another user one first", name)}
}

func (s *Server) putUser(ctx context.Context, in *struct {
	Name string `path:"name" minLength:"1" maxLength:"200"`
	Body api.PutUser
}) (*struct{ Body api.UserPut }, error) {
	before, err := s.store.UserByName(ctx, in.Name)
	isNew := errors.Is(err, store.ErrNotFound)
	if err != nil && !isNew {
		return nil, s.problem(err, "")
	}
	if isNew {
		wrong, err := s.takenName(ctx, in.Name)
		if err != nil {
			return nil, s.problem(err, "")
		}
		if wrong != "" {
			return nil, refuse("Not changed", "%s", wrong)
		}
	}
	if in.Body.Role == RoleAdministrator && len(in.Body.Places) > 0 {
		return nil, refuse("Not changed", "an administrator sees everything; limit a technician or a viewer")
	}
	if wrong := placesMistake(in.Body.Places); wrong != "" {
		return nil, refuse("Not changed", "%s", wrong)
	}
	out := api.UserPut{User: api.User{Name: in.Name, Role: in.Body.Role, Places: in.Body.Places}}
	u := &store.User{Name: in.Name, Role: in.Body.Role, Places: strings.Join(in.Body.Places, "\n")}
	switch {
	case in.Body.Password != "":
		if wrong := auth.Weakness(in.Body.Password, in.Name); wrong != "" {
			return nil, refuse("Not changed", "%s", wrong)
		}
		u.Password = auth.Hash(in.Body.Password)
	case isNew || in.Body.Renew:
		out.Password = NewSecret("")
		u.Password = auth.Hash(out.Password)
	}
	was, becomes := "", roleText(u)
	if !isNew {
		was = roleText(before)
	}
	if !isNew && u.Password != "" {
		becomes += ", with a new password"
	}
	store.Note(ctx, was, becomes)
	switch err := s.store.ChangeUser(ctx, u, RoleAdministrator); {
	case errors.Is(err, store.ErrLast):
		return nil, lastAdministrator(in.Name)
	case err != nil:
		return nil, s.problem(err, "")
	}
	return &struct{ Body api.UserPut }{out}, nil
}

func roleText(u *store.User) string {
	if u.Places == "" {
		return u.Role
	}
	return u.Role + " for " + strings.ReplaceAll(u.Places, "\n", ", ")
}

func (s *Server) removeUser(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"200"`
}) (*struct{}, error) {
	before, err := s.store.UserByName(ctx, in.Name)
	if err == nil {
		store.Note(ctx, roleText(before), "removed")
		err = s.store.RemoveUser(ctx, in.Name, RoleAdministrator)
	}
	switch {
	case errors.Is(err, store.ErrLast):
		return nil, lastAdministrator(in.Name)
	case err != nil:
		return nil, s.problem(err, fmt.Sprintf("there is no user %q", in.Name))
	}
	return nil, nil
}

func (s *Server) changePassword(ctx context.Context, in *struct{ Body api.ChangePassword }) (*struct{}, error) {
	if callerOf(ctx).token != nil { // whatever its name is
		return nil, &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: "this is a token, and a token has no password"}
	}
	u, err := s.store.UserByName(ctx, by(ctx))
	if err != nil {
		return nil, s.problem(err, "you are not among the users any more")
	}
	switch right, err := s.comparePassword(ctx, u.Name, in.Body.Old, u.Password); {
	case err != nil:
		return nil, err
	case !right:
		s.noteSignIn(ctx, actSignInFailed, u.Name)
		return nil, refuse("Not changed", "the old password is not right")
	}
	if wrong := auth.Weakness(in.Body.New, u.Name); wrong != "" {
		return nil, refuse("Not changed", "%s", wrong)
	}
	u.Password = auth.Hash(in.Body.New)
	store.Note(ctx, "", "a new password")
	if err := s.store.PutUser(ctx, u); err != nil {
		return nil, s.problem(err, "")
	}
	return nil, nil
}

func (s *Server) listActs(ctx context.Context, in *struct {
	Before  int64  `query:"before" minimum:"0" doc:"Those before this id"`
	Size    int    `query:"size" default:"100" minimum:"1" maximum:"1000"`
	Who     string `query:"who" maxLength:"200"`
	Subject string `query:"subject" maxLength:"200" doc:"A machine's key, with everything done to it"`
}) (*struct{ Body api.ActList }, error) {
	list, err := s.store.Acts(ctx, in.Before, in.Size+1, in.Who, in.Subject)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := api.ActList{Acts: []api.Act{}, More: len(list) > in.Size}
	for _, a := range list[:min(len(list), in.Size)] {
		out.Acts = append(out.Acts, api.Act{ID: a.ID, At: a.At(), Who: a.Who, What: a.What, Did: s.did(a.What), Subject: a.Subject, Was: a.Was, Becomes: a.Becomes})
	}
	return &struct{ Body api.ActList }{out}, nil
}
