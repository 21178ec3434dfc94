package store

import (
	"context"

	"github.com/jmoiron/sqlx"
)

// Settings are all that were set, by name.
func (s settings) Settings(ctx context.Context) (map[string]string, error) {
	var rows []struct {
		Name  string `db:"name"`
		Value string `db:"value"`
	}
	err := s.reader.SelectContext(ctx, &rows, "SELECT name, value FROM setting")
	out := map[string]string{}
	for _, r := range rows {
		out[r.Name] = r.Value
	}
	return out, err
}

// SetSettings sets some.
func (s settings) SetSettings(ctx context.Context, values map[string]string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		for name, value := range values {
			if _, err := tx.Exec("INSERT INTO setting (name, value) VALUES (?, ?) ON CONFLICT DO UPDATE SET "+
				"value=excluded.value", name, value); err != nil {
				return err
			}
		}
		return nil
	})
}

// Site gives the machines whose names begin with a prefix their site.
type Site struct {
	Prefix string `db:"prefix"`
	Name   string `db:"name"`
}

// Sites lists all sites.
func (s settings) Sites(ctx context.Context) ([]Site, error) {
	var out []Site
	err := s.reader.SelectContext(ctx, &out, "SELECT prefix, name FROM site ORDER BY name")
	return out, err
}

// SetSites replaces all sites.
func (s settings) SetSites(ctx context.Context, sites []Site) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("DELETE FROM site"); err != nil {
			return err
		}
		for _, p := range sites {
			if _, err := tx.NamedExec("INSERT INTO site (prefix, name) VALUES (:prefix, :name)", p); err != nil {
				return err
			}
		}
		return nil
	})
}
