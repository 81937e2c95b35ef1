package typeset

import (
	"strings"

	"readymargin/core/mark"
)

// LookOf returns the look of a run.
func LookOf(r mark.Run) Look { return Look{Font: r.Font, Bold: r.Bold, Italic: r.Italic} }

// WrapRuns breaks runs into lines no wider than width, each run in its own look and
// size: at the text's own line ends, else at spaces, else, for a word wider than the
// line, between letters. Widths of the runs are filled in. A space at which a line was
// broken stays at its end. At least one line is returned.
func WrapRuns(runs []mark.Run, width float64) [][]mark.Run {
	w := wrapper{width: width}
	w.lines = [][]mark.Run{nil}
	for _, r := range runs {
		for i, part := range strings.Split(r.Text, "\n") {
			if i > 0 {
				w.flush()
			}
			for _, word := range strings.SplitAfter(part, " ") {
				w.word(r, word)
			}
		}
	}
	return w.lines
}

type wrapper struct {
	width float64
	used  float64
	lines [][]mark.Run
}

func (w *wrapper) flush() { w.lines, w.used = append(w.lines, nil), 0 }

// word puts a word, with the space behind it, on the line, or on the next.
func (w *wrapper) word(r mark.Run, word string) {
	size, _ := r.Set()
	faces := Of(LookOf(r))
	long := faces.Width(strings.TrimRight(word, " "), size)
	if w.used > 0 && w.used+long > w.width {
		w.flush()
	}
	if long <= w.width {
		w.put(r, word, faces.Width(word, size))
		return
	}
	for _, c := range word {
		step := faces.Width(string(c), size)
		if w.used > 0 && w.used+step > w.width && c != ' ' {
			w.flush()
		}
		w.put(r, string(c), step)
	}
}

// put appends text to the line, to the run before where that looks the same.
func (w *wrapper) put(r mark.Run, text string, width float64) {
	if text == "" {
		return
	}
	line := &w.lines[len(w.lines)-1]
	r.Text, r.Width = text, width
	if n := len(*line); n > 0 {
		before := (*line)[n-1]
		before.Text, before.Width = "", 0
		alone := r
		alone.Text, alone.Width = "", 0
		if before == alone {
			(*line)[n-1].Text += text
			(*line)[n-1].Width += width
			w.used += width
			return
		}
	}
	*line = append(*line, r)
	w.used += width
}
