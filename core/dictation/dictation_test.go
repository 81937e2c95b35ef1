package dictation

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"

	"readymargin/core/speech"
)

var sheet = []string{"Tide heights at Skerry Sound", "Low water falls at 05:12 (0.9 m) and high water at 11:30.", "The white tower leads in on 214°. Keep clear of the Carrick rocks."}

func TestHowItIsSaid(t *testing.T) {
	for passage, want := range map[string]string{
		"4.5 m":                "four point five metres",
		"The depth is 2.1 m.":  "the depth is two point one metres",
		"214°":                 "two hundred and fourteen degrees",
		"1,200 kg":             "one thousand two hundred kilograms",
		"1 001":                "one one",
		"2005 l":               "two thousand and five litres",
		"05:12":                "five twelve",
		"low-water ______ m²":  "low water square metres",
		"Überfahrt, and so on": "and so on",
		"____":                 "",
	} {
		got := ""
		if ways := Spoken(passage); len(ways) > 0 {
			got = strings.Join(ways[0], " ")
		}
		if got != want {
			t.Errorf("%q is said %q, want %q", passage, got, want)
		}
	}
	if ways := Spoken("at 08:20 on 214°"); len(ways) != 6 || !slices.Equal(ways[len(ways)-1], strings.Fields("at zero eight twenty on two one four degrees")) && !slices.ContainsFunc(ways, func(w []string) bool { return strings.Join(w, " ") == "at oh eight twenty on two one four degrees" }) {
		t.Errorf("a time and a bearing are said %q", ways)
	}
}

func TestHowItIsWritten(t *testing.T) {
	w := NewWriter(sheet)
	for said, want := range map[string]string{
		"four point five metres":                          "4.5 m",
		"minus zero point nine":                           "−0.9",
		"two hundred and fourteen degrees":                "214°",
		"two one four":                                    "2 1 4",
		"five twelve":                                     "05:12",
		"eleven thirty":                                   "11:30",
		"six thirty":                                      "6 30",
		"one thousand two hundred and five kilograms":     "1205 kg",
		"twenty five per cent":                            "25%",
		"keep clear of the carrick rocks comma then turn": "keep clear of the Carrick rocks, then turn",
		"the tide falls full stop new line i see the rocks full stop": "the tide falls.\nI see the rocks.",
		"this one is the white tower":                                 "this one is the white tower",
		"there are twelve of them":                                    "there are 12 of them",
		"three square metres":                                         "3 m²",
		"hundred":                                                     "hundred",
		"":                                                            "",
	} {
		var heard []speech.Word
		for _, s := range strings.Fields(said) {
			heard = append(heard, speech.Word{Text: s, Certainty: 1})
		}
		if got := Text(w.Write(heard)); got != want {
			t.Errorf("%q is written %q, want %q", said, got, want)
		}
	}
	pieces := w.Write([]speech.Word{{Text: "tied", Certainty: 0.3, Others: []string{"tide", "carrick", "tied"}}, {Text: "four", Certainty: 0.9}, {Text: "metres", Certainty: 0.2}})
	if got := Marked(pieces); got != "[tied?] [4 m?]" {
		t.Errorf("what is not sure is marked %q", got)
	}
	if !pieces[0].Unsure || !slices.Equal(pieces[0].Others, []string{"tide", "Carrick"}) || !pieces[1].Unsure {
		t.Errorf("what is not sure is told as %+v", pieces)
	}
}

// Every number is read again as it is said.
func TestNumbersThereAndBack(t *testing.T) {
	for n := range 12_000 {
		ws := strings.Fields(cardinal(n))
		if text, took := counted(ws); text != strconv.Itoa(n) || took != len(ws) {
			t.Fatalf("%d is said %q and read as %q of %d words", n, strings.Join(ws, " "), text, took)
		}
	}
	for _, n := range []int{12_345, 99_999, 100_000, 120_017, 999_999} {
		if text, _ := counted(strings.Fields(cardinal(n))); text != strconv.Itoa(n) {
			t.Errorf("%d is said %q and read as %q", n, cardinal(n), text)
		}
	}
}

// The model is one of probabilities: behind every run they make 1, and what the sheet says
// is likelier there than elsewhere. Its file has as many runs as it says.
func TestTheModel(t *testing.T) {
	m := NewModel(sheet, []string{"4.5 m", "spring"})
	for _, h := range []string{"", "the", "<s>", "point", "white tower", "carrick rocks", "never heard"} {
		sum := 0.0
		for _, w := range append(m.Words(), ends) {
			sum += m.likely(strings.TrimSpace(h + " " + w))
		}
		if math.Abs(sum-1) > 1e-6 {
			t.Errorf("behind %q all words together are likely by %v", h, sum)
		}
	}
	if m.likely("the white tower") <= m.likely("the white rocks") || m.likely("point five metres") <= m.likely("point five degrees") {
		t.Error("what the sheet says is not likelier")
	}
	if slices.Contains(m.Words(), "overfalls") || !slices.Contains(m.Words(), "carrick") {
		t.Error("its words are not the sheet's")
	}
	var b bytes.Buffer
	if err := m.WriteARPA(&b); err != nil {
		t.Fatal(err)
	}
	for n := range 3 {
		if !strings.Contains(b.String(), fmt.Sprintf("ngram %d=%d\n", n+1, len(m.counts[n]))) {
			t.Errorf("it does not say how many runs of %d it has", n+1)
		}
		_, part, _ := strings.Cut(b.String(), fmt.Sprintf("\\%d-grams:\n", n+1))
		part, _, _ = strings.Cut(part, "\n\n")
		if lines := strings.Count(strings.TrimSpace(part), "\n") + 1; lines != len(m.counts[n]) {
			t.Errorf("%d runs of %d words, want %d", lines, n+1, len(m.counts[n]))
		}
	}
}
