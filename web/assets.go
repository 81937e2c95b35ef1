package web

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"mime"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"readymargin/core/access"
	"readymargin/core/typeset"
)

//go:embed all:static
var shipped embed.FS

// scripts is where the bundled modules are.
const scripts = "static/dist/script/"

// assets are the files that ship with the application, under an address that
// changes with their content, so that browsers keep them for good.
type assets struct {
	version string
	plain   map[string][]byte
	brotli  map[string][]byte        // packed when it was built
	packed  map[string]func() []byte // gzip, for browsers and ways that have nothing better; made when one asks
}

// loadAssets reads the files that pages link, and packs them once.
func loadAssets() (*assets, error) {
	a := &assets{plain: map[string][]byte{}, brotli: map[string][]byte{}, packed: map[string]func() []byte{}}
	if err := a.take(shipped, "."); err != nil {
		return nil, err
	}
	if err := a.take(typeset.Files, "."); err != nil {
		return nil, err
	}
	if a.plain["static/dist/core.wasm"] == nil {
		return nil, fmt.Errorf("web: static/dist/core.wasm is missing: build it with `make build`")
	}
	sum := sha256.New()
	for _, name := range slices.Sorted(maps.Keys(a.plain)) {
		fmt.Fprintf(sum, "%s %x\n", name, sha256.Sum256(a.plain[name]))
	}
	a.version = hex.EncodeToString(sum.Sum(nil))[:12]
	return a, nil
}

// take reads the files below a folder.
func (a *assets) take(from fs.FS, root string) error {
	return fs.WalkDir(from, root, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(from, name)
		if err != nil {
			return err
		}
		if of, ok := strings.CutSuffix(name, ".br"); ok {
			a.brotli[of] = b
			return nil
		}
		a.plain[name] = b
		switch path.Ext(name) {
		case ".js", ".css", ".wasm", ".json", ".svg":
			a.packed[name] = sync.OnceValue(func() []byte { return pack(b) })
		}
		return nil
	})
}

// pack compresses by gzip, for browsers that know no better way.
func pack(b []byte) []byte {
	var out bytes.Buffer
	z, _ := gzip.NewWriterLevel(&out, gzip.BestCompression)
	z.Write(b)
	z.Close()
	return out.Bytes()
}

// url returns where a file is served.
func (a *assets) url(name string) string { return "/a/" + a.version + "/" + name }

// imported matches a module that another one imports before it runs, as the
// bundle writes it.
var imported = regexp.MustCompile(`(?:^|[;}])import(?:[^("]*from)?"\./([^"]+\.js)"`)

// modules returns where a script's modules are served, all that it needs to
// run, so that the browser need not find them one behind the other.
func (a *assets) modules(entry string) (urls []string) {
	names := []string{entry}
	for i := 0; i < len(names); i++ {
		urls = append(urls, a.url(names[i]))
		for _, m := range imported.FindAllSubmatch(a.plain[names[i]], -1) {
			if name := scripts + string(m[1]); !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	return urls
}

// serve answers with a file of this version, packed as the browser takes it.
func (a *assets) serve(c *echo.Context) error {
	version, name, _ := strings.Cut(c.Param("*"), "/")
	b, ok := a.plain[name]
	if !ok || version != a.version { // what is of another version would be kept under that name for good
		return access.ErrHidden
	}
	h := c.Response().Header()
	h.Set("Cache-Control", "public, max-age=31536000, immutable")
	h.Set("Vary", "Accept-Encoding")
	kind := mime.TypeByExtension(path.Ext(name))
	switch path.Ext(name) {
	case ".wasm":
		kind = "application/wasm"
	case ".woff":
		kind = "font/woff"
	case ".woff2":
		kind = "font/woff2"
	}
	h.Set("Content-Type", kind)
	accepted := c.Request().Header.Get("Accept-Encoding")
	brotli, packed := a.brotli[name], a.packed[name]
	switch {
	case brotli != nil && strings.Contains(accepted, "br"):
		h.Set("Content-Encoding", "br")
		return c.Blob(http.StatusOK, kind, brotli)
	case packed != nil && strings.Contains(accepted, "gzip"):
		h.Set("Content-Encoding", "gzip")
		return c.Blob(http.StatusOK, kind, packed())
	}
	http.ServeContent(c.Response(), c.Request(), name, time.Time{}, bytes.NewReader(b))
	return nil
}

// offline lists what a copy needs on a device without a connection: all
// scripts but the bench's, the styles, the core, and the interface's fonts.
func (a *assets) offline() (urls []string) {
	for _, name := range slices.Sorted(maps.Keys(a.plain)) {
		switch {
		case name == scripts+"bench.js", name == scripts+"service-worker.js":
		case strings.HasPrefix(name, "static/dist/"), name == "static/app.css", name == "static/icon.svg":
			urls = append(urls, a.url(name))
		case strings.HasPrefix(name, "static/fonts/"), strings.HasPrefix(name, "fonts/clear-400-normal"):
			urls = append(urls, a.url(name))
		}
	}
	return urls
}

// serviceWorker serves the script that lets copies be opened without a
// connection. It stands at the root, because it answers for all pages.
func (s *Site) serviceWorker(c *echo.Context) error {
	files, err := json.Marshal(s.assets.offline())
	if err != nil {
		return err
	}
	c.Response().Header().Set("Cache-Control", "no-cache")
	return c.Blob(http.StatusOK, "text/javascript; charset=utf-8", fmt.Appendf(nil, "const VERSION = %q, FILES = %s;\n%s", s.assets.version, files, s.assets.plain[scripts+"service-worker.js"]))
}
