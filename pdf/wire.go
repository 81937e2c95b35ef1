package pdf

import (
	"bytes"
	"encoding/binary"
	"encoding/gob"
	"encoding/json"
	"fmt"
	"io"

	"readymargin/core/document"
	"readymargin/core/elsewhere"
	"readymargin/core/mark"
	"readymargin/core/page"
	"readymargin/core/photograph"
	"readymargin/core/scan"
)

// A job goes to a worker as two frames: this header, and the file's bytes,
// which may be left out when the worker still has the file.
type job struct {
	Do       string             `json:"do"`             // see desk.do
	File     string             `json:"file"`           // a name for the bytes, unique to them
	Kept     bool               `json:"kept,omitempty"` // the worker has them
	Limits   document.Limits    `json:"limits"`
	Page     int                `json:"page,omitempty"`
	Scale    float64            `json:"scale,omitempty"`  // pixels per point
	Lean     float64            `json:"lean,omitempty"`   // radians by which the page leans, clockwise
	Light    bool               `json:"light,omitempty"`  // for slow lines
	Other    int                `json:"other,omitempty"`  // page of the second file
	Hashes   []string           `json:"hashes,omitempty"` // of the pictures behind a file that is printed
	Sizes    []int              `json:"sizes,omitempty"`  // of several files that come as one
	Leaves   []document.PageRef `json:"leaves,omitempty"`
	Blind    bool               `json:"blind,omitempty"`   // pages that are only pictures are not looked at
	Boxes    []page.Box         `json:"boxes,omitempty"`   // of the file's pages
	Ties     []photograph.Tie   `json:"ties,omitempty"`    // what is known of a page in a picture of it
	Turns    []int              `json:"turns,omitempty"`   // of pages, in degrees clockwise
	Gone     []elsewhere.Place  `json:"gone,omitempty"`    // annotations that are to go
	Size     page.Point         `json:"size,omitzero"`     // of the page that a picture shows, in points
	Painting document.Painting  `json:"painting,omitzero"` // how a picture is painted anew
}

// A result comes back as two frames: this header, and bytes if there are any.
type result struct {
	Compiled bool              `json:"compiled,omitempty"` // said first, by a worker that had to compile the engine
	Error    string            `json:"error,omitempty"`
	Pages    []document.Page   `json:"pages,omitempty"`
	Type     string            `json:"type,omitempty"`
	Fonts    [][]string        `json:"fonts,omitempty"` // of each page
	Ink      *scan.Ink         `json:"ink,omitempty"`
	Carried  *document.Carried `json:"carried,omitempty"`
	Copy     uint64            `json:"copy,omitempty"`
	Parts    []document.Part   `json:"parts,omitempty"`
	Leads    *document.Leads   `json:"leads,omitempty"`
	Codes    []document.Code   `json:"codes,omitempty"`
	Count    int               `json:"count,omitempty"` // of pages
}

// What is exported goes to a worker as a part of its own, before the pictures:
// marks are many numbers, and JSON takes longer over them than printing does.
func init() {
	for _, b := range mark.Bodies() {
		gob.Register(b)
	}
}

func packExport(what document.Export) ([]byte, error) {
	what.Pictures = nil // which follow as they are
	return encoded(what)
}

func encoded(v any) ([]byte, error) {
	var b bytes.Buffer
	err := gob.NewEncoder(&b).Encode(v)
	return b.Bytes(), err
}

func unpackExport(b []byte) (what document.Export, err error) {
	err = gob.NewDecoder(bytes.NewReader(b)).Decode(&what)
	return what, err
}

// maxFrame bounds what either side believes of the other.
const maxFrame = 512 << 20

func writeFrame(w io.Writer, b []byte) error {
	if err := binary.Write(w, binary.BigEndian, uint32(len(b))); err != nil {
		return err
	}
	_, err := w.Write(b)
	return err
}

func readFrame(r io.Reader) ([]byte, error) {
	var n uint32
	if err := binary.Read(r, binary.BigEndian, &n); err != nil {
		return nil, err
	}
	if n > maxFrame {
		return nil, fmt.Errorf("pdf: frame of %d bytes", n)
	}
	b := make([]byte, n)
	_, err := io.ReadFull(r, b)
	return b, err
}

func writeMessage(w io.Writer, header any, body []byte) error {
	h, err := json.Marshal(header)
	if err != nil {
		return err
	}
	if err := writeFrame(w, h); err != nil {
		return err
	}
	return writeFrame(w, body)
}

func readMessage(r io.Reader, header any) (body []byte, err error) {
	h, err := readFrame(r)
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(h, header); err != nil {
		return nil, err
	}
	return readFrame(r)
}
