package demo

import (
	"math"
	"strings"
	"time"

	"readymargin/core/ink"
	"readymargin/core/mark"
	"readymargin/core/submission"
	"readymargin/core/words"
	"readymargin/school"
	"readymargin/school/intake"
	"readymargin/sound"

	"encoding/json"
)

// A markMaker makes a mark under the name it is given.
type markMaker func(id string) mark.Mark

const (
	blue  mark.Color = "#1f4fa3"
	dark  mark.Color = "#1e2a44"
	green mark.Color = "#2d7a3a"
	red   mark.Color = "#c22f20"
)

func typed(n int, x, y, size float64, color mark.Color, text string) markMaker {
	return func(id string) mark.Mark {
		return mark.Mark{ID: id, Page: n, Body: &mark.FreeText{X: x, Y: y, Width: 0.55 * size * float64(len(text)), Lines: []mark.TextLine{
			{Runs: []mark.Run{{Text: text, Size: size, Color: color}}, Hard: true}}}}
	}
}

// drawn is a stroke along a curve, by a hand that is not quite steady.
func drawn(n int, color mark.Color, width float64, at func(t float64) (x, y float64)) markMaker {
	return func(id string) mark.Mark {
		samples := make([]ink.Sample, 60)
		for i := range samples {
			t := float64(i) / 59
			x, y := at(t)
			samples[i] = ink.Sample{X: x + 0.7*math.Sin(17*t), Y: y + 0.6*math.Cos(23*t), Pressure: 0.5}
		}
		return mark.Mark{ID: id, Page: n, Body: &mark.Ink{Color: color, Width: width, Opacity: 1, InkList: []ink.Stroke{ink.Fit(samples)}}}
	}
}

func circled(n int, x, y, rx, ry float64, color mark.Color) markMaker {
	return drawn(n, color, 2, func(t float64) (float64, float64) {
		a := -1.9 + 6.5*t
		return x + rx*math.Cos(a)*(1+0.06*t), y + ry*math.Sin(a)
	})
}

func stamped(n int, name string, x, y float64) markMaker {
	return func(id string) mark.Mark {
		return mark.Mark{ID: id, Page: n, Body: &mark.Stamp{Name: name, Color: red, Rect: [4]float64{x - 8, y - 8, x + 8, y + 8}}}
	}
}

func noted(n int, x, y float64, text string, voice *mark.Voice) markMaker {
	return func(id string) mark.Mark {
		return mark.Mark{ID: id, Page: n, Body: &mark.Note{At: [2]float64{x, y}, Text: text, Voice: voice}}
	}
}

// washed highlights a run of printed words.
func washed(n int, run words.Run) markMaker {
	return func(id string) mark.Mark {
		return mark.Mark{ID: id, Page: n, Body: &mark.Highlight{Color: "#ffe27a", QuadPoints: mark.QuadPoints(run.Quads), Text: run.Text}}
	}
}

// print is what is printed on a page.
func (f *filler) print(revision uint64, n int) (print words.Page) {
	layer, err := f.Revisions.TextLayer(f.ctx, f.teachers[0], revision, n)
	f.check(err)
	if f.err == nil {
		f.check(json.Unmarshal([]byte(layer), &print))
	}
	return print
}

// spoken is a voice note by a synthesiser.
func (f *filler) spoken(teacher school.Person, id uint64, layer submission.Layer, text string) *mark.Voice {
	if f.err != nil {
		return nil
	}
	wav, err := sound.Speak(f.ctx, text, "en-gb", 150)
	f.check(err)
	if f.err != nil {
		return nil
	}
	v, err := f.Attachments.AddVoice(f.ctx, teacher, id, layer, intake.Recorded{Data: wav})
	f.check(err)
	return &v
}

// answers are what a student wrote on "Tide heights 2": name, three heights,
// three depths, range, kind, and which sea mark was circled.
type answers struct {
	name            string
	heights, depths [3]string
	span, kind      string
	circle          int
	marked          int // of the words that the key is for
	lines           []string
}

// toMark are the words that the key of the sheet about tides is for, by its
// meanings, and at the end some that it is not for.
var toMark = []struct {
	words   string
	meaning int
}{{"Carrick rocks,", 0}, {"white tower", 1}, {"2.1 m", 2}, {"overfalls", 0}, {"Skerry Sound", 1}}

// phrase finds words on a printed page that follow each other.
func phrase(print words.Page, text string) (run words.Run) {
	want := strings.Fields(text)
	for i := range print.Words {
		n := 0
		for n < len(want) && i+n < len(print.Words) && print.Words[i+n].Text == want[n] {
			n++
		}
		if n == len(want) {
			run, _ = print.Between(print.Words[i].Rect().Center(), print.Words[i+n-1].Rect().Center(), false)
		}
	}
	return run
}

func (f *filler) tideMarks(w uint64, a answers) []markMaker {
	out := []markMaker{typed(1, 410, 78.3, 12, blue, a.name)}
	for i := range 3 {
		y := 254 + 24*float64(i)
		if a.heights[i] != "" {
			out = append(out, typed(1, 129, y, 12, blue, a.heights[i]))
		}
		if a.depths[i] != "" {
			out = append(out, typed(1, 276, y, 12, blue, a.depths[i]))
		}
	}
	if a.span != "" {
		out = append(out, typed(1, 212, 348.3, 12, blue, a.span))
	}
	if a.kind != "" {
		out = append(out, typed(1, 390, 348.3, 12, blue, a.kind))
	}
	if a.circle >= 0 {
		out = append(out, circled(1, 110+120*float64(a.circle), 446, 30, 36, blue))
		print := f.print(w, 1)
		for _, m := range toMark[:a.marked] {
			out = append(out, meant(washed(1, phrase(print, m.words)), key[m.meaning]))
		}
	}
	if len(a.lines) > 0 {
		out = append(out, ruled(1, 60, 595.3, 26, 12, blue, a.lines))
	}
	return out
}

// ruled is one answer over several printed rules.
func ruled(n int, x, y, step, size float64, color mark.Color, lines []string) markMaker {
	return func(id string) mark.Mark {
		text := &mark.FreeText{X: x, Y: y, Step: step, Box: 476}
		for i, l := range lines {
			text.Lines = append(text.Lines, mark.TextLine{Runs: []mark.Run{{Text: l, Size: size, Color: color}}, Hard: i == len(lines)-1})
			text.Width = max(text.Width, 0.55*size*float64(len(l)))
		}
		return mark.Mark{ID: id, Page: n, Body: text}
	}
}

var right = answers{heights: [3]string{"0.9 m", "3.4 m", "5.4 m"}, depths: [3]string{"3.0 m", "5.5 m", "7.5 m"}, span: "4.5", kind: "spring", circle: 0, marked: 4,
	lines: []string{"By the rule of twelfths three twelfths of the range come in the", "third hour, but only one in the first."}}

// varied gives each student's own mixture of right and wrong.
func varied(name string, i int) answers {
	a := right
	a.name = name
	switch i % 5 {
	case 1:
		a.depths[1], a.kind, a.marked = "1.3 m", "neap", 2
	case 2:
		a.span, a.circle, a.lines = "6.3", 1, []string{"Because the sea is in a hurry."}
	case 3:
		a.marked = 5
		a.heights[1], a.depths[1], a.circle = "3.1 m", "5.2 m", 2
	case 4:
		a.marked = 3
		a.kind, a.lines = "", nil
	}
	return a
}

// tidesWork leaves copies of the current sheet in every state.
func (f *filler) tidesWork(a school.Assignment, start time.Time) {
	for i, name := range Students {
		hours := []int{27, 51, 26, 5, 73, 9, 3, 2, 4, 0, 0, 20, 0, 0}[i]
		if hours == 0 {
			continue // not started
		}
		f.now = start.Add(-time.Duration(hours)*time.Hour - 40*time.Minute)
		c := f.copyOf(a, i)
		work := varied(name, i)
		if i == 7 || i == 8 { // in progress
			work.span, work.kind, work.circle, work.lines = "", "", -1, nil
		}
		f.save(f.students[i], c.ID, submission.Work, f.tideMarks(a.Handouts[0].RevisionID, work)...)
		if i == 7 { // asks before submitting
			f.now = start.Add(-35 * time.Minute)
			f.save(f.students[i], c.ID, submission.Replies, func(id string) mark.Mark {
				return mark.Mark{ID: id, Page: 1, Body: &mark.Note{At: [2]float64{352, 272}, Says: "ask", Text: "Is the sill above or below the water at datum?"}}
			})
		}
		if i == 7 || i == 8 {
			continue
		}
		if i%2 == 0 {
			f.save(f.students[i], c.ID, submission.Work, drawn(2, green, 2, func(t float64) (float64, float64) {
				return 102 + 380*t, 356 - 135*(1-math.Cos(math.Pi*t))
			}))
		}
		f.now = f.now.Add(35 * time.Minute)
		f.submit(c, i, map[int]string{0: "I was not sure about the depth at 08:20.", 6: "Sorry, my pen was out of battery."}[i])
		switch i {
		case 1, 4, 11: // marked and returned; the second goes on and submits again
			f.markTides(c, i, start)
		case 5: // marked, not returned
			f.scores(c, []string{"4", "0", "1", "2", "1", "0", "1"})
			f.points(c, 1, "", "Look at question 2 again.")
		}
	}
	f.again(a, start)
}

func (f *filler) points(c school.Copy, attempt int, points, remark string) {
	if f.err == nil {
		_, f.err = f.Marking.GivePoints(f.ctx, f.teachers[0], c.ID, attempt, points, "", remark, false)
	}
}

// scores gives points for the questions of a sheet in their order.
func (f *filler) scores(c school.Copy, given []string) {
	v, err := f.Screens.OpenToMark(f.ctx, f.teachers[0], c.ID, 1)
	f.check(err)
	for i, p := range given {
		if f.err == nil {
			_, f.err = f.Marking.Score(f.ctx, f.teachers[0], c.ID, 1, v.Questions[i].ID, p, "")
		}
	}
}

func (f *filler) markTides(c school.Copy, student int, start time.Time) {
	t, layer := f.teachers[0], submission.Feedback(1)
	f.now = f.now.Add(4 * time.Hour)
	voice := f.spoken(t, c.ID, layer, "Compare the range with the mean range in the table. Four and a half metres is well above it, so which kind of tide is it?")
	f.save(t, c.ID, layer,
		stamped(1, "tick", 190, 250), stamped(1, "tick", 190, 274), stamped(1, "tick", 190, 298),
		stamped(1, "tick", 340, 250), stamped(1, "cross", 340, 274), stamped(1, "tick", 340, 298),
		stamped(1, "tick", 262, 338),
		noted(1, 478, 334, "", voice),
		noted(1, 400, 272, "The sill is below the water: add the tide to the depth at datum.", nil),
		drawn(1, red, 1.5, func(t float64) (float64, float64) { return 388 + 40*t, 355 + 1.5*math.Sin(9*math.Pi*t) }))
	if student == 11 {
		whole := f.spoken(t, c.ID, layer, "Your table is right to the decimetre. Next time, draw the curve before you answer the last two questions: you can read both off it.")
		f.save(t, c.ID, layer, func(id string) mark.Mark {
			return mark.Mark{ID: id, Page: 1, Body: &mark.Reply{To: mark.Whole, Voice: whole, Text: "Your table is right to the decimetre. Next time, draw the curve before you answer the last two questions: you can read both off it."}}
		})
	}
	f.scores(c, map[int][]string{1: {"5", "1", "1", "1", "1", "1", "0"}, 4: {"6", "1", "1", "2", "0.5", "1", "1"}, 11: {"4", "1", "0", "1", "0.5", "1", "1"}}[student])
	f.points(c, 1, "", "Good reading of the table. Work on spring and neap, then submit again.")
	if f.err == nil {
		f.err = f.Marking.Return(f.ctx, t, c.ID, 1)
	}
}

// again lets one student read the feedback, answer it, improve and submit.
func (f *filler) again(a school.Assignment, start time.Time) {
	const tomas = 1
	f.now = start.Add(-20 * time.Hour)
	c, who := f.copyOf(a, tomas), f.students[tomas]
	if f.err != nil {
		return
	}
	v, err := f.Screens.Open(f.ctx, who, c.ID)
	f.check(err)
	for _, m := range v.Marks {
		if n, ok := m.Mark.Body.(*mark.Note); ok && n.Voice == nil && m.Layer.Attempt() > 0 {
			f.save(who, c.ID, submission.Replies, func(id string) mark.Mark {
				return mark.Mark{ID: id, Page: 1, Body: &mark.Reply{To: m.Mark.ID, Text: "Plus the tide, or do I take the tide away?"}}
			})
			break
		}
	}
	f.check(f.Submitting.Improve(f.ctx, who, c.ID))
	v, err = f.Screens.Open(f.ctx, who, c.ID)
	f.check(err)
	for _, m := range v.Marks {
		t, ok := m.Mark.Body.(*mark.FreeText)
		if !ok || m.Layer != submission.Work || t.String() != "1.3 m" && t.String() != "neap" {
			continue
		}
		better := *t
		better.Lines = []mark.TextLine{{Runs: []mark.Run{{Text: map[string]string{"1.3 m": "5.5 m", "neap": "spring"}[t.String()], Size: 14, Color: green}}, Hard: true}}
		_, err := f.Saving.Save(f.ctx, who, c.ID, submission.Work, []submission.Op{{ID: f.newID(), On: m.Mark.ID, Base: m.Version, Mark: &mark.Mark{ID: m.Mark.ID, Page: 1, Body: &better}}})
		f.check(err)
	}
	f.now = start.Add(-19 * time.Hour)
	f.submit(c, tomas, "Second try, changes in green.")
	// A colleague is asked about it.
	f.now = start.Add(-50 * time.Minute)
	v, err = f.Screens.OpenToMark(f.ctx, f.teachers[1], c.ID, 0)
	f.check(err)
	for _, m := range v.Marks {
		if r, ok := m.Mark.Body.(*mark.Reply); ok && m.Layer == submission.Replies {
			f.save(f.teachers[1], c.ID, submission.Among, func(id string) mark.Mark {
				return mark.Mark{ID: id, Page: 1, Body: &mark.Reply{To: r.To, Asks: f.teachers[0].ID, Text: "Do we take the sill as negative in this course?"}}
			})
			break
		}
	}
}

// toClass says something to everybody.
func (f *filler) toClass(start time.Time) {
	f.now = start.Add(-3 * time.Hour)
	if f.err == nil {
		f.err = f.ClassLines.Say(f.ctx, f.teachers[0], f.course.ID, "Bring parallel rulers on Tuesday: we draw the approach to Skerry Sound.", nil)
	}
	for _, i := range []int{0, 1, 4, 9} {
		f.now = f.now.Add(11 * time.Minute)
		lines, err := f.ClassLines.For(f.ctx, f.students[i])
		f.check(err)
		for _, l := range lines {
			f.check(f.ClassLines.See(f.ctx, f.students[i], l.ID))
		}
	}
}

// symbolsWork is the older sheet: late ones, one being reworked, returned ones
// that were opened and not.
func (f *filler) symbolsWork(a school.Assignment, start time.Time) {
	for i, name := range Students[:12] {
		f.now = start.Add(-time.Duration(100+7*i) * time.Hour)
		if i == 3 || i == 9 {
			f.now = start.Add(-time.Duration(20+6*i) * time.Hour / 4)
		}
		c := f.copyOf(a, i)
		work := []markMaker{typed(1, 410, 76, 14, dark, name), typed(1, 166, 546, 14, dark, []string{"211°", "217°", "211°"}[i%3]), typed(1, 326, 546, 14, dark, "west is minus"),
			circled(2, 180, 280, 34, 40, blue)}
		for k, to := range [4]int{1, 2, 3, 0} {
			work = append(work, drawn(1, blue, 2, func(t float64) (float64, float64) {
				return 146 + 188*t, 182 + 80*(float64(k)+(float64(to)-float64(k))*t)
			}))
		}
		f.save(f.students[i], c.ID, submission.Work, work...)
		f.submit(c, i, "")
		if i == 3 || i == 9 || i == 10 {
			continue // still on the pile
		}
		t := f.teachers[i%2]
		f.now = f.now.Add(6 * time.Hour)
		f.save(t, c.ID, submission.Feedback(1), stamped(1, "tick", 300, 540), noted(1, 440, 536, "Say it as a rule: west is best, subtract.", nil), stamped(2, "tick", 240, 270))
		f.points(c, 1, []string{"8", "7.5", "9", "6"}[i%4], "Neat work.")
		if f.err == nil {
			f.err = f.Marking.Return(f.ctx, t, c.ID, 1)
		}
		f.now = f.now.Add(3 * time.Hour)
		if i%3 != 0 && f.err == nil {
			_, f.err = f.Screens.Open(f.ctx, f.students[i], c.ID)
		}
		if i == 8 && f.err == nil {
			f.err = f.Submitting.Improve(f.ctx, f.students[i], c.ID)
		}
	}
}
