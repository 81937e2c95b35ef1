package heldback

import (
	"strings"
	"testing"

	"readymargin/core/words"
)

// set lays text out as a page: a line a line, words six points a letter;
// a line that begins with # is set in large letters.
func set(text string) (p words.Page) {
	for n, l := range strings.Split(strings.TrimSpace(text), "\n") {
		size, y, x := 12.0, 60+20*float64(n), 50.0
		if strings.HasPrefix(l, "#") {
			l, size = strings.TrimSpace(l[1:]), 22
		}
		for _, w := range strings.Fields(l) {
			width := 6 * float64(len([]rune(w)))
			p.Words = append(p.Words, words.Word{Text: w, Line: n, Baseline: y, Box: [4]float64{x, y - size, x + width, y}})
			x += width + 6
		}
	}
	return p
}

const tides = `# Tide heights 2
1 Read the table and write the height of high water at Skerrymouth.
High water: ______ m at ______
2 The rule of twelfths says how much the tide rises in each hour.
In the third hour it rises by ______ m, in the sixth by ______ m.
3 Is there enough water over the bar at noon? ______ because ______`

const filled = `# Tide heights 2
1 Read the table and write the height of high water at Skerrymouth.
High water: 4.6 m at 11:42
2 The rule of twelfths says how much the tide rises in each hour.
In the third hour it rises by 0.9 m, in the sixth by 0.3 m.
3 Is there enough water over the bar at noon? Yes because 4.6 m less 1.2 m leaves more than the draught`

const other = `# Tide heights 3
1 Draw the curve of the tide between low water and high water on the squared paper.
2 How long may a boat with a draught of 1.8 m stay? ______ hours
3 Name two dangers near the harbour: ______ and ______
4 What does the pilot book say of the bar in strong winds from the east?`

// The sheets are invented; what publishers write over their answers is common
// practice, no source.
var sheets = []struct {
	name  string
	pages []string
	want  map[int]Kind
}{
	{"a plain worksheet", []string{tides, other}, nil},
	{"answers at the end", []string{tides, "Answers\n1 4.6 m\n2 0.9 m"}, map[int]Kind{2: Heading}},
	{"an answer key", []string{tides, other, "# Tide heights 2 and 3: answer key\n1 4.6"}, map[int]Kind{3: Heading}},
	{"mark scheme", []string{tides, "Coastal Navigation 1\nMark scheme for paper 2\n1 one point"}, map[int]Kind{2: Heading}},
	{"solutions to a number", []string{tides, "Solutions to worksheet 12\n1 4.6 m"}, map[int]Kind{2: Heading}},
	{"in brackets", []string{tides, "Tide heights 2 (answers)\n1 4.6 m"}, map[int]Kind{2: Heading}},
	{"German", []string{"Arbeitsblatt Gezeiten\nTrage die Lösungen in die Tabelle ein.", "Lösungen zum Arbeitsblatt\n1 4,6 m", "Erwartungshorizont\n1"}, map[int]Kind{2: Heading, 3: Heading}},
	{"French", []string{"Fiche d'exercices\nÉcris tes réponses au crayon.", "Corrigé de la fiche\n1 4,6 m"}, map[int]Kind{2: Heading}},
	{"Spanish", []string{"Ficha 3\nEscribe tus respuestas aquí", "Soluciones\n1 4,6 m"}, map[int]Kind{2: Heading}},
	{"Italian", []string{"Scheda 3\nScrivi le risposte sotto", "Soluzioni della scheda\n4,6 m"}, map[int]Kind{2: Heading}},
	{"a label for answers", []string{"Compito 3\nRisposte: ______", "Answers: ______ m\nand why"}, nil},
	{"Portuguese", []string{"Ficha", "Gabarito\n1 b"}, map[int]Kind{2: Heading}},
	{"Dutch", []string{"Werkblad 3", "Antwoorden bij werkblad 3"}, map[int]Kind{2: Heading}},
	{"Swedish", []string{"Arbetsblad\nSvar: ____", "Facit\n1 4,6"}, map[int]Kind{2: Heading}},
	{"Norwegian", []string{"Oppgaver\nSvar: ____", "Fasit til oppgavene"}, map[int]Kind{2: Heading}},
	{"Polish", []string{"Karta pracy", "Klucz odpowiedzi"}, map[int]Kind{2: Heading}},
	{"the same with blanks filled, set anew", []string{tides, strings.Replace(filled, "# Tide heights 2", "# Tide heights 2, for the teacher of the course", 1)}, map[int]Kind{2: Filled}},
	{"written on", []string{tides, tides + "\n4.6 m at 11:42, 0.9 m, 0.3 m, yes"}, map[int]Kind{2: Written}},
	{"the same with blanks filled, further down", []string{tides, "Coastal Navigation 1\nfor the teacher\n" + filled}, map[int]Kind{2: Filled}},
	{"asked to write answers", []string{"Write your answers in the boxes\n" + tides, "Check your answers with a friend\n" + other}, nil},
	{"about solutions", []string{"# Solutions and mixtures\n1 What is a solution? ______", "Short answers\nWrite one sentence for each."}, nil},
	{"a column of answers", []string{"Question Answers\n1 ______\n2 ______"}, nil},
	{"two copies of one page", []string{tides, tides}, nil},
	{"a second version", []string{tides, strings.ReplaceAll(tides, "third", "fourth")}, nil},
	{"a harder version with more to do", []string{tides, other + "\n" + other}, nil},
	{"nothing printed", []string{"", ""}, nil},
}

func TestLikelyAnswerPages(t *testing.T) {
	hits, missed, alarms := 0, 0, 0
	for _, s := range sheets {
		var pages []Page
		for _, text := range s.pages {
			pages = append(pages, Page{Print: set(text)})
		}
		got := Propose(pages)
		for n := 1; n <= len(pages); n++ {
			want, is := s.want[n], got[n].Kind
			switch {
			case want == is && want != "":
				hits++
			case want != "" && is == "":
				missed++
			case want == "" && is != "":
				alarms++
			}
			if want != is {
				t.Errorf("%s, page %d: %q, want %q (%+v)", s.name, n, is, want, got[n])
			}
		}
	}
	t.Logf("%d answer pages noticed, %d missed, %d false alarms", hits, missed, alarms)
}

func TestReasonsNameWhatWasSeen(t *testing.T) {
	got := Propose([]Page{{Print: set(tides)}, {Print: set(other)}, {Print: set(filled)}, {Print: set("Answer key, page 4")}})
	if r := got[3]; r.Of != 1 || len(got) != 2 {
		t.Errorf("%+v", got)
	}
	if r := got[4]; r.Heading != "Answer key, page 4" {
		t.Errorf("%+v", r)
	}
}
