package release

import (
	"encoding/json"
	"fmt"

	"rolltop.example/rolltop/core/doc"
)

// BundleFormat is the value of the key “format” of a bundle.
const BundleFormat = "rolltop-bundle/1"

// Bundle is a release document together with the files it names, each as it
// was written: what is handed to the service, and what the service hands out.
type Bundle struct {
	Format   string       `json:"format" enum:"rolltop-bundle/1"`
	Document doc.Body     `json:"document" doc:"The release document as it was written" maxLength:"8388608"`
	Files    []BundleFile `json:"files,omitempty"`
}

// BundleFile is one file beside the document.
type BundleFile struct {
	Name string   `json:"name" maxLength:"100"`
	Text doc.Body `json:"text" maxLength:"8388608"`
}

func (b *Bundle) file(name string) ([]byte, error) {
	for i := range b.Files {
		if b.Files[i].Name == name {
			return []byte(b.Files[i].Text), nil
		}
	}
	return nil, fmt.Errorf("the bundle does not hold it")
}

// Pack puts a document and the files it names together. A document that names
// none stays as it is. A document with mistakes is packed too, with the files
// that can be found: reading it says what is wrong.
func Pack(name string, src []byte, files Files) ([]byte, error) {
	if b, err := readBundle(name, src); err != nil || b != nil {
		return src, err
	}
	d := new(Document)
	if _, _, err := doc.Open(name, src, Format, d); err != nil {
		return nil, err
	}
	b := Bundle{Format: BundleFormat, Document: doc.Body(src)}
	add := func(file string, valid bool) {
		if !valid || files == nil {
			return
		}
		if text, err := files(file); err == nil {
			b.Files = append(b.Files, BundleFile{file, doc.Body(text)})
		}
	}
	for i := range d.Lists {
		add(d.Lists[i].File, ValidFile(d.Lists[i].File))
	}
	for i := range d.Pages {
		add(d.Pages[i].File, ValidPageFile(d.Pages[i].File))
	}
	if b.Files == nil {
		return src, nil
	}
	return json.Marshal(b)
}

// Unpack parts what Pack put together; a document by itself has no files.
func Unpack(name string, src []byte) (*Bundle, error) {
	b, err := readBundle(name, src)
	if b == nil && err == nil {
		b = &Bundle{Format: BundleFormat, Document: doc.Body(src)}
	}
	return b, err
}

// readBundle reads a bundle, or returns nil where src is none. Bundles are
// JSON, written by programs.
func readBundle(name string, src []byte) (*Bundle, error) {
	var head struct {
		Format string `json:"format"`
	}
	if len(src) == 0 || src[0] != '{' || json.Unmarshal(src, &head) != nil || head.Format != BundleFormat {
		return nil, nil
	}
	b := new(Bundle)
	if err := doc.Decode(name, src, b); err != nil {
		return nil, err
	}
	return b, nil
}
