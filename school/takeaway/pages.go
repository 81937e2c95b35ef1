package takeaway

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"readymargin/core/document"
	"readymargin/core/page"
	"readymargin/school"
)

// mostChosen is how many pages are read from one list.
const mostChosen = 2000

// chosenPages reads a list of pages such as "1-3, 5", of so many. Each is there once,
// in the order of the list.
func chosenPages(list string, of int) ([]int, error) {
	var out []int
	for _, part := range strings.FieldsFunc(list, func(r rune) bool { return r == ',' || r == ' ' || r == ';' }) {
		from, to, ranged := strings.Cut(strings.ReplaceAll(part, "–", "-"), "-")
		a, err := strconv.Atoi(from)
		b := a
		if err == nil && ranged {
			b, err = strconv.Atoi(to)
		}
		if err != nil || a < 1 || b < a || b > of {
			return nil, school.Refuse("pages", "pages", strconv.Itoa(of))
		}
		for n := a; n <= b && len(out) < mostChosen; n++ {
			if !slices.Contains(out, n) {
				out = append(out, n)
			}
		}
	}
	if len(out) == 0 {
		return nil, school.Refuse("pages", "pages", strconv.Itoa(of))
	}
	return out, nil
}

// pick leaves of the file the pages that were chosen, the sheet's before those that
// were added.
func (b *builder) pick(ctx context.Context) error {
	sheet := len(b.what.Boxes)
	if b.choice.Form == Clean {
		b.added.at, b.added.signs = nil, nil
	}
	if b.choice.Pages == "" {
		return nil
	}
	chosen, err := chosenPages(b.choice.Pages, sheet+len(b.added.at))
	if err != nil {
		return err
	}
	var leaves []document.PageRef
	var boxes []page.Box
	at := map[int]int{} // numbers in the file by those before the choice
	for _, n := range chosen {
		if n <= sheet {
			leaves, boxes = append(leaves, document.PageRef{Page: n}), append(boxes, b.what.Boxes[n-1])
			at[n] = len(leaves)
		}
	}
	if len(leaves) == 0 {
		return school.Refuse("pages", "pages", strconv.Itoa(sheet)) // a file begins with a page of its sheet
	}
	for _, n := range chosen {
		if n > sheet {
			at[n] = len(at) + 1
		}
	}
	b.added = b.added.chosen(at)
	if b.file, err = b.engine.Assemble(ctx, [][]byte{b.file}, leaves); err != nil {
		return err
	}
	b.what.Boxes = boxes
	return nil
}
