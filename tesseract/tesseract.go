// Package tesseract reads the words of pictures by Debian's tesseract-ocr, in a room of
// its own: without network and other files, with limits on memory and time.
package tesseract

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"image/png"
	"io"
	"math"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"readymargin/confine"
	"readymargin/core/language"
	"readymargin/core/optical"
	"readymargin/core/page"
	"readymargin/core/scan"
	"readymargin/core/words"
	"readymargin/queue"
)

// Install is the command that provides the program.
const Install = "apt-get install tesseract-ocr tesseract-ocr-deu tesseract-ocr-fra tesseract-ocr-spa"

// Limits of reading one page.
const (
	longest   = 90 * time.Second
	memory    = 2 << 30 // address space
	processor = 80      // seconds
	largest   = 64 << 20
)

// Reader reads pages, one at a time.
type Reader struct{}

var _ optical.Reader = Reader{}

var turns = queue.New(queue.Config{AtOnce: 1, PerOwner: 1, Waiting: 1000})

// models are the languages that the program is told by names of its own (ISO 639-2/T).
var models = map[string]string{"en": "eng", "de": "deu", "fr": "fra", "es": "spa", "it": "ita", "nl": "nld", "pt": "por", "sv": "swe", "nb": "nor", "pl": "pol",
	"tr": "tur", "ar": "ara", "he": "heb", "ru": "rus", "el": "ell", "hi": "hin", "th": "tha", "ja": "jpn", "ko": "kor", "zh": "chi_sim"}

// Read reads a page. Where the language is not known it is read as English, and once
// more where its words tell another one.
func (r Reader) Read(ctx context.Context, picture []byte, scale float64, tag string) ([]words.Word, error) {
	m, err := png.Decode(bytes.NewReader(picture))
	if err != nil {
		return nil, optical.ErrUnreadable
	}
	seen := scan.GrayOf(m, scale)
	if !confine.HasRooms() {
		return nil, fmt.Errorf("%w: this machine has no rooms for programs", optical.ErrAway)
	}
	has, err := installed(ctx)
	if err != nil {
		return nil, err
	}
	leave, err := turns.Enter(ctx)
	if err != nil {
		return nil, err
	}
	defer leave()
	short, _, _ := strings.Cut(strings.ToLower(tag), "-")
	model := models[short]
	if !has[model] {
		model = "eng"
	}
	out, err := r.read(ctx, picture, seen, model)
	if err != nil || short != "" {
		return out, err
	}
	var all strings.Builder
	for _, w := range out {
		all.WriteString(w.Text + " ")
	}
	if m := models[language.Guess(all.String())]; has[m] && m != model {
		return r.read(ctx, picture, seen, m)
	}
	return out, nil
}

// installed returns the models that are there. It is asked for each page: who installs
// one need not start anything anew.
func installed(ctx context.Context) (map[string]bool, error) {
	told, err := exec.CommandContext(ctx, "tesseract", "--list-langs").Output()
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fmt.Errorf("%w: tesseract (%s): %v", optical.ErrAway, Install, err)
	}
	out := map[string]bool{}
	for line := range strings.Lines(string(told)) {
		out[strings.TrimSpace(line)] = true
	}
	return out, nil
}

func (Reader) read(ctx context.Context, picture []byte, seen scan.Gray, model string) ([]words.Word, error) {
	room := confine.Room{Within: longest, Memory: memory, Processor: processor, Largest: largest}
	// One thread: a second one makes it hardly faster, and the class is working too.
	out, err := room.Run(ctx, picture, fmt.Sprintf(`cd /work && export OMP_THREAD_LIMIT=1 && limited tesseract in - -l %s --dpi %d -c hocr_char_boxes=1 hocr`,
		model, int(math.Round(seen.Scale*72))))
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil:
		return nil, fmt.Errorf("%w: %v", optical.ErrFailed, err)
	}
	ws, err := parse(bytes.NewReader(out), seen.Scale)
	if err != nil {
		return nil, err
	}
	ws = slices.DeleteFunc(seen.Snug(ws), func(w words.Word) bool { return !printed(w) })
	if err := optical.Check(ws, page.Pt(float64(seen.W)/seen.Scale, float64(seen.H)/seen.Scale)); err != nil {
		return nil, fmt.Errorf("%w: %v", optical.ErrFailed, err)
	}
	return ws, nil
}

// An open line or word of what the program answers.
type open struct {
	class string
	told  map[string][]float64 // bbox, baseline, x_size, x_descenders, x_wconf, x_bboxes
	text  strings.Builder
}

// parse reads hOCR (https://kba.github.io/hocr-spec/1.2/, from memory), of which there
// are lines (bbox, baseline, x_size, x_descenders), words in them (x_wconf) and their
// letters (x_bboxes).
func parse(r io.Reader, scale float64) (out []words.Word, err error) {
	d := xml.NewDecoder(r)
	d.Strict = false
	d.Entity = xml.HTMLEntity
	var stack []*open
	var word words.Word
	number, top, bottom, base, size := 0, 0.0, 0.0, func(float64) float64 { return 0 }, 0.0
	points := func(v float64) float64 { return page.Round(v / scale) }
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, fmt.Errorf("%w: its answer: %v", optical.ErrFailed, err)
		}
		switch el := token.(type) {
		case xml.StartElement:
			o := &open{told: map[string][]float64{}}
			for _, a := range el.Attr {
				switch a.Name.Local {
				case "class":
					o.class = a.Value
				case "title":
					o.told = told(a.Value)
				}
			}
			stack = append(stack, o)
			box := o.told["bbox"]
			switch o.class {
			case "ocr_line", "ocr_header", "ocr_caption", "ocr_textfloat":
				if len(box) < 4 {
					break
				}
				slope, off := 0.0, 0.0
				if b := o.told["baseline"]; len(b) == 2 {
					slope, off = b[0], b[1]
				}
				base = func(x float64) float64 { return box[3] + off + slope*(x-box[0]) }
				top, bottom, size = box[1], box[3], 0
				if s, down := o.told["x_size"], o.told["x_descenders"]; len(s) == 1 && len(down) == 1 {
					size, bottom = s[0], base((box[0]+box[2])/2)+down[0]
					top = bottom - size
				}
				number++
			case "ocrx_word":
				word = words.Word{Line: number, Size: points(size)}
				if sure := o.told["x_wconf"]; len(sure) == 1 {
					word.Sure = min(max(sure[0]/100, 0.01), 0.99)
				}
				if len(box) >= 4 {
					word.Box = [4]float64{points(box[0]), points(max(top, 0)), points(box[2]), points(bottom)}
					word.Baseline = points(base(box[0]))
				}
			case "ocrx_cinfo":
				if at := o.told["x_bboxes"]; len(at) == 4 {
					word.Edges = append(word.Edges, points(at[0]))
				}
			}
		case xml.CharData:
			for _, o := range stack {
				if o.class == "ocrx_word" {
					o.text.Write(el)
				}
			}
		case xml.EndElement:
			if len(stack) == 0 {
				continue
			}
			o := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			if o.class != "ocrx_word" {
				continue
			}
			word.Text = strings.Join(strings.Fields(o.text.String()), "")
			word.Edges = append(word.Edges, word.Box[2])
			// Boxes of letters may overlap where they lean; edges do not go back.
			for i := range word.Edges[1:] {
				word.Edges[i+1] = max(word.Edges[i+1], word.Edges[i])
			}
			if len(word.Edges) != utf8.RuneCountInString(word.Text)+1 {
				word.Edges = []float64{word.Box[0], word.Box[2]}
			}
			if word.Box[0] < word.Box[2] && word.Box[1] < word.Box[3] && word.Text != "" {
				out = append(out, word)
			}
		}
	}
}

// told takes apart what an element says of itself: "bbox 1 2 3 4; x_wconf 96".
func told(title string) map[string][]float64 {
	out := map[string][]float64{}
	for part := range strings.SplitSeq(title, ";") {
		name, rest, _ := strings.Cut(strings.TrimSpace(part), " ")
		for f := range strings.FieldsSeq(rest) {
			if v, err := strconv.ParseFloat(f, 64); err == nil {
				out[name] = append(out[name], v)
			}
		}
	}
	return out
}

// Of what is surer than this, drawings are seldom made (measured on the demo's sheets).
const guessed = 0.35

// printed reports whether a word is one, and not what the reader makes of lines to write
// on and of drawings.
func printed(w words.Word) bool {
	if w.Sure < guessed {
		return false
	}
	if strings.ContainsFunc(w.Text, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsNumber(r) }) {
		return true
	}
	return w.Sure >= optical.Unsure && !slices.ContainsFunc([]rune(w.Text), func(r rune) bool { return strings.ContainsRune("_.|~-–—", r) })
}
