// Package pattern has regular expressions that are compiled when they are first used. The collector starts for a few
// milliseconds and needs almost none of those that it carries.
package pattern

import (
	"regexp"
	"sync"
)

// Of gives the regular expression of a text, which is compiled at the first call. A text that is none makes that call
// panic.
func Of(text string) func() *regexp.Regexp {
	return sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(text) })
}
