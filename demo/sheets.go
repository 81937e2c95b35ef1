package demo

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"

	"codeberg.org/go-pdf/fpdf"

	"readymargin/pdf"
)

// A sheet is a worksheet page being drawn, in points.
type sheet struct {
	*fpdf.Fpdf
	utf func(string) string
}

func newSheet() sheet {
	f := fpdf.New("P", "pt", "A4", "")
	f.SetAutoPageBreak(false, 0)
	f.SetCreationDate(fixed)
	f.SetModificationDate(fixed)
	f.SetCatalogSort(true)
	return sheet{f, f.UnicodeTranslatorFromDescriptor("")}
}

func (s sheet) say(x, y, size float64, style, text string) {
	s.SetFont("Helvetica", style, size)
	s.Text(x, y, s.utf(text))
}

func (s sheet) title(title string) {
	s.AddPage()
	s.say(56, 76, 20, "B", title)
	s.SetTextColor(90, 90, 90)
	s.say(56, 94, 11, "", "Coastal Navigation 1 · Skerrymouth Evening College")
	s.SetTextColor(0, 0, 0)
	s.say(366, 76, 12, "", "Name")
	s.rule(404, 540, 79)
}

func (s sheet) rule(x0, x1, y float64) {
	s.SetLineWidth(0.8)
	s.Line(x0, y, x1, y)
}

// question sets a numbered question.
func (s sheet) question(y float64, number, text string) {
	s.say(56, y, 12, "B", number)
	s.say(74, y, 12, "", text)
}

func (s sheet) bytes() ([]byte, error) {
	var b bytes.Buffer
	err := s.Output(&b)
	return b.Bytes(), err
}

// TideHeights is the flat worksheet: a table, blanks with numbers and units,
// a curve to draw.
func TideHeights() ([]byte, error) {
	s := newSheet()
	s.tides("Tide heights 2")
	return s.bytes()
}

// TideHeightsWithAnswers is the next one, which has its answers on a third page.
func TideHeightsWithAnswers() ([]byte, error) {
	s := newSheet()
	s.tides("Tide heights 3")
	s.title("Tide heights 3: answers")
	for i, line := range []string{
		"1. 0.9 m and 3.0 m; 3.4 m and 5.5 m; 5.4 m and 7.5 m", "2. 4.5 m, a spring tide", "3. The first: a can, red", "4. The Carrick rocks and the overfalls are dangers; the white tower is a sea mark",
		"5. By the rule of twelfths three twelfths of the range run in the third hour, one in the first", "7. 06:40", "8. 05:12 and 18:02",
	} {
		s.say(56, 150+30*float64(i), 12, "", line)
	}
	return s.bytes()
}

func (s sheet) tides(title string) {
	s.title(title)
	s.question(136, "1.", "Read the extract for Skerry Sound and fill in the table. Heights are above chart datum.")
	for i, line := range []string{
		"On 14 March low water falls at 05:12 (0.9 m) and high water at 11:30 (5.4 m). Entering from",
		"the north, keep clear of the Carrick rocks, which dry 1.2 m, and of the overfalls west of the",
		"light. The white tower leads in on 214°. The depth over the sill is 2.1 m at datum.",
	} {
		s.say(56, 160+18*float64(i), 12, "", line)
	}
	s.table(56, 214, []float64{64, 146, 166}, 24, [][]string{
		{"Time", "Height of tide", "Depth over the sill"}, {"05:12", "", ""}, {"08:20", "", ""}, {"11:30", "", ""},
	})
	s.question(346, "2.", "The range of the tide is")
	s.rule(206, 296, 349)
	s.say(302, 346, 12, "", "m, so this is a")
	s.rule(384, 490, 349)
	s.say(496, 346, 12, "", "tide.")
	s.question(384, "3.", "Circle the mark that you leave to port when entering.")
	for i, x := range []float64{110, 230, 350, 470} {
		s.seaMark(i, x, 470)
	}
	s.question(520, "4.", "Mark in the text above: dangers orange, sea marks green, depths blue.")
	s.question(566, "5.", "Explain in your own words why the depth changes fastest in the third hour.")
	for i := range 5 {
		s.rule(56, 540, 596+26*float64(i))
	}

	s.AddPage()
	s.question(76, "6.", "Draw the curve of the tide from low water to high water.")
	s.SetDrawColor(190, 205, 220)
	for i := range 15 {
		x := 90 + 30*float64(i)
		s.Line(x, 110, x, 410)
	}
	for i := range 11 {
		y := 110 + 30*float64(i)
		s.Line(90, y, 510, y)
	}
	s.SetDrawColor(0, 0, 0)
	s.rule(90, 510, 410)
	s.Line(90, 110, 90, 410)
	for i := range 8 {
		s.say(84+60*float64(i), 426, 10, "", fmt.Sprintf("%02d:00", 5+i))
	}
	for i := range 6 {
		s.say(66, 413-60*float64(i), 10, "", fmt.Sprintf("%d m", i))
	}
	s.question(468, "7.", "At what time is there 3.5 m over the sill?")
	s.rule(320, 420, 471)
	s.question(506, "8.", "Your keel draws 1.8 m. Between which times can you pass, with half a metre to spare?")
	s.rule(74, 250, 540)
	s.say(258, 537, 12, "", "and")
	s.rule(290, 466, 540)
}

func (s sheet) table(x, y float64, widths []float64, height float64, rows [][]string) {
	s.SetLineWidth(0.8)
	for r, row := range rows {
		left := x
		for c, text := range row {
			s.Rect(left, y+height*float64(r), widths[c], height, "D")
			style := ""
			if r == 0 {
				style = "B"
			}
			s.say(left+9, y+height*float64(r)+16, 12, style, text)
			left += widths[c]
		}
	}
}

// seaMark draws one of four beacons standing at (x, y).
func (s sheet) seaMark(kind int, x, y float64) {
	s.SetLineWidth(1.4)
	s.Line(x, y, x, y-32)
	s.rule(x-18, x+18, y)
	triangle := func(top float64) {
		s.Polygon([]fpdf.PointType{{X: x, Y: top}, {X: x - 10, Y: top + 15}, {X: x + 10, Y: top + 15}}, "D")
	}
	switch kind {
	case 0:
		triangle(y - 48)
	case 1:
		s.Rect(x-10, y-52, 20, 20, "D")
	case 2:
		s.Circle(x, y-43, 11, "D")
	case 3:
		triangle(y - 48)
		triangle(y - 66)
	}
}

// symbols has a page of symbols and a page that is only a picture, as a
// scanned chart would be.
func symbols(ctx context.Context, press *pdf.Pool) ([]byte, error) {
	chart, err := scan(ctx, press)
	if err != nil {
		return nil, err
	}
	s := newSheet()
	s.title("Symbols and bearings")
	s.question(136, "1.", "Connect each symbol with its name.")
	for i, name := range []string{"special mark", "north cardinal", "isolated danger", "safe water"} {
		y := 200 + 80*float64(i)
		s.seaMark(i, 120, y)
		s.say(340, y-14, 12, "", name)
	}
	s.question(516, "2.", "A bearing of 214° by compass, variation 5° west, deviation 2° east.")
	s.say(74, 546, 12, "", "True bearing:")
	s.rule(160, 260, 549)
	s.say(266, 546, 12, "", "because")
	s.rule(320, 540, 549)
	s.question(590, "3.", "Write the rule for correcting a compass bearing.")
	for i := range 4 {
		s.rule(56, 540, 620+26*float64(i))
	}
	s.AddPage()
	s.RegisterImageOptionsReader("chart", fpdf.ImageOptions{ImageType: "JPG"}, bytes.NewReader(chart))
	s.ImageOptions("chart", 0, 0, 595.28, 841.89, false, fpdf.ImageOptions{ImageType: "JPG"}, 0, "")
	return s.bytes()
}

// scan makes a picture of a chart page, greyish, grainy and a little askew.
func scan(ctx context.Context, press *pdf.Pool) ([]byte, error) {
	s := newSheet()
	s.AddPage()
	s.say(70, 90, 15, "B", "Chart of Skerry Sound (not for navigation)")
	s.say(70, 116, 12, "", "4. Plot your position: the white tower bears 214°, Carrick light 285°.")
	s.SetLineWidth(1)
	s.Rect(70, 140, 455, 560, "D")
	for i := range 8 {
		y := 140 + 70*float64(i)
		s.SetDrawColor(170, 170, 170)
		s.Line(70, y, 525, y)
		s.Line(70+57*float64(i), 140, 70+57*float64(i), 700)
	}
	s.SetDrawColor(0, 0, 0)
	var coast []fpdf.PointType
	for i := range 40 {
		t := float64(i) / 39
		coast = append(coast, fpdf.PointType{X: 300 + 120*math.Sin(5*t) + 18*math.Sin(31*t), Y: 140 + 560*t})
	}
	for i := 1; i < len(coast); i++ {
		s.Line(coast[i-1].X, coast[i-1].Y, coast[i].X, coast[i].Y)
	}
	s.seaMark(3, 180, 300)
	s.say(150, 322, 10, "", "Carrick light")
	s.seaMark(1, 440, 520)
	s.say(410, 542, 10, "", "white tower")
	for i, d := range []string{"2.1", "4.6", "7.3", "3.0", "9.8", "1.2"} {
		s.say(110+37*float64(i), 420+33*math.Sin(float64(i)), 10, "I", d)
	}
	b, err := s.bytes()
	if err != nil {
		return nil, err
	}
	pic, err := press.Picture(ctx, b, 1, 2)
	if err != nil {
		return nil, err
	}
	return grain(pic.Data)
}

func grain(plain []byte) ([]byte, error) {
	src, err := png.Decode(bytes.NewReader(plain))
	if err != nil {
		return nil, err
	}
	random := rand.New(rand.NewPCG(14, 3))
	b := src.Bounds()
	out := image.NewGray(b)
	const turn = 0.006
	for y := range b.Dy() {
		for x := range b.Dx() {
			sx, sy := x+int(turn*float64(y)), y-int(turn*float64(x))
			g := uint8(244)
			if image.Pt(sx, sy).In(b) {
				g = color.GrayModel.Convert(src.At(sx, sy)).(color.Gray).Y
			}
			v := 22 + float64(g)*0.86 + random.Float64()*10
			out.SetGray(x, y, color.Gray{Y: uint8(min(v, 255))})
		}
	}
	var jpg bytes.Buffer
	err = jpeg.Encode(&jpg, out, &jpeg.Options{Quality: 70})
	return jpg.Bytes(), err
}
