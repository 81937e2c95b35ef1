package blank

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// A Task is how a question is answered by marks on the page and not in words.
type Task string

const (
	Options Task = "options" // one or several of what is printed are taken
	Pairs   Task = "pairs"   // things are joined by lines
	Words   Task = "words"   // words in a text are marked
	Draw    Task = "draw"    // something is drawn
	Colour  Task = "colour"  // something is shaded or coloured in
)

// What a question tells one to do, by how the words begin, in English, German,
// French and Spanish. Common practice, no source: collected from worksheets.
var (
	toWrite = stems("write fill complete explain calculate work schreib ergänz beantwort erklär berechn écri compl répond expliqu calcul escrib contest respond explic")
	toMark  = stems("underlin highlight circl ring mark cross unterstreich markier kreis umkreis streich soulign surlign entour encercl barr subray rode marca tach")
	toTake  = stems("tick choos select kreuz wähl coch choisi elig escog")
	toJoin  = stems("match connect join link pair verbind ordne reli associ une uni relacion conect")
	toShade = stems("shade colour color hatch färb schraffier mal colori hachur sombre")
	toDraw  = stems("draw sketch plot zeichn skizzier konstruier dessin trac dibuj traza")

	ofWords   = stems("word verb noun adjective adverb pronoun preposition sentence phrase mistake error letter syllabl wort wört nomen adjektiv satz sätze fehler buchstab silbe mot nom faute lettre palabra sustantiv adjetiv oraci frase falta letra sílaba")
	ofOptions = stems("answer option picture image correct right true false best antwort bild richtig falsch répons bonne juste vrai faux respuest opci imagen verdader fals")
	ofLines   = stems("line row sentence zeile reihe satz ligne phrase línea fila frase")
	forEach   = stems("each every jede chaque cada")
	lines     = stems("line linie strich trait ligne línea raya")

	numbersInWords = map[string]int{
		"one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9, "ten": 10, "eleven": 11, "twelve": 12,
		"ein": 1, "eine": 1, "einen": 1, "zwei": 2, "drei": 3, "vier": 4, "fünf": 5, "sechs": 6, "sieben": 7, "acht": 8, "neun": 9, "zehn": 10, "elf": 11, "zwölf": 12,
		"un": 1, "deux": 2, "trois": 3, "quatre": 4, "cinq": 5, "sept": 7, "huit": 8, "neuf": 9, "dix": 10, "onze": 11, "douze": 12,
		"una": 1, "dos": 2, "tres": 3, "cuatro": 4, "cinco": 5, "seis": 6, "siete": 7, "ocho": 8, "nueve": 9, "diez": 10, "once": 11, "doce": 12,
	}
)

func stems(s string) []string { return strings.Fields(s) }

func begins(word string, with []string) bool {
	return slices.ContainsFunc(with, func(s string) bool { return strings.HasPrefix(word, s) })
}

// TaskOf tells from what a question says how it is answered by marks: "" where
// it is not plain. Count is how many marks it asks for, 0 where it does not
// say; with each it is for every line of what follows.
func TaskOf(text string) (task Task, count int, each bool) {
	const far = 24 // words; what comes later is a text to be worked on
	said := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune(",;()“”\"", r) })
	said = said[:min(len(said), far)]
	verb, first := -1, true // a verb leads a sentence, or follows "and"
	var has [2]bool         // words, options
	for i, w := range said {
		full := strings.ContainsAny(w[len(w)-1:], ".:!?")
		w = strings.TrimRight(w, ".:!?")
		said[i] = w
		switch {
		case begins(w, toWrite):
			return "", 0, false
		case verb < 0 && first:
			if task = taskBy(w, said[i+1:]); task != "" {
				verb = i
			}
		case verb >= 0 && begins(w, ofOptions):
			has[1] = true
		case verb >= 0 && begins(w, ofWords):
			has[0] = true
		}
		first = full || w == "and" || w == "then" || w == "und" || w == "et" || w == "y"
		if full && verb >= 0 {
			said = said[:i+1]
			break
		}
	}
	if verb < 0 {
		return "", 0, false
	}
	switch marking := begins(said[verb], toMark); {
	case (marking || task == Colour) && has[0] && !has[1]:
		task = Words
	case marking && has[1]:
		task = Options
	case marking:
		return "", 0, false // a name, a figure
	}
	for _, w := range said[verb+1 : min(len(said), verb+5)] {
		n, err := strconv.Atoi(w)
		if err != nil {
			n = numbersInWords[w]
		}
		if n > 0 && n <= 60 && (n > 1 || task == Options || task == Words) {
			count = n
			break
		}
	}
	for i, w := range said {
		each = each || begins(w, forEach) && i+1 < len(said) && begins(said[i+1], ofLines)
	}
	if task != Words && task != Options {
		count, each = 0, false // three lines may be drawn in one
	}
	return task, count, each
}

// Picks reports whether a question begins with a verb by which one of what is printed is
// taken or marked, as "Circle the mark that …" does.
func Picks(text string) bool {
	first, _, _ := strings.Cut(strings.ToLower(strings.TrimSpace(text)), " ")
	return begins(first, toMark) || begins(first, toTake)
}

func taskBy(verb string, after []string) Task {
	switch {
	case begins(verb, toJoin):
		return Pairs
	case begins(verb, toDraw):
		if slices.ContainsFunc(after[:min(len(after), 3)], func(w string) bool { return begins(w, lines) }) &&
			slices.ContainsFunc(after, func(w string) bool {
				return slices.Contains([]string{"from", "to", "between", "match", "connect", "join", "zwischen", "zu", "entre", "pour", "para"}, w)
			}) {
			return Pairs
		}
		return Draw
	case begins(verb, toMark), begins(verb, toTake):
		return Options
	case begins(verb, toShade):
		return Colour
	}
	return ""
}
