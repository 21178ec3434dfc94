package server

import (
	"context"
	"errors"
	"io"
	"os"

	"github.com/danielgtaylor/huma/v2"
)

func (s *Server) backup(ctx context.Context, _ *struct{}) (*huma.StreamResponse, error) {
	path, err := s.store.Beside()
	if err == nil {
		err = s.store.Backup(ctx, path)
	}
	if err != nil {
		return nil, err
	}
	f, err := os.Open(path)
	// The file is read to its end although it has no name any more.
	if err = errors.Join(err, os.Remove(path)); err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(c huma.Context) {
		defer f.Close()
		c.SetHeader("Content-Type", "application/vnd.sqlite3")
		c.SetHeader("Content-Disposition", `attachment; filename="rolltop-backup.db"`)
		if _, err := io.Copy(c.BodyWriter(), f); err != nil {
			s.log.Warn("the download of a backup was interrupted", "error", err)
		}
	}}, nil
}
