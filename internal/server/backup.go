package server

import (
	"context"
	"errors"
	"io"
	"net/http"
	"os"

	"github.com/danielgtaylor/huma/v2"
)

func (s *Server) backups(a huma.API) {
	huma.Register(a, secured(huma.Operation{OperationID: "backup", Method: http.MethodGet, Path: "/backup", Summary: "A copy of the whole database, as it is at one moment", Tags: []string{"Running it"},
		Description: "It holds everything, hashes of passwords and tokens among it. Reading and writing go on meanwhile.",
		Responses:   map[string]*huma.Response{"200": {Description: "A SQLite database", Content: map[string]*huma.MediaType{"application/vnd.sqlite3": {}}}}}, ScopeManage), s.backup)
}

func (s *Server) backup(ctx context.Context, _ *struct{}) (*huma.StreamResponse, error) {
	path, err := s.store.Beside()
	if err == nil {
		err = s.store.Backup(ctx, path)
	}
	if err != nil {
		return nil, s.problem(err, "")
	}
	f, err := os.Open(path)
	// The file is read to its end although it has no name any more.
	if err = errors.Join(err, os.Remove(path)); err != nil {
		return nil, s.problem(err, "")
	}
	return &huma.StreamResponse{Body: func(c huma.Context) {
		defer f.Close()
		c.SetHeader("Content-Type", "application/vnd.sqlite3")
		c.SetHeader("Content-Disposition", `attachment; filename="rolltop-backup.db"`)
		if _, err := io.Copy(c.BodyWriter(), f); err != nil {
			s.log.Warn("a backup was not read to its end", "error", err)
		}
	}}, nil
}
