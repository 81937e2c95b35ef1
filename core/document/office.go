package document

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
)

// A Replaced is a font that a document asks for and that is not here: With
// stands in its place, on Pages (from 1).
type Replaced struct {
	Font  string
	With  string
	Pages []int
}

// String says it in a sentence.
func (r Replaced) String() string {
	pages := make([]string, len(r.Pages))
	for i, p := range r.Pages {
		pages[i] = strconv.Itoa(p)
	}
	word := "page"
	if len(pages) > 1 {
		word = "pages"
	}
	return fmt.Sprintf("%s is not here; %s stands in its place on %s %s.", r.Font, r.With, word, strings.Join(pages, ", "))
}

// What can be wrong with an office document. Each is one sentence for people; see web.
var (
	ErrNoOffice   = errors.New("office: LibreOffice is not installed")
	ErrNoRooms    = errors.New("office: this machine gives no rooms to run LibreOffice in")
	ErrOffice     = errors.New("office: the document cannot be read")
	ErrOfficeSize = errors.New("office: the document is too large inside")
	ErrOfficeTime = errors.New("office: the document takes too long")
)

// A Converted is an office document as PDF, with the names of the fonts it asks for.
type Converted struct {
	PDF   []byte
	Fonts []string
}
