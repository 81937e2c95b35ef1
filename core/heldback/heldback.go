// Package heldback notices the pages of a worksheet that are likely to hold
// its answers, so that a teacher can keep them from the students. It only
// proposes, and says why.
package heldback

import (
	"slices"
	"strings"
	"unicode"

	"readymargin/core/scan"
	"readymargin/core/words"
)

// A Kind is a way in which an answer page gives itself away.
type Kind string

const (
	Heading Kind = "heading" // it says so itself
	Filled  Kind = "filled"  // it repeats an earlier page with the blanks filled
	Written Kind = "written" // it is an earlier page with more written on it
)

// A Reason says why a page is likely to hold answers.
type Reason struct {
	Kind    Kind   `json:"kind"`
	Heading string `json:"heading,omitempty"` // the line that says so
	Of      int    `json:"of,omitempty"`      // the earlier page, from 1
}

// A Page is what is known of a page: its print, or, of a mere picture, where
// it has ink.
type Page struct {
	Print words.Page
	Ink   scan.Ink
}

// Propose returns the pages, from 1, that are likely to hold answers.
func Propose(pages []Page) map[int]Reason {
	out := map[int]Reason{}
	texts := make([][]string, len(pages))
	for i, sheet := range pages {
		p := sheet.Print
		texts[i] = letters(p)
		if line := heading(p); line != "" {
			out[i+1] = Reason{Kind: Heading, Heading: line}
			continue
		}
		for q := range i {
			if out[q+1].Kind != "" {
				continue // answers are not repeated by answers
			}
			kind := repeats(pages[q].Print, p, texts[q], texts[i])
			if kind == "" && sheet.Ink.Adds(pages[q].Ink) {
				kind = Written
			}
			if kind != "" {
				out[i+1] = Reason{Kind: kind, Of: q + 1}
				break
			}
		}
	}
	return out
}

// sure are phrases that mean answers wherever a heading has them; open ones
// mean many other things too, and count only as a heading of their own.
var (
	sure = []string{
		"answer key", "answer sheet key", "mark scheme", "marking scheme", "marking guide", "model answers", "worked solutions", "suggested answers",
		"lösungsblatt", "musterlösung", "musterlösungen", "erwartungshorizont", "lösungsschlüssel",
		"corrigé", "fiche corrigée", "éléments de réponse", "clave de respuestas", "solucionario", "hoja de respuestas correctas",
		"foglio delle soluzioni", "gabarito", "antwoordmodel", "uitwerkingen", "correctiemodel", "facit", "fasit", "klucz odpowiedzi",
	}
	open = []string{
		"answers", "solutions", "solution", "lösungen", "lösung", "réponses", "correction", "respuestas", "soluciones", "soluzioni", "risposte",
		"respostas", "soluções", "antwoorden", "lösningar", "løsninger", "odpowiedzi", "rozwiązania",
	}
	// after an open phrase these go on with what the answers are of
	of = []string{"to", "for", "of", "page", "zu", "zum", "zur", "aux", "à", "au", "a", "de", "del", "alle", "al", "do", "das", "bij", "op", "till", "til", "della", "delle", "des", "der", "du"}
)

// heading returns the line near the top of the page, or set in large letters,
// that says what the page is.
func heading(p words.Page) string {
	lines := linesOf(p)
	sizes := make([]float64, 0, len(lines))
	for _, l := range lines {
		sizes = append(sizes, l.size)
	}
	slices.Sort(sizes)
	for i, l := range lines {
		if i >= 4 && l.size < 1.25*sizes[len(sizes)/2] {
			continue
		}
		if len(l.words) <= 9 && saysAnswers(l.words) {
			return strings.Join(l.words, " ")
		}
	}
	return ""
}

type line struct {
	words []string
	size  float64
}

func linesOf(p words.Page) (out []line) {
	for _, ws := range words.Lines(p.Words) {
		var l line
		for _, w := range ws {
			l.words, l.size = append(l.words, w.Text), max(l.size, w.Rect().H())
		}
		out = append(out, l)
	}
	return out
}

func saysAnswers(ws []string) bool {
	plain := make([]string, len(ws))
	for i, w := range ws {
		plain[i] = strings.ToLower(strings.TrimFunc(w, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }))
	}
	text := strings.Join(plain, " ")
	for _, s := range sure {
		if strings.Contains(" "+text+" ", " "+s+" ") {
			return true
		}
	}
	for i, w := range plain {
		if !slices.Contains(open, w) {
			continue
		}
		before := i == 0 || strings.ContainsAny(ws[i-1][len(ws[i-1])-1:], ":-–—|/)") || strings.HasPrefix(ws[i], "(") || words.IsNumber(plain[i-1])
		// A phrase at the end of what it is about, or one that goes on with it.
		after := i == len(ws)-1 || slices.Contains(of, plain[i+1]) || words.IsNumber(plain[i+1]) ||
			strings.HasSuffix(ws[i], ":") && letterFirst(ws[i+1:]) || isDash(ws[i+1]) && letterFirst(ws[i+2:])
		if before && after {
			return true
		}
	}
	return false
}

func letterFirst(ws []string) bool {
	return len(ws) > 0 && strings.IndexFunc(ws[0], unicode.IsLetter) == 0
}

func isDash(w string) bool { return strings.Trim(w, "-–—|") == "" }

// letters returns the words of a page without the runs that are blanks.
func letters(p words.Page) (out []string) {
	for _, w := range p.Words {
		t := strings.ToLower(strings.Trim(w.Text, "_….·-–"))
		if t != "" {
			out = append(out, t)
		}
	}
	return out
}

const (
	fewest = 12   // words that a page must have to be recognised
	most   = 2000 // words of a page that are compared
	much   = 0.85 // of an earlier page's words
)

// repeats reports whether q's words come again on p, in their order, with
// more between them.
func repeats(earlier, p words.Page, q, text []string) Kind {
	if len(q) < fewest || len(text) < len(q)+2 || len(q) > most || len(text) > most || len(text) > 3*len(q) {
		return ""
	}
	if float64(common(q, text)) < much*float64(len(q)) || float64(inOrder(q, text)) < much*float64(len(q)) {
		return ""
	}
	if inPlace(earlier, p) >= much {
		return Written
	}
	if blanks(earlier) >= 2 && blanks(p) < blanks(earlier) {
		return Filled
	}
	return ""
}

// common counts the words of a that b has, in any order: a cheap bound.
func common(a, b []string) (n int) {
	have := map[string]int{}
	for _, w := range b {
		have[w]++
	}
	for _, w := range a {
		if have[w] > 0 {
			have[w]--
			n++
		}
	}
	return n
}

// inOrder is the length of the longest common subsequence.
func inOrder(a, b []string) int {
	row := make([]int, len(b)+1)
	for _, w := range a {
		diagonal := 0
		for j, v := range b {
			above := row[j+1]
			if w == v {
				row[j+1] = diagonal + 1
			} else {
				row[j+1] = max(above, row[j])
			}
			diagonal = above
		}
	}
	return row[len(b)]
}

// inPlace is the share of a's words that stand on b at the same place.
func inPlace(a, b words.Page) float64 {
	const near = 4 // points
	type key struct {
		text string
		x, y int
	}
	at := func(w words.Word) key { return key{w.Text, int(w.Box[0] / near), int(w.Baseline / near)} }
	have := map[key]bool{}
	for _, w := range b.Words {
		have[at(w)] = true
	}
	found := 0
	for _, w := range a.Words {
		k := at(w)
		for _, d := range [...][2]int{{0, 0}, {1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
			if have[key{k.text, k.x + d[0], k.y + d[1]}] {
				found++
				break
			}
		}
	}
	return float64(found) / float64(max(len(a.Words), 1))
}

// blanks counts the places to write that give themselves away by their look.
func blanks(p words.Page) (n int) {
	for _, w := range p.Words {
		if strings.Count(w.Text, "_") >= 3 || strings.Count(w.Text, "…") >= 2 || strings.Contains(w.Text, ".....") {
			n++
		}
	}
	return n + len(p.Rules)
}
