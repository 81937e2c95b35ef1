package web

import (
	"fmt"
	"html/template"
	"strings"

	"github.com/skip2/go-qrcode"
)

// qr draws a text as a QR code (ISO/IEC 18004) that a camera reads, with the quiet
// zone that it needs.
func qr(text string) (template.HTML, error) {
	code, err := qrcode.New(text, qrcode.Medium)
	if err != nil {
		return "", err
	}
	bits := code.Bitmap()
	var b strings.Builder
	for y, row := range bits {
		for x, dark := range row {
			if dark {
				fmt.Fprintf(&b, "M%d %dh1v1h-1z", x, y)
			}
		}
	}
	n := len(bits)
	return template.HTML(fmt.Sprintf(`<svg class="qr" viewBox="0 0 %d %d" role="img" aria-label="The same as a picture for a camera"><path d="%s"/></svg>`, n, n, b.String())), nil
}
