package main

import (
	"encoding/json"
	"errors"
	"io"
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// arrows says which of the project's rooms a room may import. "core" stands
// for every package below core, and "/..." for all below a room.
var arrows = map[string][]string{
	"core":                  {"core"},
	"confine":               {},
	"queue":                 {},
	"pdf":                   {"core", "confine", "queue"},
	"sound":                 {"core", "confine", "queue"},
	"office":                {"core", "confine", "queue"},
	"photo":                 {"core", "confine", "queue"},
	"tesseract":             {"core", "confine", "queue"},
	"pdf/pdftest":           {"core"},
	"practice":              {"core"},
	"school":                {"core"},
	"school/enrol":          {"core", "queue", "school"},
	"school/intake":         {"core", "school"},
	"school/shelf":          {"core", "queue", "school", "school/intake", "school/jobs", "practice"},
	"school/assign":         {"core", "school", "school/shelf"},
	"school/live":           {"core", "school"},
	"school/aloud":          {"core", "school"},
	"school/dictate":        {"core", "school", "school/shelf", "school/work"},
	"pocketsphinx":          {"core", "confine", "queue"},
	"school/lookup":         {"core", "school", "school/shelf"},
	"dictionary":            {"core"},
	"school/screen":         {"core", "school", "school/shelf"},
	"school/work":           {"core", "school", "school/intake", "school/shelf", "school/assign", "school/screen"},
	"school/feedback":       {"core", "school", "school/enrol", "school/assign", "school/shelf", "school/screen"},
	"school/markbook":       {"core", "school", "school/shelf", "school/feedback"},
	"school/takeaway":       {"core", "school", "school/intake", "school/markbook", "school/shelf", "school/screen", "school/work"},
	"school/jobs":           {"queue", "school"},
	"school/administer":     {"core", "school"},
	"school/classline":      {"core", "school", "school/intake"},
	"school/notices":        {"school", "school/jobs"},
	"mail":                  {"school/notices"},
	"recogniser":            {"core"},
	"voice":                 {"core", "voice/child"},
	"voice/child":           {"core", "voice/espeak", "voice/flite"},
	"voice/espeak":          {"core"},
	"voice/flite":           {"core"},
	"cmd/readymargin-voice": {"voice/child"},
	"standin/recogniser":    {"core"},
	"standin/mailserver":    {},
	"school/services":       {"core", "school/..."},
	"store":                 {"core", "queue", "school/..."},
	"store/mariadb":         {},
	"store/storetest":       {"core", "school/..."},
	"web":                   {"core", "queue", "school/..."},
	"web/bundle":            {},
	"web/corewasm":          {"core"},
	"demo":                  {"core", "school/...", "pdf", "sound"},
	"cmd/readymargin":       {"core", "school/...", "store", "store/mariadb", "web", "pdf", "sound", "office", "photo", "confine", "demo", "mail", "standin/mailserver", "recogniser", "voice", "voice/espeak", "dictionary", "tesseract", "pocketsphinx"},
	"e2e":                   {"pdf/pdftest", "core", "school/...", "demo", "web", "e2e/browser", "e2e/house"},
	"e2e/browser":           {},
	"e2e/house":             {"tesseract", "standin/mailserver", "standin/recogniser", "core", "school/...", "store", "store/mariadb", "web", "pdf", "sound", "office", "photo"},
	"e2e/held":              {"core", "e2e/browser"},
	"e2e/corpus":            {"core", "pdf", "school/...", "e2e/house"},
	"e2e/shots":             {"demo", "e2e/browser", "e2e/house", "standin/recogniser"},
	"e2e/engines":           {"core", "demo", "store/mariadb", "e2e/house"},
	"e2e/bench":             {"pocketsphinx", "tesseract", "voice", "core", "school/...", "web", "demo", "pdf", "e2e/browser", "e2e/held", "e2e/house"},
}

// computation is what core may import beside the standard library.
var computation = []string{"github.com/tdewolff/font", "github.com/go-text/", "golang.org/x/", "github.com/tdewolff/", "gonum.org/v1/gonum/"}

type listed struct {
	ImportPath string
	Imports    []string
	Deps       []string
	Standard   bool
}

func list(t *testing.T, env ...string) []listed {
	t.Helper()
	cmd := exec.Command("go", "list", "-e", "-json=ImportPath,Imports,Deps,Standard", "readymargin/...")
	cmd.Env = append(cmd.Environ(), env...)
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	var all []listed
	for d := json.NewDecoder(strings.NewReader(string(out))); ; {
		var p listed
		if err := d.Decode(&p); errors.Is(err, io.EOF) {
			return all
		} else if err != nil {
			t.Fatal(err)
		}
		all = append(all, p)
	}
}

func room(path string) string {
	r := strings.TrimPrefix(path, "readymargin/")
	if strings.HasPrefix(r, "core/") {
		return "core"
	}
	return r
}

func TestArrowsOfImportPointOneWay(t *testing.T) {
	all := append(list(t), list(t, "GOOS=js", "GOARCH=wasm")...)
	for _, p := range all {
		from := room(p.ImportPath)
		allowed, known := arrows[from]
		if !known {
			t.Errorf("%s has no place in the house: add it to the table, or move it", p.ImportPath)
			continue
		}
		for _, i := range p.Imports {
			switch {
			case strings.HasPrefix(i, "readymargin/"):
				if !slices.ContainsFunc(allowed, func(a string) bool { return reaches(a, room(i)) }) {
					t.Errorf("%s must not import %s", p.ImportPath, i)
				}
			case from == "core" && strings.Contains(i, ".") && !hasPrefix(computation, i):
				t.Errorf("%s imports %s: core is the standard library and pure computation alone", p.ImportPath, i)
			case from == "core" && hasPrefix([]string{"net/http", "database/sql", "html"}, i):
				t.Errorf("%s imports %s: core knows no HTTP, SQL or HTML", p.ImportPath, i)
			}
		}
	}
	for _, p := range all {
		if from := room(p.ImportPath); from != "core" && from != "store" && from != "web" && !reaches("school/...", from) {
			continue
		}
		for _, d := range p.Deps {
			if strings.Contains(d, "pdfium") || strings.Contains(d, "pdfcpu") || strings.Contains(d, "wazero") {
				t.Errorf("%s links %s: strangers' files are read in children", p.ImportPath, d)
			}
		}
	}
	if len(all) < 20 {
		t.Fatalf("only %d packages were seen", len(all))
	}
}

// reaches reports whether a room is allowed by its name, or with all below it.
func reaches(allowed, room string) bool {
	above, all := strings.CutSuffix(allowed, "/...")
	return room == above || all && strings.HasPrefix(room, above+"/")
}

func hasPrefix(prefixes []string, s string) bool {
	for _, p := range prefixes {
		if strings.HasPrefix(s, p) {
			return true
		}
	}
	return false
}
