// Package house starts a whole Ready Margin for the tests, the benchmarks and
// the pictures: a private MariaDB and the real server as processes of their
// own, which can be killed and come back.
package house

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"readymargin/office"
	"readymargin/pdf"
	"readymargin/photo"
	"readymargin/school/services"
	"readymargin/sound"
	"readymargin/standin/mailserver"
	"readymargin/standin/recogniser"
	"readymargin/store"
	"readymargin/store/mariadb"
	"readymargin/tesseract"
)

// Root is the project's folder.
func Root() string {
	_, file, _, _ := runtime.Caller(0)
	return filepath.Join(filepath.Dir(file), "..", "..")
}

// Binary is the program under test, built by `make build`.
func Binary() string { return filepath.Join(Root(), "bin", "readymargin") }

// Cache is where the compiled PDFium is kept between runs.
func Cache() string { return filepath.Join(Root(), "var", "test", "pdfium") }

// A House is a running school. School, Store and Press reach into it past the
// interface, for setting a scene.
type House struct {
	Base    string
	Metrics string // where the server is watched
	DB      *mariadb.Server
	School  *services.All
	Store   *store.Store
	Engine  *pdf.Pool
	Mail    *mailserver.Server // that the school sends its letters to

	dir, dsn, address, watched, mail string
	recogniser                       *httptest.Server
	server                           *exec.Cmd
	ended                            chan struct{}
}

// Open starts a house on an empty database. Close ends all of it.
func Open(ctx context.Context) (*House, error) {
	if _, err := os.Stat(Binary()); err != nil {
		return nil, errors.New("house: bin/readymargin is missing: make build")
	}
	dir, err := os.MkdirTemp("", "readymargin-house-*")
	if err != nil {
		return nil, err
	}
	h := &House{dir: dir}
	if err := h.open(ctx); err != nil {
		h.Close()
		return nil, err
	}
	return h, nil
}

func (h *House) open(ctx context.Context) (err error) {
	if err := os.MkdirAll(Cache(), 0o700); err != nil {
		return err
	}
	if h.DB, err = mariadb.Start(ctx, filepath.Join(h.dir, "db")); err != nil {
		return err
	}
	if h.dsn, err = h.DB.Database(ctx, "readymargin"); err != nil {
		return err
	}
	if h.Store, err = store.Open(store.Config{DSN: h.dsn}); err != nil {
		return err
	}
	if err := h.Store.Migrate(ctx); err != nil {
		return err
	}
	if h.Engine, err = pdf.NewPool(pdf.Config{Command: []string{Binary(), "pdf-worker"}, Cache: Cache(), Workers: 1}); err != nil {
		return err
	}
	h.School = h.UseCases(h.Store)
	port, err := mariadb.FreePort()
	if err != nil {
		return err
	}
	h.address = fmt.Sprintf("127.0.0.1:%d", port)
	if port, err = mariadb.FreePort(); err != nil {
		return err
	}
	h.watched = fmt.Sprintf("127.0.0.1:%d", port)
	h.Metrics = "http://" + h.watched + "/metrics"
	h.Base = "http://" + h.address
	return h.Serve()
}

// DSN returns the database's.
func (h *House) DSN() string { return h.dsn }

// Serve starts the server, again after KillServer, at the same address.
func (h *House) Serve() error {
	cache := filepath.Join(h.dir, "cache")
	if err := os.MkdirAll(cache, 0o700); err != nil {
		return err
	}
	if err := os.Symlink(Cache(), filepath.Join(cache, "pdfium")); err != nil && !errors.Is(err, os.ErrExist) {
		return err
	}
	if h.Mail == nil {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return err
		}
		h.Mail, h.mail = mailserver.Serve(l), "smtp://"+l.Addr().String()
		h.recogniser = httptest.NewServer(recogniser.Handler())
	}
	h.server = exec.Command(Binary(), "serve", "-address", h.address, "-metrics", h.watched, "-cache", cache, "-mail", h.mail, "-mail-from", "margin@skerrymouth.example", "-recogniser", h.recogniser.URL)
	h.server.Env = append(os.Environ(), "READYMARGIN_DSN="+h.dsn)
	h.server.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	out, err := h.server.StderrPipe()
	if err != nil {
		return err
	}
	if err := h.server.Start(); err != nil {
		return err
	}
	go func() {
		for s := bufio.NewScanner(out); s.Scan(); {
			if strings.Contains(s.Text(), "ERROR") || strings.Contains(s.Text(), "panic") {
				fmt.Fprintln(os.Stderr, "server:", s.Text())
			}
		}
	}()
	h.ended = make(chan struct{})
	go func(cmd *exec.Cmd, ended chan struct{}) { cmd.Wait(); close(ended) }(h.server, h.ended)
	for range 400 {
		if res, err := http.Get(h.Base + "/readyz"); err == nil {
			res.Body.Close()
			if res.StatusCode == http.StatusOK {
				return nil
			}
		}
		select {
		case <-h.ended:
			return errors.New("house: the server ended")
		case <-time.After(50 * time.Millisecond):
		}
	}
	return errors.New("house: the server does not answer")
}

// KillServer ends the server with SIGKILL.
func (h *House) KillServer() {
	h.server.Process.Kill()
	<-h.ended
}

// ServerMemory returns how much memory the server's own process holds, in
// bytes, without that of its workers (proc(5), statm).
func (h *House) ServerMemory() (int64, error) {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/statm", h.server.Process.Pid))
	if err != nil {
		return 0, err
	}
	var size, resident int64
	_, err = fmt.Sscan(string(b), &size, &resident)
	return resident * int64(os.Getpagesize()), err
}

// ForgetBlobs empties the server's cache of blobs.
func (h *House) ForgetBlobs() {
	files, _ := filepath.Glob(filepath.Join(h.dir, "cache", "blobs", "*"))
	for _, f := range files {
		os.Remove(f)
	}
}

// Close ends everything and removes its data.
func (h *House) Close() {
	if h.server != nil {
		h.server.Process.Signal(syscall.SIGTERM)
		<-h.ended
	}
	if h.Engine != nil {
		h.Engine.Close()
	}
	if h.Store != nil {
		h.Store.Close()
	}
	if h.DB != nil {
		h.DB.Stop()
	}
	os.RemoveAll(h.dir)
}

// UseCases returns the use cases over another connection to the same store.
func (h *House) UseCases(st *store.Store) *services.All {
	return services.New(st, h.Engine, services.Programs{Transcoder: sound.Ffmpeg{}, Office: &office.LibreOffice{}, Photos: photo.Heif{}, Letters: tesseract.Reader{}})
}
