package store

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"time"

	"github.com/klauspost/compress/s2"
	"golang.org/x/crypto/blake2b"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
)

// packed is an inventory as it is kept.
func (s *database) packed(d *inventory.Document, text []byte) (sha, packed []byte, err error) {
	s.coming.Add(1)
	defer s.coming.Add(-1)
	s.making <- struct{}{}
	defer func() { <-s.making }()
	body, err := bodyOf(d, text)
	if err == nil {
		sha, err = readingsHash(d, body)
	}
	if err != nil {
		return nil, nil, err
	}
	return sha, compress(body), nil
}

// quick marks an inventory that is packed for speed, by its first byte: no zstd frame
// begins so (RFC 8878, section 3.1.1).
const quick = 1

// compress packs an inventory. Many come at once, and zstd takes four times as long for
// bodies that are a quarter smaller.
func compress(body []byte) []byte {
	out := make([]byte, 1+s2.MaxEncodedLen(len(body)))
	out[0] = quick
	return out[:1+len(s2.Encode(out[1:], body))]
}

// unsqueeze reads what squeeze packed, or zstd as versions before it did.
func (s *database) unsqueeze(packed []byte) ([]byte, error) {
	if len(packed) == 0 || packed[0] != quick {
		return s.unpack.DecodeAll(packed, nil)
	}
	if n, err := s2.DecodedLen(packed[1:]); err != nil || n > maxUnpacked {
		return nil, fmt.Errorf("it is damaged: %w", cmp.Or(err, s2.ErrTooLarge))
	}
	return s2.Decode(nil, packed[1:])
}

// bodyOf is the document as it is kept: what came, without its blanks, so that what was
// said can be shown as it was said and need not be written again.
func bodyOf(d *inventory.Document, text []byte) ([]byte, error) {
	if !doc.IsJSON(text) {
		return json.Marshal(d)
	}
	return unspaced(text), nil
}

// unspaced leaves out the blanks of JSON that has no mistakes, outside of its texts. What
// has none is given back as it is.
func unspaced(text []byte) []byte {
	var out []byte
	kept := 0 // of text, what is in out
	for at := 0; at < len(text); {
		quote := bytes.IndexByte(text[at:], '"')
		if quote < 0 {
			quote = len(text) - at
		}
		for end := at + quote; at < end; {
			if text[at] > ' ' {
				at++
				continue
			}
			out = append(out, text[kept:at]...)
			for at < end && text[at] <= ' ' {
				at++
			}
			kept = at
		}
		at = behindText(text, at)
	}
	if kept == 0 {
		return text
	}
	return append(out, text[kept:]...)
}

// behindText is the place behind a text that begins at a quote.
func behindText(json []byte, at int) int {
	for at++; at < len(json); {
		next := bytes.IndexByte(json[at:], '"')
		if next < 0 {
			break
		}
		end := at + next
		slashes := 0
		for end-slashes > at && json[end-slashes-1] == '\\' {
			slashes++
		}
		if at = end + 1; slashes%2 == 0 { // an escaped quote ends nothing
			return at
		}
	}
	return len(json)
}

// readingsHash covers what was read and not when: the document without its times.
// body is the document; where its times stand in the usual places they are cut out of
// it, which gives the same hash as writing it again without them. It is BLAKE2b
// (RFC 7693), three times as fast as SHA-256 where the processor does not help with that.
func readingsHash(d *inventory.Document, body []byte) ([]byte, error) {
	h, err := blake2b.New256(nil)
	if err != nil {
		return nil, err // it is for keys
	}
	if withoutTimes(d, body, h) {
		return h.Sum(nil), nil
	}
	c := *d
	c.TakenAt, c.Collector.DurationMS = time.Time{}, inventory.Opt[int64]{}
	b, err := json.Marshal(&c)
	if err != nil {
		return nil, err
	}
	_, _ = h.Write(b)
	return h.Sum(nil), nil
}

// withoutTimes writes a document without its times; false, and nothing, where they stand
// elsewhere.
func withoutTimes(d *inventory.Document, body []byte, to io.Writer) bool {
	const taken, none = `"taken_at":"`, `0001-01-01T00:00:00Z`
	from := bytes.Index(body[:min(len(body), 100)], []byte(taken))
	if from < 0 {
		return false
	}
	from += len(taken)
	end := bytes.IndexByte(body[from:], '"')
	if end < 0 {
		return false
	}
	rest := body[from+end:]
	var before []byte
	if ms, timed := d.Collector.DurationMS.Get(); timed {
		// It is the last of the collector's, behind another one.
		duration := strconv.AppendInt([]byte(`,"duration_ms":`), ms, 10)
		at := bytes.Index(rest[:min(len(rest), 400)], append(duration, '}'))
		if at < 0 {
			return false
		}
		before, rest = rest[:at], rest[at+len(duration):]
	}
	for _, part := range [][]byte{body[:from], []byte(none), before, rest} {
		_, _ = to.Write(part) // a hash takes all
	}
	return true
}
