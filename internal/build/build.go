// Package build knows which version of Rolltop this is.
package build

// Version is set by the linker; a plain go build says “dev”.
var Version = "dev"
