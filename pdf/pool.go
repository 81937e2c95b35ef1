package pdf

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/gob"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"readymargin/confine"
	"readymargin/core/document"
	"readymargin/core/elsewhere"
	"readymargin/core/page"
	"readymargin/core/photograph"
	"readymargin/core/scan"
	"readymargin/queue"
)

// Config says how workers are started.
type Config struct {
	Command []string        // the program to run as a worker; by default this binary with "pdf-worker"
	Cache   string          // folder for the compiled PDFium, kept between starts
	Workers int             // 0 means one for each processor, and two at least
	Limits  document.Limits // zero means DefaultLimits
}

// A Pool keeps a few workers and gives them one piece of work at a time. Its
// methods may be called from many goroutines. Who comes when is said by the
// context; see package queue. One worker is kept for what somebody looks at
// now, so that no upload stands before a page.
type Pool struct {
	cfg   Config
	turns *queue.Queue

	mu   sync.Mutex
	idle []*worker // started, and with nothing to do
}

// NewPool returns a pool; workers are started when they are needed.
func NewPool(cfg Config) (*Pool, error) {
	if cfg.Workers == 0 {
		cfg.Workers = max(2, runtime.NumCPU())
	}
	if cfg.Limits == (document.Limits{}) {
		cfg.Limits = document.DefaultLimits
	}
	if len(cfg.Command) == 0 {
		self, err := os.Executable()
		if err != nil {
			return nil, err
		}
		cfg.Command = []string{self, "pdf-worker"}
	}
	return &Pool{cfg: cfg, turns: queue.New(queue.Config{AtOnce: cfg.Workers, Kept: min(1, cfg.Workers-1), PerOwner: max(1, cfg.Workers-1)})}, nil
}

// Load returns how many workers are at work, and how much work waits for one.
func (p *Pool) Load() (working, waiting int) { return p.turns.Load() }

// Close ends the workers, waiting for work in hand.
func (p *Pool) Close() {
	for i := range p.cfg.Workers {
		p.turns.EnterAs(queue.In(context.Background(), queue.Look), fmt.Sprint("closing ", i)) // and is not left
	}
	for _, w := range p.idle {
		w.kill()
	}
}

// Limits returns the limits in force.
func (p *Pool) Limits() document.Limits { return p.cfg.Limits }

// Inspect opens a file and returns its pages, or one of this package's errors.
func (p *Pool) Inspect(ctx context.Context, file []byte) ([]document.Page, error) {
	if err := p.fits(file); err != nil {
		return nil, err
	}
	res, _, err := p.do(ctx, job{Do: "inspect"}, file)
	if errors.Is(err, document.ErrTime) || errors.Is(err, document.ErrMemory) {
		// A page may cost too much to be looked at and yet be of use.
		res, _, err = p.do(ctx, job{Do: "inspect", Blind: true}, file)
	}
	return res.Pages, err
}

// Sizes opens a file and returns its pages with nothing but their sizes, or
// one of this package's errors. It is far quicker than Inspect. A unit of its
// own that a page may have (UserUnit) is left out.
func (p *Pool) Sizes(ctx context.Context, file []byte) ([]document.Page, error) {
	if err := p.fits(file); err != nil {
		return nil, err
	}
	res, _, err := p.do(ctx, job{Do: "sizes"}, file)
	return res.Pages, err
}

// fits refuses what is no PDF or has too many bytes.
func (p *Pool) fits(file []byte) error {
	switch head := file[:min(len(file), 1024)]; {
	case int64(len(file)) > p.cfg.Limits.Bytes:
		return document.ErrTooLarge
	case !bytes.Contains(head, []byte("%PDF-")):
		return document.ErrNotPDF
	}
	return nil
}

// Picture renders a page, counted from 1, at so many pixels a point.
func (p *Pool) Picture(ctx context.Context, file []byte, page int, scale float64) (document.Picture, error) {
	res, b, err := p.do(ctx, job{Do: "picture", Page: page, Scale: scale}, file)
	return document.Picture{Type: res.Type, Data: b}, err
}

// Light is Picture for slow lines: scans and photographs are kept more roughly.
func (p *Pool) Light(ctx context.Context, file []byte, page int, scale float64) (document.Picture, error) {
	res, b, err := p.do(ctx, job{Do: "picture", Page: page, Scale: scale, Light: true}, file)
	return document.Picture{Type: res.Type, Data: b}, err
}

// Plain is Picture as PNG, whatever is on the page.
func (p *Pool) Plain(ctx context.Context, file []byte, page int, scale float64) (document.Picture, error) {
	res, b, err := p.do(ctx, job{Do: "plain", Page: page, Scale: scale}, file)
	return document.Picture{Type: res.Type, Data: b}, err
}

// Print returns the file with marks printed on its pages. The original's
// bytes stand unchanged at the beginning of the new file. All of it is made in
// the worker, and ends when the context does.
func (p *Pool) Print(ctx context.Context, file []byte, what document.Export) ([]byte, error) {
	marks, err := packExport(what)
	if err != nil {
		return nil, fmt.Errorf("pdf: what is to be printed: %w", err)
	}
	j, parts := job{Do: "print", Sizes: []int{len(file), len(marks)}}, [][]byte{file, marks}
	for _, hash := range slices.Sorted(maps.Keys(what.Pictures)) {
		pic := what.Pictures[hash]
		j.Hashes, j.Sizes, parts = append(j.Hashes, hash), append(j.Sizes, len(pic)), append(parts, pic)
	}
	_, b, err := p.do(ctx, j, bytes.Join(parts, nil))
	return b, err
}

// Annotations returns what was done on a file's pages with annotations and in its
// form. Boxes are those that Inspect gave.
func (p *Pool) Annotations(ctx context.Context, file []byte, boxes []page.Box) (out document.Annotated, err error) {
	_, b, err := p.do(ctx, job{Do: "annotations", Boxes: boxes}, file)
	if err != nil {
		return out, err
	}
	return out, gob.NewDecoder(bytes.NewReader(b)).Decode(&out)
}

// Without returns a file without some of its annotations.
func (p *Pool) Without(ctx context.Context, file []byte, gone []elsewhere.Place) ([]byte, error) {
	if len(gone) == 0 {
		return file, nil
	}
	_, b, err := p.do(ctx, job{Do: "without", Gone: gone}, file)
	return b, err
}

// Codes returns the codes that are seen on a page of a scan, or in a picture, of which
// it is page 1, and how many pages there are.
func (p *Pool) Codes(ctx context.Context, file []byte, page int) ([]document.Code, int, error) {
	if err := p.fits(file); err != nil && !(errors.Is(err, document.ErrNotPDF) && document.IsPicture(file)) {
		return nil, 0, err
	}
	res, _, err := p.do(ctx, job{Do: "codes", Page: page}, file)
	return res.Codes, res.Count, err
}

// Laid returns a page of a scan, or a picture, as the page of a size in points that it
// shows, in even light, as JPEG: how it lies in the picture is told by ties. Without any
// it is painted as it is seen.
func (p *Pool) Laid(ctx context.Context, file []byte, page int, ties []photograph.Tie, size page.Point) ([]byte, error) {
	_, b, err := p.do(ctx, job{Do: "laid", Page: page, Ties: ties, Size: size}, file)
	return b, err
}

// Turned returns a file with its pages turned, in degrees clockwise beside how each
// of them is turned already.
func (p *Pool) Turned(ctx context.Context, file []byte, turns []int) ([]byte, error) {
	_, b, err := p.do(ctx, job{Do: "turned", Turns: turns}, file)
	return b, err
}

// Ink maps where a page, counted from 1, has ink.
func (p *Pool) Ink(ctx context.Context, file []byte, page int) (scan.Ink, error) {
	res, _, err := p.do(ctx, job{Do: "ink", Page: page}, file)
	if err != nil || res.Ink == nil {
		return scan.Ink{}, err
	}
	return *res.Ink, nil
}

// PictureInk maps where a picture of a page has ink, were it as large as the
// page, in points.
func (p *Pool) PictureInk(ctx context.Context, picture []byte, size page.Point) (scan.Ink, error) {
	res, _, err := p.do(ctx, job{Do: "picture ink", Size: size}, picture)
	if err != nil || res.Ink == nil {
		return scan.Ink{}, err
	}
	return *res.Ink, nil
}

// Differ returns where page of file differs from a page of the sheet, in page
// space of the sheet.
func (p *Pool) Differ(ctx context.Context, sheet []byte, number int, file []byte, page int) ([]document.Part, error) {
	res, b, err := p.do(ctx, job{Do: "differ", Page: number, Other: page, Sizes: []int{len(sheet), len(file)}}, bytes.Join([][]byte{sheet, file}, nil))
	for i := range res.Parts {
		res.Parts[i].JPEG, b = b[:res.Parts[i].Size], b[res.Parts[i].Size:]
	}
	return res.Parts, err
}

// Bare returns a file without the marks and pages that printing a copy added to
// it, and the number of that copy; nil and 0 where there are none.
func (p *Pool) Bare(ctx context.Context, file []byte) ([]byte, uint64, error) {
	res, b, err := p.do(ctx, job{Do: "bare"}, file)
	return b, res.Copy, err
}

// Assemble makes one file of pages of several, in the order of the leaves. What
// is not on a bound page is in no byte of it.
func (p *Pool) Assemble(ctx context.Context, files [][]byte, leaves []document.PageRef) ([]byte, error) {
	sizes := make([]int, len(files))
	for i, f := range files {
		sizes[i] = len(f)
	}
	_, b, err := p.do(ctx, job{Do: "assemble", Sizes: sizes, Leaves: leaves}, bytes.Join(files, nil))
	return b, err
}

// Leads returns what leads from page to page of a file that Assemble has made.
func (p *Pool) Leads(ctx context.Context, file []byte) (document.Leads, error) {
	res, _, err := p.do(ctx, job{Do: "leads"}, file)
	if err != nil || res.Leads == nil {
		return document.Leads{}, err
	}
	return *res.Leads, nil
}

// Carries returns what a file carries beside what is seen on its pages.
func (p *Pool) Carries(ctx context.Context, file []byte) (document.Carried, error) {
	res, _, err := p.do(ctx, job{Do: "carries"}, file)
	if err != nil || res.Carried == nil {
		return document.Carried{}, err
	}
	return *res.Carried, nil
}

// SheetOf makes a PDF of one page of a PNG, JPEG or WebP picture.
func (p *Pool) SheetOf(ctx context.Context, picture []byte) ([]byte, error) {
	if int64(len(picture)) > p.cfg.Limits.Bytes {
		return nil, document.ErrTooLarge
	}
	_, b, err := p.do(ctx, job{Do: "sheet"}, picture)
	return b, err
}

// Fonts returns for each page the names of the fonts that are used on it.
func (p *Pool) Fonts(ctx context.Context, file []byte) ([][]string, error) {
	res, _, err := p.do(ctx, job{Do: "fonts"}, file)
	return res.Fonts, err
}

// Repaint makes a JPEG of a PNG, JPEG or WebP picture: upright, at most side
// pixels long, and with nothing of the file but what is seen. A picture of more
// than so many pixels is ErrPixels.
func (p *Pool) Repaint(ctx context.Context, picture []byte, how document.Painting) ([]byte, error) {
	if int64(len(picture)) > p.cfg.Limits.Bytes {
		return nil, document.ErrTooLarge
	}
	_, b, err := p.do(ctx, job{Do: "repaint", Painting: how}, picture)
	return b, err
}

// do gives a job to a free worker when it is its turn. A worker that breaks a
// limit or dies is replaced; the others go on.
func (p *Pool) do(ctx context.Context, j job, file []byte) (result, []byte, error) {
	sum := sha256.Sum256(file)
	j.File, j.Limits = hex.EncodeToString(sum[:]), p.cfg.Limits
	leave, err := p.turns.Enter(ctx)
	if err != nil {
		return result{}, nil, err
	}
	defer leave()
	w := p.take(j.File)
	if w == nil {
		if w, err = p.start(ctx); err != nil {
			return result{}, nil, err
		}
	}
	res, body, err := w.work(ctx, j, file)
	if err != nil {
		w.kill()
		return result{}, nil, err
	}
	if w.unlessTired() != nil {
		p.mu.Lock()
		p.idle = append(p.idle, w)
		p.mu.Unlock()
	}
	if res.Error != "" {
		if known := failures[res.Error]; known != nil {
			return result{}, nil, known
		}
		return result{}, nil, fmt.Errorf("pdf: %s", res.Error)
	}
	return res, body, nil
}

// take returns an idle worker, if there is one: best one that has the file
// open, else the one that has been idle for the shortest time.
func (p *Pool) take(file string) *worker {
	p.mu.Lock()
	defer p.mu.Unlock()
	n := len(p.idle) - 1
	if n < 0 {
		return nil
	}
	if i := slices.IndexFunc(p.idle, func(w *worker) bool { return w.file == file }); i >= 0 {
		n = i
	}
	w := p.idle[n]
	p.idle = slices.Delete(p.idle, n, n+1)
	return w
}

// a worker is a running child process.
type worker struct {
	cmd   *exec.Cmd
	in    io.WriteCloser
	out   io.Reader
	file  string // the file it has open
	jobs  int
	ended chan struct{}
}

// tiredAfter is the number of jobs after which a worker is replaced: PDFium
// keeps handles until its instance ends.
const tiredAfter = 200

func (w *worker) unlessTired() *worker {
	if w.jobs++; w.jobs < tiredAfter {
		return w
	}
	w.kill()
	return nil
}

func (p *Pool) start(ctx context.Context) (*worker, error) {
	cmd := exec.Command(p.cfg.Command[0], p.cfg.Command[1:]...)
	cmd.Env = []string{"READYMARGIN_CACHE=" + p.cfg.Cache, "GOMEMLIMIT=" + strconv.FormatInt(p.cfg.Limits.Memory, 10), "HOME=/nonexistent"}
	cmd.Stderr = os.Stderr
	in, err := cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	confine.Child(cmd)
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("pdf: starting a worker: %w", err)
	}
	w := &worker{cmd: cmd, in: in, out: out, ended: make(chan struct{})}
	go func() { cmd.Wait(); close(w.ended) }()
	// The worker says "ready" before it is given anything, so that the time
	// it takes to start is not counted against a file. On a busy machine with
	// no compiled engine at hand that may be long.
	stop := context.AfterFunc(ctx, w.kill)
	defer stop()
	var ready result
	if _, err := readMessage(out, &ready); err != nil {
		w.kill()
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, fmt.Errorf("pdf: a worker did not start: %w", err)
	}
	if ready.Compiled {
		// What compiling took stays with it and would be counted against a
		// file: the next one finds the engine compiled.
		w.kill()
		return p.start(ctx)
	}
	return w, nil
}

func (w *worker) kill() { w.cmd.Process.Signal(syscall.SIGKILL) }

// work runs one job. It returns an error when the worker can no longer be
// used: ErrTime, ErrMemory, the context's, or ErrDamaged when it died of the file.
func (w *worker) work(ctx context.Context, j job, file []byte) (res result, body []byte, err error) {
	j.Kept = w.file == j.File
	w.file = j.File
	if j.Kept {
		file = nil
	}
	var broken atomic.Pointer[error]
	done, watched := make(chan struct{}), make(chan struct{})
	go func() { w.watch(ctx, j.Limits, done, &broken); close(watched) }()
	err = writeMessage(w.in, j, file)
	if err == nil {
		body, err = readMessage(w.out, &res)
	}
	close(done)
	<-watched // or it might yet end the worker, whose next piece of work has begun by then
	if cause := broken.Load(); cause != nil {
		return res, nil, *cause
	}
	if err != nil {
		return res, nil, fmt.Errorf("%w: the worker ended", document.ErrDamaged)
	}
	return res, body, nil
}

// watch ends the worker when it breaks a limit.
func (w *worker) watch(ctx context.Context, l document.Limits, done chan struct{}, broken *atomic.Pointer[error]) {
	end := func(err error) {
		broken.Store(&err)
		w.kill()
	}
	deadline := time.After(l.Time)
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-done:
			return
		case <-ctx.Done():
			end(ctx.Err())
			return
		case <-deadline:
			end(document.ErrTime)
			return
		case <-tick.C:
			if resident(w.cmd.Process.Pid) > l.Memory+programMemory {
				end(document.ErrMemory)
				return
			}
		}
	}
}

// programMemory is what the worker takes without a file: the Go program and
// the compiled PDFium.
const programMemory = 160 << 20

// resident returns the memory that a process holds, in bytes (proc(5), statm).
func resident(pid int) int64 {
	b, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/statm")
	if err != nil {
		return 0
	}
	fields := strings.Fields(string(b))
	if len(fields) < 2 {
		return 0
	}
	pages, _ := strconv.ParseInt(fields[1], 10, 64)
	return pages * int64(os.Getpagesize())
}

// Warm starts a worker once, which compiles PDFium into the cache.
func (p *Pool) Warm() error {
	w, err := p.start(context.Background())
	if err != nil {
		return err
	}
	w.kill()
	<-w.ended
	return nil
}

// Confinement reports which walls a worker stands behind on this machine.
func (p *Pool) Confinement() (map[string]bool, error) {
	w, err := p.start(context.Background())
	if err != nil {
		return nil, err
	}
	defer w.kill()
	pid := strconv.Itoa(w.cmd.Process.Pid)
	other := func(ns string) bool {
		a, err1 := os.Readlink("/proc/self/ns/" + ns)
		b, err2 := os.Readlink("/proc/" + pid + "/ns/" + ns)
		return err1 == nil && err2 == nil && a != b
	}
	root, err := os.Readlink("/proc/" + pid + "/root")
	status, err2 := os.ReadFile("/proc/" + pid + "/status")
	if err = errors.Join(err, err2); err != nil {
		return nil, err
	}
	return map[string]bool{
		"resource limits": true,
		"no network":      other("net"),
		"empty root":      root != "/",
		"another user":    os.Getuid() == 0 && !strings.Contains(string(status), "Uid:\t0\t"),
	}, nil
}
