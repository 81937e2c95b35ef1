package e2e

import (
	"bytes"
	"context"
	"path/filepath"
	"strings"
	"testing"

	"readymargin/e2e/held"
	"readymargin/e2e/house"
)

// What people print out of a browser has fonts whose letters are drawings;
// their words are those that pdftotext reads.
func TestWordsThatABrowserPrints(t *testing.T) {
	t.Parallel()
	p, err := chrome.Tab("about:blank", 900, 1200)
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	sheets, err := held.Sheets(p, filepath.Join(house.Root(), "core", "typeset", "fonts"))
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range sheets {
		if !bytes.Contains(s.PDF, []byte("/Type3")) {
			t.Errorf("%s has no font of drawings: it shows nothing", s.Name)
		}
		pages, err := home.Engine.Inspect(context.Background(), s.PDF)
		if err != nil {
			t.Fatal(err)
		}
		seen := map[string]int{}
		for _, page := range pages {
			for _, w := range page.Print.Words {
				seen[w.Text]++
			}
		}
		all, missed := 0, []string{}
		for _, w := range strings.Fields(textIn(t, s.PDF)) {
			if all++; seen[w] == 0 {
				missed = append(missed, w)
			}
			seen[w]--
		}
		if all < 20 || len(missed)*20 > all {
			t.Errorf("%s: of %d words that poppler reads these are not seen: %q", s.Name, all, missed)
		}
	}
}
