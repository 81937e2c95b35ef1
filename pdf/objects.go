package pdf

import (
	"bytes"
	"fmt"
	"regexp"

	"readymargin/core/document"

	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
)

// lenient is how pdfcpu reads what strangers made: it takes what other
// readers take, and touches no configuration on disk.
func lenient() *model.Configuration {
	api.DisableConfigDir()
	c := model.NewDefaultConfiguration()
	c.ValidationMode = model.ValidationRelaxed
	c.Offline = true
	return c
}

// header matches the version that a file says it has (ISO 32000-2, 7.5.2).
var header = regexp.MustCompile(`%PDF-(\d\.\d)`)

// objects reads a file's objects and counts its pages. A panic of the library
// is an error of the file; a version that there is not is read as the last
// that there was before 2.0, which has as many bytes.
func objects(file []byte) (ctx *model.Context, err error) {
	defer func() {
		if r := recover(); r != nil {
			ctx, err = nil, fmt.Errorf("%w: %v", document.ErrDamaged, r)
		}
	}()
	if m := header.FindSubmatchIndex(file[:min(len(file), 1024)]); m != nil {
		if v := string(file[m[2]:m[3]]); v != "2.0" && (v < "1.0" || v > "1.7") {
			file = bytes.Clone(file)
			copy(file[m[2]:], "1.7")
		}
	}
	ctx, err = api.ReadContext(bytes.NewReader(file), lenient())
	if err == nil {
		err = ctx.EnsurePageCount()
	}
	if err != nil {
		return nil, fmt.Errorf("%w: %v", document.ErrDamaged, err)
	}
	return ctx, nil
}
