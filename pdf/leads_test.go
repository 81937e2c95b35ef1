package pdf

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"readymargin/core/document"
	"readymargin/core/worksheet"
)

// book is a file of four pages with a contents list of two steps, and a first
// page whose words lead to the others and out of the file. Its second page is
// reached by a name, its third through an action. More stands in the last entry
// of the list.
func book(more string) []byte {
	page := func(annots string) string {
		return "<</Type/Page/Parent 2 0 R/MediaBox[0 0 595 842]/Resources<<>>" + annots + ">>"
	}
	link := func(y int, to string) string {
		return fmt.Sprintf("<</Type/Annot/Subtype/Link/Rect[60 %d 180 %d]%s>>", 842-y-20, 842-y, to)
	}
	item := func(title, to, more string) string {
		return fmt.Sprintf("<</Title(%s)/Parent 7 0 R%s%s>>", title, to, more)
	}
	return raw("",
		"<</Type/Catalog/Pages 2 0 R/Outlines 7 0 R/Dests<</secret[4 0 R/XYZ 0 742 0]>>>>",
		"<</Type/Pages/Count 4/Kids[3 0 R 4 0 R 5 0 R 6 0 R]>>",
		page("/Annots["+link(200, "/Dest[3 0 R/XYZ null 642 null]")+link(230, "/Dest/secret")+link(260, "/A<</S/GoTo/D[5 0 R/FitH 542]>>")+link(290, "/Dest[6 0 R/Fit]")+link(400, "/A<</S/URI/URI(https://margin.example/)>>")+"]"),
		page(""), page(""), page(""),
		/* 7 */ "<</Type/Outlines/First 8 0 R/Last 10 0 R/Count 4>>",
		/* 8 */ item("Contents", "/Dest[3 0 R/XYZ 0 742 0]", "/Next 9 0 R"),
		/* 9 */ item("Answers: the secret tide", "/Dest/secret", "/Prev 8 0 R/Next 10 0 R"),
		/* 10 */ item("Tide heights", "/A<</S/GoTo/D[5 0 R/XYZ 0 742 0]>>", "/Prev 9 0 R/First 11 0 R/Last 11 0 R/Count 1"),
		/* 11 */ item("The range", "/Dest[6 0 R/Fit]", more),
	)
}

// outlineOf is the contents list as qpdf reads it.
func outlineOf(t *testing.T, file []byte) (out []string) {
	t.Helper()
	name := filepath.Join(t.TempDir(), "book.pdf")
	if err := os.WriteFile(name, file, 0o644); err != nil {
		t.Fatal(err)
	}
	b, err := exec.Command("qpdf", "--json", "--json-key=outlines", name).Output()
	if err != nil {
		t.Fatalf("qpdf (apt-get install qpdf): %v", err)
	}
	type item struct {
		Title string `json:"title"`
		Page  int    `json:"destpageposfrom1"`
		Kids  []item `json:"kids"`
	}
	var all struct{ Outlines []item }
	if err := json.Unmarshal(b, &all); err != nil {
		t.Fatal(err)
	}
	var walk func(depth int, items []item)
	walk = func(depth int, items []item) {
		for _, i := range items {
			out = append(out, fmt.Sprintf("%d %s, page %d", depth, i.Title, i.Page))
			walk(depth+1, i.Kids)
		}
	}
	walk(0, all.Outlines)
	return out
}

// A contents list and links come along as far as they lead to pages that are
// handed out, and qpdf reads the same as we do; nothing tells of the others.
func TestWhatLeadsThroughAFile(t *testing.T) {
	ctx := context.Background()
	source := book("")
	if got := fmt.Sprint(outlineOf(t, source)); got != "[0 Contents, page 1 0 Answers: the secret tide, page 2 0 Tide heights, page 3 1 The range, page 4]" {
		t.Fatalf("the file that is handed in has %s", got)
	}
	for name, c := range map[string]struct {
		leaves  []document.PageRef
		outline string
		heads   string
		links   string
	}{
		"without a page": {
			[]document.PageRef{{Page: 1}, {Page: 3}, {Page: 4}},
			"[0 Contents, page 1 0 Tide heights, page 2 1 The range, page 3]",
			"[0: 0 Contents at 100; 1: 0 Tide heights at 100; 2: 1 The range at 0; ]",
			"[[60 200 180 220] to 1 at 200; [60 260 180 280] to 2 at 300; [60 290 180 310] to 3 at 0; ]",
		},
		"what is under an entry that goes moves up": {
			[]document.PageRef{{Page: 4}, {Page: 1}},
			"[0 Contents, page 2 0 The range, page 1]",
			"[0: 0 The range at 0; 1: 0 Contents at 100; ]",
			"[[60 200 180 220] to 2 at 200; [60 290 180 310] to 1 at 0; ]",
		},
		"nothing leads anywhere": {[]document.PageRef{{Page: 2, Turn: 90}}, "[0 Answers: the secret tide, page 1]", "[0: 0 Answers: the secret tide at 0; ]", "[]"},
	} {
		bound := must(pool.Assemble(ctx, [][]byte{source}, c.leaves))
		if got := fmt.Sprint(outlineOf(t, bound)); got != c.outline {
			t.Errorf("%s: qpdf reads %s, not %s", name, got, c.outline)
		}
		leads := must(pool.Leads(ctx, bound))
		pages := must(pool.Inspect(ctx, bound))
		guides := make([]worksheet.Guide, len(pages))
		leads.Guide(pages, guides)
		heads, links := "[", "["
		for i, g := range guides {
			for _, h := range g.Heads {
				heads += fmt.Sprintf("%d: %d %s at %v; ", i, h.Depth, h.Title, math.Round(h.Y))
			}
			for _, l := range g.Links {
				links += fmt.Sprintf("%.0f to %d at %v; ", l.Rect, l.Page, math.Round(l.Y))
			}
		}
		if heads+"]" != c.heads || links+"]" != c.links {
			t.Errorf("%s: %s] and %s], not %s and %s", name, heads, links, c.heads, c.links)
		}
	}
	round := must(pool.Assemble(ctx, [][]byte{book("/Next 11 0 R/First 9 0 R")}, []document.PageRef{{Page: 1}, {Page: 4}}))
	if got := fmt.Sprint(outlineOf(t, round)); got != "[0 Contents, page 1 0 The range, page 2]" {
		t.Errorf("a list that goes round in circles: %s", got)
	}
	if l := must(pool.Leads(ctx, must(pool.Assemble(ctx, [][]byte{aForm()}, []document.PageRef{{Page: 1}})))); len(l.Heads)+len(l.Links) > 0 {
		t.Errorf("a file without any has %+v", l)
	}
}
