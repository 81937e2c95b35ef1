package photograph

import (
	"image"
	"slices"
)

// tile is the side of the squares in which the paper's own light is measured, in
// pixels: wider than strokes and letters, narrower than a shadow.
const tile = 40

// white is what paper becomes, of 255.
const white = 250

// Cleaned returns a sheet seen from above as it would be in even light: shadows and
// the colour of the lamp are divided out, so that paper is white and print as dark as
// it was against it.
func Cleaned(m *image.RGBA) *image.RGBA {
	b := m.Bounds()
	cols, rows := max(1, b.Dx()/tile), max(1, b.Dy()/tile)
	light := make([][3]float64, cols*rows)
	for r := range rows {
		for c := range cols {
			light[r*cols+c] = paperIn(m, image.Rect(b.Min.X+c*b.Dx()/cols, b.Min.Y+r*b.Dy()/rows, b.Min.X+(c+1)*b.Dx()/cols, b.Min.Y+(r+1)*b.Dy()/rows))
		}
	}
	light = bridged(light, cols, rows)
	out := image.NewRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	for y := range b.Dy() {
		fy := min(max((float64(y)+0.5)*float64(rows)/float64(b.Dy())-0.5, 0), float64(rows-1))
		r0 := int(fy)
		r1 := min(r0+1, rows-1)
		for x := range b.Dx() {
			fx := min(max((float64(x)+0.5)*float64(cols)/float64(b.Dx())-0.5, 0), float64(cols-1))
			c0 := int(fx)
			c1 := min(c0+1, cols-1)
			from, to := m.Pix[m.PixOffset(b.Min.X+x, b.Min.Y+y):], out.Pix[out.PixOffset(x, y):]
			for i := range 3 {
				top := light[r0*cols+c0][i]*(1-fx+float64(c0)) + light[r0*cols+c1][i]*(fx-float64(c0))
				low := light[r1*cols+c0][i]*(1-fx+float64(c0)) + light[r1*cols+c1][i]*(fx-float64(c0))
				paper := top*(1-fy+float64(r0)) + low*(fy-float64(r0))
				v := float64(from[i]) * white / max(paper, 1)
				if v > 0.9*white { // the grain of the paper and of the camera
					v = 255
				}
				to[i] = uint8(min(v, 255))
			}
			to[3] = 255
		}
	}
	return out
}

// paperIn returns the colour of the paper in a square: what a tenth of it is lighter
// than.
func paperIn(m *image.RGBA, r image.Rectangle) (out [3]float64) {
	for i := range 3 {
		var count [256]int
		n := 0
		for y := r.Min.Y; y < r.Max.Y; y += 2 {
			for x := r.Min.X; x < r.Max.X; x += 2 {
				count[m.Pix[m.PixOffset(x, y)+i]]++
				n++
			}
		}
		v, above := 255, 0
		for ; v > 0 && above < n/10; v-- {
			above += count[v]
		}
		out[i] = float64(v + 1)
	}
	return out
}

// bridged gives squares that are all print or picture the paper's colour about them:
// where a square is much darker than most of those near it, it is no shadow.
func bridged(light [][3]float64, cols, rows int) [][3]float64 {
	const far = 4
	out := make([][3]float64, len(light))
	for r := range rows {
		for c := range cols {
			for i := range 3 {
				var near []float64
				for y := max(0, r-far); y <= min(rows-1, r+far); y++ {
					for x := max(0, c-far); x <= min(cols-1, c+far); x++ {
						near = append(near, light[y*cols+x][i])
					}
				}
				slices.Sort(near)
				out[r*cols+c][i] = max(light[r*cols+c][i], 0.75*near[3*len(near)/4])
			}
		}
	}
	return out
}
