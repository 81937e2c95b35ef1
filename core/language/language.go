// Package language guesses in which language a text is written.
package language

import (
	"strings"
	"unicode"
)

// common are words that are frequent in a language and say which one it is. From
// memory; common practice, no source.
var common = map[string]string{
	"en": "the and of to in is that for with on are this be as at which from by it have was what write read your answer words each between how many",
	"de": "der die das und ist nicht ein eine mit auf für von den dem im zu sich auch wie schreibe lies deine antwort wörter welche zwischen aus bei wird sind",
	"fr": "le la les et est des une dans pour que sur avec pas du au ce qui par sont écris lis ta réponse mots chaque entre combien quel quelle vous ton",
	"es": "el los las y es una por para que con del se como en al más escribe lee respuesta palabras cada entre cuántos cuál qué su tu son",
	"it": "il gli e di che è una per con del della nel sono non scrivi leggi risposta parole ogni tra quanti quale come più",
	"pt": "o os as e é uma por para que com do da em não se como mais escreve lê resposta palavras cada entre quantos qual são",
	"nl": "de het een en van is dat op met voor zijn niet aan ook schrijf lees je antwoord woorden elke tussen hoeveel welke door",
	"sv": "och att det som en ett är på för med av inte den till skriv läs ditt svar ord varje mellan hur många vilken",
	"pl": "i w na jest nie że się do z to jak po od są napisz przeczytaj odpowiedź słowa każdy między ile który",
	"tr": "ve bir bu için ile de da ne çok olarak yaz oku cevap kelime her arasında kaç hangi",
}

var listed = func() map[string][]string {
	out := map[string][]string{}
	for tag, words := range common {
		for _, w := range strings.Fields(words) {
			out[w] = append(out[w], tag)
		}
	}
	return out
}()

// scripts say the language by themselves, or nearly.
var scripts = []struct {
	tag   string
	table *unicode.RangeTable
}{
	{"ja", unicode.Hiragana}, {"ja", unicode.Katakana}, {"ko", unicode.Hangul}, {"ar", unicode.Arabic}, {"he", unicode.Hebrew},
	{"hi", unicode.Devanagari}, {"th", unicode.Thai}, {"el", unicode.Greek}, {"ru", unicode.Cyrillic}, {"zh", unicode.Han},
}

// Guess returns the language of a text as a BCP 47 tag, "" where nothing tells.
func Guess(text string) string {
	letters, of := 0, map[string]int{}
	for _, r := range text {
		if !unicode.IsLetter(r) {
			continue
		}
		letters++
		for _, s := range scripts {
			if unicode.Is(s.table, r) {
				of[s.tag]++
				break
			}
		}
	}
	if of["ja"] > 0 && 10*of["ja"] > of["zh"] {
		of["ja"] += of["zh"]
	}
	if best, n := most(of); 3*n > letters && n > 0 {
		return best
	}
	scores := map[string]int{}
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) }) {
		for _, tag := range listed[w] {
			scores[tag] += 6 / len(listed[w]) // a word of several languages tells little
		}
	}
	best, n := most(scores)
	if n < 12 {
		return ""
	}
	return best
}

// most returns the tag with the most, the first in the alphabet of equals.
func most(of map[string]int) (best string, n int) {
	for tag, m := range of {
		if m > n || m == n && tag < best {
			best, n = tag, m
		}
	}
	return best, n
}
