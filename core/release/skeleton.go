package release

import (
	_ "embed"
	"strings"
	"time"
)

//go:embed skeleton.yaml
var skeleton string

// Skeleton is a commented document to fill in. It has no mistakes as it stands.
func Skeleton(id, name, class string, day time.Time) string {
	platform := map[string]string{"pc": "windows", "mac": "macos"}[class]
	return strings.NewReplacer("{id}", id, "{name}", name, "{class}", class, "{platform}", platform, "{day}",
		day.Format(time.DateOnly)).Replace(skeleton)
}
