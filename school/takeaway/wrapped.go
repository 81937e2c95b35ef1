package takeaway

import (
	"readymargin/core/mark"
	"readymargin/core/typeset"
)

// listIndent is how far what is in a list stands in, in points.
const listIndent = 14

// wrapped breaks runs into lines no wider than width.
func wrapped(runs []mark.Run, size, width float64) (out [][]mark.Run) {
	all, bold := "", false
	for _, r := range runs {
		all, bold = all+r.Text, bold || r.Bold
	}
	lines := typeset.Of(typeset.Look{Bold: bold}).Wrap(all, size, width)
	k, at := 0, 0 // of the runs, and in that run's text
	for _, l := range lines {
		var line []mark.Run
		for l != "" && k < len(runs) {
			rest := runs[k].Text[at:]
			if rest == "" {
				k, at = k+1, 0
				continue
			}
			n := 0
			for n < len(rest) && n < len(l) && rest[n] == l[n] {
				n++
			}
			if n == 0 { // a space or a line's end that the break took
				at++
				continue
			}
			part := runs[k]
			part.Text = l[:n]
			line = append(line, part)
			l, at = l[n:], at+n
		}
		out = append(out, line)
	}
	return out
}
