package scene

import (
	"image"
	"math"
	"runtime"
	"sync"

	"keenarc/core/lens"
	"keenarc/core/rig"
)

// View is a camera that looks: the frame of its image plane and its lens, focused.
type View struct {
	Pose  rig.Pose
	Focus lens.Focus
}

// fine is how many samples a side an edge is given: a box filter of fine × fine.
const fine = 3

// Render is the scene as a view sees it, w × h pixels over the whole sensor, each
// lamp at its level by name (0 where it is not named). Pixels in which nothing but
// shading changes are sampled once; those at an edge or a shadow's border fine × fine
// times, on a grid.
func (s *Scene) Render(v View, w, h int, lamps map[string]float64) *image.RGBA {
	levels := make([]float64, len(s.lamps))
	for k, l := range s.lamps {
		levels[k] = lamps[l.Name]
	}
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	me := s.from(v.Pose.Point(0, v.Focus.PupilM, 0), v.Pose.Forward, v.Pose.Up)
	lit := make([]*eye, len(s.lamps))
	for k, l := range s.lamps {
		lit[k] = s.from(l.At, sub(s.middle(), l.At), rig.Vec{0.01, 0.02, 1})
	}
	across, high := v.Focus.WidthMM/v.Focus.ViewMM(), v.Focus.HeightMM/v.Focus.ViewMM()
	// look is the colour at a place of the picture, in pixels from its upper left.
	look := func(x, y float64, among []int) ([3]float64, int) {
		right, up := (x/float64(w)-0.5)*across, (0.5-y/float64(h))*high
		d := unit(add(me.ahead, add(scale(right, me.right), scale(up, me.up))))
		return s.colour(s.first(me, d, right, up, among), me.at, d, levels, lit)
	}
	first, what := make([][3]float64, w*h), make([]int, w*h)
	band := make([][]int, h) // the solids that a row may show
	rows(h, func(y int) {
		band[y] = me.level((0.5-float64(y+1)/float64(h))*high, (0.5-float64(y)/float64(h))*high)
		for x := range w {
			first[y*w+x], what[y*w+x] = look(float64(x)+0.5, float64(y)+0.5, band[y])
		}
	})
	rows(h, func(y int) {
		for x := range w {
			c := first[y*w+x]
			if edge(what, w, h, x, y) {
				c = [3]float64{}
				for k := range fine * fine {
					p, _ := look(float64(x)+(float64(k%fine)+0.5)/fine, float64(y)+(float64(k/fine)+0.5)/fine, band[y])
					for i := range c {
						c[i] += min(p[i], 1) / (fine * fine)
					}
				}
			}
			img.SetRGBA(x, y, shown(c))
		}
	})
	return img
}

// middle is the middle of the smaller half of the solids, where lamps are turned to.
func (s *Scene) middle() rig.Vec {
	var m rig.Vec
	n := 0.0
	for _, it := range s.solids {
		if size := sub(it.box[1], it.box[0]); max(size[0], size[1], size[2]) < 0.5 {
			m, n = add(m, scale(0.5, add(it.box[0], it.box[1]))), n+1
		}
	}
	if n == 0 {
		return m
	}
	return scale(1/n, m)
}

// edge reports whether a neighbour of a pixel shows something else.
func edge(what []int, w, h, x, y int) bool {
	me := what[y*w+x]
	return x > 0 && what[y*w+x-1] != me || x < w-1 && what[y*w+x+1] != me || y > 0 && what[y*w-w+x] != me || y < h-1 &&
		what[y*w+w+x] != me
}

// rows does a picture's rows on all processors.
func rows(h int, do func(y int)) {
	var wg sync.WaitGroup
	n := runtime.GOMAXPROCS(0)
	for k := range n {
		wg.Go(func() {
			for y := k; y < h; y += n {
				do(y)
			}
		})
	}
	wg.Wait()
}

// Shift measures by how many pixels the second picture lies to the right of the first
// and below it, by least squares over the brightness of a part of them (Lucas and
// Kanade's method, repeated until it moves no more). It is good for shifts of a pixel
// or two.
func Shift(a, b *image.RGBA, part image.Rectangle) (dx, dy float64) {
	at := func(m *image.RGBA, x, y int) float64 {
		i := m.PixOffset(x, y)
		return 0.3*float64(m.Pix[i]) + 0.59*float64(m.Pix[i+1]) + 0.11*float64(m.Pix[i+2])
	}
	between := func(x, y float64) float64 { // b, where it would be
		i, j := int(math.Floor(x)), int(math.Floor(y))
		u, v := x-float64(i), y-float64(j)
		return (1-v)*((1-u)*at(b, i, j)+u*at(b, i+1, j)) + v*((1-u)*at(b, i, j+1)+u*at(b, i+1, j+1))
	}
	part = part.Inset(4)
	for range 20 {
		var xx, xy, yy, xe, ye float64
		for y := part.Min.Y; y < part.Max.Y; y++ {
			for x := part.Min.X; x < part.Max.X; x++ {
				fx, fy := float64(x)+dx, float64(y)+dy
				gx, gy := (between(fx+1, fy)-between(fx-1, fy))/2, (between(fx, fy+1)-between(fx, fy-1))/2
				e := at(a, x, y) - between(fx, fy)
				xx, xy, yy, xe, ye = xx+gx*gx, xy+gx*gy, yy+gy*gy, xe+gx*e, ye+gy*e
			}
		}
		det := xx*yy - xy*xy
		if det == 0 {
			return dx, dy
		}
		sx, sy := (yy*xe-xy*ye)/det, (xx*ye-xy*xe)/det
		dx, dy = min(max(dx+sx, -3), 3), min(max(dy+sy, -3), 3)
		if math.Hypot(sx, sy) < 1e-4 {
			return dx, dy
		}
	}
	return dx, dy
}
