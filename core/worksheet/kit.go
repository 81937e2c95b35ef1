package worksheet

import (
	"encoding/json"
	"errors"
	"regexp"
	"slices"
	"strings"
)

// A Kit is what lies beside a worksheet for the work on it.
type Kit struct {
	Key   []Meaning `json:"key,omitempty"`
	Shelf []Picture `json:"shelf,omitempty"`
	Words []Word    `json:"words,omitempty"` // that the teacher explains
	Lang  string    `json:"lang,omitempty"`  // of the worksheet, BCP 47; "" for as it is found
	Light bool      `json:"light,omitempty"` // scans and photographs come over the line more roughly
}

// A Word is one of the sheet's that the teacher explains.
type Word struct {
	Word    string `json:"word"`
	Means   string `json:"means,omitempty"`
	Picture string `json:"picture,omitempty"` // of the shelf, by its hash
}

// A Meaning is what a colour stands for, with a sign of its own, so that
// nobody has to tell colours apart.
type Meaning struct {
	Name  string `json:"name"`
	Color string `json:"color"`           // #rrggbb
	Sign  string `json:"sign"`            // one to three letters
	Shape Shape  `json:"shape,omitempty"` // what carries it
}

// A Shape is the kind of mark that carries a meaning.
type Shape string

// Shapes lists them; the empty one stands for every kind of mark.
var Shapes = []Shape{"", "highlight", "underline", "circle", "box"}

// A Picture is one that students may lay on the sheet.
type Picture struct {
	Name   string  `json:"name"`
	Hash   string  `json:"hash"` // of its blob
	Width  float64 `json:"w"`    // pixels
	Height float64 `json:"h"`
}

// ErrKit says that a colour key or a picture shelf cannot be.
var ErrKit = errors.New("worksheet: a colour key or a picture shelf that cannot be")

// tag matches a language as BCP 47 writes it, and none.
var tag = regexp.MustCompile(`^(?:[a-zA-Z]{2,8}(?:-[a-zA-Z0-9]{1,8}){0,4})?$`)

// Spoken returns guides in the language that the kit says, where it says one.
func (k Kit) Spoken(guides []Guide) []Guide {
	if k.Lang != "" {
		for i := range guides {
			guides[i].Lang = k.Lang
		}
	}
	return guides
}

// Check says what is wrong with the kit, or nil: every meaning needs a name
// and a sign, and no two may share a name, a sign, or a colour for the same
// kind of mark.
func (k Kit) Check() error {
	if len(k.Key) > 24 || len(k.Shelf) > 60 || len(k.Words) > 200 || !tag.MatchString(k.Lang) {
		return ErrKit
	}
	seen := map[string]bool{}
	for _, m := range k.Key {
		name, sign := strings.TrimSpace(m.Name), strings.TrimSpace(m.Sign)
		if name == "" || sign == "" || !short(40, name) || !short(3, sign) || !m.colored() || !m.Shape.known() {
			return ErrKit
		}
		for _, once := range []string{"name " + strings.ToLower(name), "sign " + sign, "look " + m.Color + string(m.Shape)} {
			if seen[once] {
				return ErrKit
			}
			seen[once] = true
		}
	}
	for _, p := range k.Shelf {
		if p.Name == "" || !short(maxWords, p.Name) || len(p.Hash) != 64 || p.Width < 1 || p.Height < 1 {
			return ErrKit
		}
	}
	for _, w := range k.Words {
		pictured := w.Picture == "" || slices.ContainsFunc(k.Shelf, func(p Picture) bool { return p.Hash == w.Picture })
		if strings.TrimSpace(w.Word) == "" || !short(60, w.Word) || !short(400, w.Means) || !pictured {
			return ErrKit
		}
	}
	return nil
}

func (m Meaning) colored() bool {
	return len(m.Color) == 7 && m.Color[0] == '#' && strings.Trim(m.Color[1:], "0123456789abcdef") == ""
}

func (s Shape) known() bool {
	for _, k := range Shapes {
		if s == k {
			return true
		}
	}
	return false
}

// ParseKit reads a kit as String wrote it; nothing is an empty kit.
func ParseKit(s string) (k Kit, err error) {
	if s == "" {
		return k, nil
	}
	err = json.Unmarshal([]byte(s), &k)
	return k, err
}

// String returns the kit as JSON.
func (k Kit) String() string {
	b, err := json.Marshal(k)
	if err != nil {
		return "" // words and numbers always marshal
	}
	return string(b)
}
