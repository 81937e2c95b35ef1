package pdf

import (
	"context"
	"errors"
	"fmt"
	"os"
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
	pool, err := openPDFium(os.Getenv("READYMARGIN_CACHE"), DefaultLimits.Memory)
	if err != nil {
		return err
	}
	confine.Self()
	w := &desk{pool: pool}
	if err := writeMessage(os.Stdout, result{}, nil); err != nil {
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

// A desk is where a worker has one file open.
type desk struct {
	pool pdfium.Pool
	name string
	file []byte
	pdf  pdfium.Pdfium
	doc  *references.FPDF_DOCUMENT
}

func (d *desk) do(j job, file []byte) (res result, body []byte) {
	if !j.Kept {
		d.close()
		d.name, d.file = j.File, file
	}
	var err error
	switch j.Do {
	case "inspect":
		res.Pages, err = d.inspect(j.Limits, !j.Blind)
	case "sizes":
		res.Pages, err = d.sizes(j.Limits)
	case "picture":
		res.Type, body, err = d.picture(j.Page, j.Scale)
	case "print":
		body, err = printMarks(d.file, *j.Print)
	case "bind":
		body, err = bind(split(d.file, j.Sizes), j.Leaves)
	case "sheet":
		body, err = sheetOf(d.file)
	case "fonts":
		res.Fonts, err = usedFonts(d.file)
	case "repaint":
		body, err = repaint(d.file, j.Side)
	default:
		err = fmt.Errorf("no such work: %q", j.Do)
	}
	if err != nil {
		return result{Error: wireName(err)}, nil
	}
	return res, body
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

func (d *desk) close() {
	if d.pdf != nil {
		d.pdf.Close()
	}
	*d = desk{pool: d.pool}
}

// open makes PDFium read the file in hand, once.
func (d *desk) open() error {
	if d.doc != nil {
		return nil
	}
	p, err := d.pool.GetInstance(30 * time.Second)
	if err != nil {
		return err
	}
	d.pdf = p
	opened, err := p.OpenDocument(&requests.OpenDocument{File: &d.file})
	switch {
	case errors.Is(err, pdferrors.ErrPassword):
		return ErrEncrypted
	case err != nil:
		return fmt.Errorf("%w: %v", ErrDamaged, err)
	}
	d.doc = &opened.Document
	return nil
}
