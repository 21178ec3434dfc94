package capture

import (
	"encoding/base64"
	"encoding/json"

	"rolltop.example/rolltop/core/doc"
)

// Bytes is raw bytes, base64 in documents.
type Bytes []byte

// MarshalJSON writes base64.
func (b Bytes) MarshalJSON() ([]byte, error) {
	return json.Marshal(base64.StdEncoding.EncodeToString(b))
}

// DecodeDoc reads base64.
func (b *Bytes) DecodeDoc(n *doc.Node, r *doc.Report) {
	raw, err := base64.StdEncoding.DecodeString(n.Text)
	if err != nil || n.Kind == doc.List || n.Kind == doc.Map {
		r.Add(n, "the value is not valid base64", "raw bytes are written as base64 text")
		return
	}
	*b = raw
}
