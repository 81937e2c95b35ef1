package pdf

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"github.com/klippa-app/go-pdfium"
	pdferrors "github.com/klippa-app/go-pdfium/errors"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"
	"github.com/klippa-app/go-pdfium/webassembly"
	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
	"github.com/tetratelabs/wazero/experimental"

	"readymargin/confine"
	"readymargin/core/document"
	"readymargin/core/page"
)

// WorkerMain is the whole life of a worker process: jobs from standard input,
// results to standard output, until the input ends.
func WorkerMain() {
	if err := serveJobs(); err != nil {
		fmt.Fprintln(os.Stderr, "pdf worker:", err)
		os.Exit(1)
	}
}

func serveJobs() error {
	go confine.EndWithParent()
	cache := os.Getenv("READYMARGIN_CACHE")
	before := compiled(cache)
	pool, err := openPDFium(cache, document.DefaultLimits.Memory)
	if err != nil {
		return err
	}
	fresh := compiled(cache) > before
	confine.Self()
	w := &openDocument{pool: pool}
	if err := writeMessage(os.Stdout, result{Compiled: fresh}, nil); err != nil {
		return err
	}
	for {
		var j job
		file, err := readMessage(os.Stdin, &j)
		if err != nil {
			return nil // the parent is done with us
		}
		res, body := w.do(j, file)
		if err := writeMessage(os.Stdout, res, body); err != nil {
			return err
		}
	}
}

// compiled counts the files of compiled code in a cache.
func compiled(cache string) (n int) {
	if cache == "" {
		return 0
	}
	filepath.WalkDir(cache, func(_ string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			n++
		}
		return nil
	})
	return n
}

// mapped is memory for the sandbox that goes back to the system on Free.
type mapped struct{ b []byte }

func (m *mapped) Reallocate(n uint64) []byte {
	if n > uint64(len(m.b)) {
		return nil
	}
	return m.b[:n:n]
}
func (m *mapped) Free() { syscall.Munmap(m.b); m.b = nil }

func allocate(_, most uint64) experimental.LinearMemory {
	b, err := syscall.Mmap(-1, 0, int(most), syscall.PROT_READ|syscall.PROT_WRITE, syscall.MAP_ANON|syscall.MAP_PRIVATE|syscall.MAP_NORESERVE)
	if err != nil {
		panic(err) // the worker cannot live without memory
	}
	return &mapped{b}
}

// openPDFium starts PDFium in its sandbox with no file system and with at
// most memory bytes.
func openPDFium(cache string, memory int64) (pdfium.Pool, error) {
	ctx := experimental.WithMemoryAllocator(context.Background(), experimental.MemoryAllocatorFunc(allocate))
	rc := wazero.NewRuntimeConfig().
		WithCoreFeatures(api.CoreFeaturesV2 | experimental.CoreFeaturesExceptionHandling).
		WithMemoryLimitPages(uint32(memory >> 16))
	if cache != "" {
		c, err := wazero.NewCompilationCacheWithDir(cache)
		if err != nil {
			return nil, err
		}
		rc = rc.WithCompilationCache(c)
	}
	return webassembly.Init(webassembly.Config{
		Context: ctx, MaxIdle: 1, MaxTotal: 1, RuntimeConfig: rc, FSConfig: wazero.NewFSConfig(),
	})
}

// A desk is where a worker has one file open, or two that are compared.
type openDocument struct {
	pool pdfium.Pool
	name string
	file []byte
	pdf  pdfium.Pdfium
	docs []*openFile
}

// An openFile is a file that PDFium has read.
type openFile struct {
	file []byte
	ref  references.FPDF_DOCUMENT
}

// do does one piece of work. A panic of a library is an error like any other
// that it makes of a file, and costs the file alone.
func (d *openDocument) do(j job, file []byte) (res result, body []byte) {
	if !j.Kept {
		d.close()
		d.name, d.file = j.File, file
	}
	var err error
	func() {
		defer func() {
			if r := recover(); r != nil {
				err = fmt.Errorf("%w: %s: %v", document.ErrDamaged, j.Do, r)
			}
		}()
		res, body, err = d.work(j)
	}()
	if err != nil {
		return result{Error: wireName(err)}, nil
	}
	return res, body
}

func (d *openDocument) work(j job) (res result, body []byte, err error) {
	switch j.Do {
	case "inspect":
		res.Pages, err = d.inspect(j.Limits, !j.Blind)
	case "sizes":
		res.Pages, err = d.sizes(j.Limits)
	case "picture":
		res.Type, body, err = d.picture(j.Page, j.Scale, func(m *image.RGBA) (string, []byte, error) { return encode(m, j.Light) })
	case "plain":
		res.Type, body, err = d.picture(j.Page, j.Scale, lossless)
	case "upright":
		body, err = d.upright(j.Page, j.Lean, j.Scale)
	case "print":
		parts := split(d.file, j.Sizes)
		var what document.Export
		if what, err = unpackExport(parts[1]); err != nil {
			break
		}
		what.Pictures = map[string][]byte{}
		for i, hash := range j.Hashes {
			what.Pictures[hash] = parts[i+2]
		}
		body, err = printAll(parts[0], what)
	case "ink":
		res.Ink, err = d.ink(j.Page)
	case "picture ink":
		res.Ink, err = pictureInk(d.file, j.Size)
	case "differ":
		res.Parts, body, err = d.differ(j.Sizes, j.Page, j.Other)
	case "assemble":
		body, err = assemble(split(d.file, j.Sizes), j.Leaves, d)
	case "leads":
		var l document.Leads
		l, err = leads(d.file)
		res.Leads = &l
	case "carries":
		c := carried(d.file)
		res.Carried = &c
	case "bare":
		body, res.Copy, err = bare(d.file)
	case "annotations":
		var all document.Annotated
		if all, err = annotated(d.file, j.Boxes); err == nil {
			body, err = encoded(all)
		}
	case "without":
		body, err = without(d.file, j.Gone)
	case "codes":
		res.Codes, res.Count, err = d.codes(j.Page)
	case "laid":
		body, err = d.laid(j.Page, j.Ties, j.Size)
	case "turned":
		body, err = turnPages(d.file, j.Turns)
	case "sheet":
		body, err = sheetOf(d.file)
	case "fonts":
		res.Fonts, err = usedFonts(d.file)
	case "repaint":
		body, err = repaint(d.file, j.Painting)
	default:
		err = fmt.Errorf("no such work: %q", j.Do)
	}
	return res, body, err
}

// split takes apart files that came as one.
func split(all []byte, sizes []int) (files [][]byte) {
	for _, n := range sizes {
		files, all = append(files, all[:n]), all[n:]
	}
	return files
}

// wireName returns the name under which the parent knows err.
func wireName(err error) string {
	for name, known := range failures {
		if errors.Is(err, known) {
			return name
		}
	}
	return err.Error()
}

// rewritten returns the i-th file in hand as PDFium writes it.
func (d *openDocument) rewritten(i int, file []byte) ([]byte, error) {
	doc, err := d.document(i, file)
	if err != nil {
		return nil, err
	}
	saved, err := d.pdf.FPDF_SaveAsCopy(&requests.FPDF_SaveAsCopy{Document: doc, Flags: requests.SaveFlagRemoveSecurity})
	if err != nil {
		return nil, fmt.Errorf("%w: %v", document.ErrDamaged, err)
	}
	if saved.FileBytes == nil {
		return nil, document.ErrDamaged
	}
	return *saved.FileBytes, nil
}

// Of a page that can only be handed out as a picture, so many pixels a point
// are painted, and at most so many.
const (
	pictureScale  = 2.5
	picturePixels = 12_000_000
)

// pictured returns a page of the i-th file in hand as a picture.
func (d *openDocument) pictured(i int, file []byte, number int) (picture []byte, size page.Point, w, h int, err error) {
	doc, err := d.document(i, file)
	if err != nil {
		return nil, size, 0, 0, err
	}
	if size, err = d.size(doc, number); err != nil {
		return nil, size, 0, 0, err
	}
	m, done, err := d.render(doc, number, pictureScale, picturePixels)
	if err != nil {
		return nil, size, 0, 0, err
	}
	defer done()
	var out bytes.Buffer
	err = jpeg.Encode(&out, m, &jpeg.Options{Quality: 88})
	return out.Bytes(), size, m.Bounds().Dx(), m.Bounds().Dy(), err
}

func (d *openDocument) close() {
	if d.pdf != nil {
		d.pdf.Close()
	}
	*d = openDocument{pool: d.pool}
}

// open makes PDFium read the file in hand, once.
func (d *openDocument) open() (references.FPDF_DOCUMENT, error) { return d.document(0, d.file) }

// document makes PDFium read the i-th file in hand, once.
func (d *openDocument) document(i int, file []byte) (ref references.FPDF_DOCUMENT, err error) {
	for len(d.docs) <= i {
		d.docs = append(d.docs, nil)
	}
	if d.docs[i] != nil {
		return d.docs[i].ref, nil
	}
	if d.pdf == nil {
		if d.pdf, err = d.pool.GetInstance(30 * time.Second); err != nil {
			return ref, err
		}
	}
	doc := &openFile{file: file}
	opened, err := d.pdf.OpenDocument(&requests.OpenDocument{File: &doc.file})
	switch {
	case errors.Is(err, pdferrors.ErrPassword):
		return ref, document.ErrEncrypted
	case err != nil:
		return ref, fmt.Errorf("%w: %v", document.ErrDamaged, err)
	}
	doc.ref = opened.Document
	d.docs[i] = doc
	return doc.ref, nil
}
