package expect

import (
	"fmt"
	"hash/fnv"
	"slices"
)

// places is how many bytes of a long text are damaged, at least.
const places = 400

// Damage damages bytes in many ways and reads each: cut at every end, and with every byte changed in four ways, or some
// of them where there are many. It gives a sum over all that read says, and how often that was an error. read gives
// what it read as text, or an error.
func Damage(whole []byte, read func([]byte) (string, error)) string {
	sum, tried, refused := fnv.New64a(), 0, 0
	try := func(b []byte) {
		text, err := read(b)
		if tried++; err != nil {
			refused++
		}
		fmt.Fprintf(sum, "%s %v\n", text, err)
	}
	try(whole)
	step := max(1, len(whole)/places)
	for at := 0; at < len(whole); at += step {
		try(whole[:at:at])
		for _, is := range []byte{0, 0xFF, whole[at] + 1, whole[at] ^ 0x40} {
			b := slices.Clone(whole)
			b[at] = is
			try(b)
		}
	}
	return fmt.Sprintf("%016x, %d of %d refused", sum.Sum64(), refused, tried)
}
