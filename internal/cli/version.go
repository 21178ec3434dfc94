package cli

import (
	"fmt"
	"runtime"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/internal/build"
)

// Version is what rolltop version prints.
type Version struct {
	Version  string `json:"version" doc:"Version of the program"`
	Go       string `json:"go" doc:"Version of Go that it was built with"`
	Platform string `json:"platform" doc:"Operating system and architecture"`
	Service  string `json:"service,omitempty" doc:"Version of the service; missing where none is configured, or it does not respond"`
}

func versionCommand() *cobra.Command {
	return command("version", "Print the version of this program, and of the service if one is configured", version)
}

func version(c *call[shown]) error {
	form, err := format(c.cmd)
	if err != nil {
		return err
	}
	v := Version{Version: build.Version, Go: runtime.Version(), Platform: runtime.GOOS + "/" + runtime.GOARCH}
	trouble := error(nil)
	if serviceKnown(c.cmd) {
		s, err := c.client()
		if err == nil {
			v.Service, err = s.Version(c.ctx())
		}
		trouble = err
	}
	if form == "json" {
		return printDocument(c.out(), "rolltop-version/1", v)
	}
	fmt.Fprintf(c.out(), "rolltop %s (%s, %s)\n", v.Version, v.Go, v.Platform)
	switch {
	case v.Service != "":
		fmt.Fprintf(c.out(), "service %s\n", v.Service)
	case trouble != nil:
		c.note("The version of the service is unknown: %v", trouble)
	}
	return nil
}
