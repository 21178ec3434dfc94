package service

import (
	"context"
	"slices"
)

// Viewer is who asks or acts: a person, a token, or the service itself.
type Viewer struct {
	Name  string
	Sites []string // that it sees; none: all of them
	Plain bool     // it sees what names one machine, and what is installed on it
}

// Limited says that the viewer sees some sites only.
func (v *Viewer) Limited() bool { return len(v.Sites) > 0 }

// Sees says that the viewer may see machines of a site.
func (v *Viewer) Sees(site string) bool { return !v.Limited() || slices.Contains(v.Sites, site) }

type viewerKey struct{}

// As is a context of what a viewer asks or does.
func As(ctx context.Context, v *Viewer) context.Context {
	return context.WithValue(ctx, viewerKey{}, v)
}

// ByItself is a context of what the service does itself: it sees everything.
func ByItself(ctx context.Context) context.Context { return As(ctx, &Viewer{Plain: true}) }

// noSite is the name of no site: none has a line end in it.
const noSite = "\n"

// ViewerOf is who asks. Without anybody it is somebody who sees nothing, so that a caller which
// forgets to say who asks lets nobody in.
func ViewerOf(ctx context.Context) *Viewer {
	if v, ok := ctx.Value(viewerKey{}).(*Viewer); ok {
		return v
	}
	return &Viewer{Sites: []string{noSite}}
}

// by is the name of who acts.
func by(ctx context.Context) string { return ViewerOf(ctx).Name }
