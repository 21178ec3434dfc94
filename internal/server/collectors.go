package server

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"io/fs"
	"net/http"
	"path"
	"slices"
	"strings"
	"sync"

	"rolltop.example/rolltop/internal/api"
)

// collectorFiles are the programs and scripts that machines are inventoried with.
type collectorFiles struct {
	files fs.FS // nil: there are none
	once  sync.Once
	list  []api.Collector
}

// collectorPrefix begins the name of every collector that make dist builds:
// rolltop-collect-GOOS-GOARCH[.exe].
const collectorPrefix = "rolltop-collect-"

var platformNames = map[string]string{"linux": "Linux", "windows": "Windows", "darwin": "macOS"}

// all lists them. They are read once: a service is started again for others.
func (c *collectorFiles) all() []api.Collector {
	c.once.Do(func() {
		c.list = []api.Collector{}
		if c.files == nil {
			return
		}
		names, _ := fs.Glob(c.files, "*")
		slices.Sort(names)
		for _, name := range names {
			one := api.Collector{Name: name, Path: downloadPath + name}
			switch rest, ok := strings.CutPrefix(strings.TrimSuffix(name, ".exe"), collectorPrefix); {
			case ok:
				system, architecture, _ := strings.Cut(rest, "-")
				one.Platform, one.Architecture = platformNames[system], architecture
			case name == "collect.sh":
				one.Platform = "older Linux and macOS"
			case name == "collect.ps1":
				one.Platform = "older Windows"
			}
			if one.Platform != "" && c.sum(&one) == nil {
				c.list = append(c.list, one)
			}
		}
	})
	return c.list
}

func (c *collectorFiles) sum(one *api.Collector) error {
	f, err := c.files.Open(one.Name)
	if err != nil {
		return err
	}
	defer f.Close()
	h := sha256.New()
	if one.Bytes, err = io.Copy(h, f); err != nil {
		return err
	}
	one.SHA256 = hex.EncodeToString(h.Sum(nil))
	return nil
}

func (s *Server) listCollectors(context.Context, *struct{}) (api.CollectorList, error) {
	return api.CollectorList{Collectors: s.collectors.all(), Pin: s.pin}, nil
}

// downloadPath is where collectors are handed out. Anybody may have them: a
// machine that is to be inventoried has nothing to sign in with, and what they
// hold is public.
const downloadPath = "/download/"

func (s *Server) download(w http.ResponseWriter, r *http.Request) {
	name := path.Base(r.URL.Path)
	i := slices.IndexFunc(s.collectors.all(), func(c api.Collector) bool { return c.Name == name })
	if i < 0 || downloadPath+name != r.URL.Path {
		http.Error(w, "There is no such collector. The console lists collectors under Intake.", http.StatusNotFound)
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Content-Disposition", `attachment; filename="`+name+`"`)
	w.Header().Set("ETag", `"`+s.collectors.all()[i].SHA256+`"`)
	http.ServeFileFS(w, r, s.collectors.files, name)
}
