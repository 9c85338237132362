package mesh

import (
	"image"
	"image/color"
	"math"
)

// Still is how a picture of a model is drawn: without a graphics processor, shaded
// by facet, with ink where one surface ends before another, on nothing.
type Still struct {
	Width, Height int
	TurnDeg       float64    // about the vertical; 0 looks along +y at the front
	RiseDeg       float64    // how far above the horizon the eye stands
	Light, Shade  color.RGBA // of facets toward and away from the lamp
	Ink           color.RGBA // of edges
}

// ClayStill is the studio’s still: fired clay in ink lines, seen from the front, a
// little from the left and above.
func ClayStill(width, height int) Still {
	return Still{Width: width, Height: height, TurnDeg: 28, RiseDeg: 18,
		Light: color.RGBA{0xe9, 0xdc, 0xc3, 0xff}, Shade: color.RGBA{0x6d, 0x62, 0x55, 0xff}, Ink: color.RGBA{0x2b, 0x2a, 0x2c, 0xff}}
}

// finer is how many times as fine as the picture its samples are, each way.
const finer = 2

// Draw pictures the soup in parallel projection, as large as fits.
func (p Still) Draw(s *Soup) *image.NRGBA {
	picture := image.NewNRGBA(image.Rect(0, 0, p.Width, p.Height))
	if s.n == 0 || p.Width < 1 || p.Height < 1 {
		return picture
	}
	d := &drawing{Still: p, soup: s, w: finer * p.Width, h: finer * p.Height}
	d.look()
	d.sample()
	d.develop(picture)
	return picture
}

// drawing is a still being made. The eye's axes are right, up and back; samples keep
// depth in the upper half and a triangle's number in the lower, the least being
// nearest.
type drawing struct {
	Still
	soup            *Soup
	w, h            int
	right, up, back Vec
	scale           float64 // samples per millimetre
	x0, y0, z0      float64
	zRange          float64
	samples         []uint64
}

const nothing = math.MaxUint64

// look stands the eye so that the model fills the picture but for a border.
func (d *drawing) look() {
	turn, rise := d.TurnDeg*math.Pi/180, d.RiseDeg*math.Pi/180
	d.right = Vec{math.Cos(turn), math.Sin(turn), 0}
	d.back = Vec{math.Sin(turn) * math.Cos(rise), -math.Cos(turn) * math.Cos(rise), math.Sin(rise)}
	d.up = d.back.Cross(d.right)
	w := workers(d.soup.n)
	boxes := make([]Box, w)
	spread(d.soup.n, w, func(k, from, to int) {
		b := EmptyBox()
		for i := from; i < to; i++ {
			f := d.soup.corners(i)
			for c := 0; c < 9; c += 3 {
				b.Add(d.seen(&f, c))
			}
		}
		boxes[k] = b
	})
	box := EmptyBox()
	for _, b := range boxes {
		box = box.Union(b)
	}
	size := box.Size()
	const border = 0.94
	d.scale = border * min(float64(d.w)/max(size.X, 1e-12), float64(d.h)/max(size.Y, 1e-12))
	centre := box.Centre()
	d.x0, d.y0 = float64(d.w)/2-centre.X*d.scale, float64(d.h)/2+centre.Y*d.scale
	d.z0, d.zRange = box.Max.Z, max(size.Z, 1e-12)
}

// seen turns a corner into the eye's axes.
func (d *drawing) seen(f *[9]float32, c int) Vec {
	v := Vec{float64(f[c]), float64(f[c+1]), float64(f[c+2])}
	return Vec{v.Dot(d.right), v.Dot(d.up), v.Dot(d.back)}
}

// sample finds the nearest triangle at every sample, each worker with some of the
// triangles and samples of its own, which are then laid together.
func (d *drawing) sample() {
	w := workers(d.soup.n)
	layers := make([][]uint64, w)
	spread(d.soup.n, w, func(k, from, to int) {
		layer := make([]uint64, d.w*d.h)
		for i := range layer {
			layer[i] = nothing
		}
		left := mostLaid * len(layer) / w
		for i := from; i < to; i++ {
			d.cover(layer, i, &left)
		}
		layers[k] = layer
	})
	d.samples = layers[0]
	spread(len(d.samples), w, func(_, from, to int) {
		for _, layer := range layers[1:] {
			for i := from; i < to; i++ {
				d.samples[i] = min(d.samples[i], layer[i])
			}
		}
	})
}

// mostLaid is how many times over the picture triangles are laid, and small how many samples
// those cover that are drawn beyond that: a thing lies a few times over itself, and what lies
// on itself a thousand times over shows no more than its first layers.
const (
	mostLaid = 200
	small    = 1000
)

// cover lays a triangle over the samples whose middles it holds, and takes them off those
// that are left to lay.
func (d *drawing) cover(layer []uint64, i int, left *int) {
	f := d.soup.corners(i)
	var x, y, z [3]float64
	for k := range 3 {
		v := d.seen(&f, 3*k)
		x[k], y[k] = v.X*d.scale+d.x0-0.5, d.y0-v.Y*d.scale-0.5
		z[k] = (d.z0 - v.Z) / d.zRange * (1<<31 - 1)
	}
	x1, x2 := int(math.Ceil(min(x[0], x[1], x[2]))), int(max(x[0], x[1], x[2]))
	y1, y2 := int(math.Ceil(min(y[0], y[1], y[2]))), int(max(y[0], y[1], y[2]))
	if x1 > x2 || y1 > y2 {
		return // it lies between samples
	}
	covered := (x2 - x1 + 1) * (y2 - y1 + 1)
	if *left -= covered; *left < 0 && covered > small {
		return
	}
	ux, uy, vx, vy := x[1]-x[0], y[1]-y[0], x[2]-x[0], y[2]-y[0]
	det := ux*vy - uy*vx
	if det == 0 {
		return
	}
	inv := 1 / det
	zu, zv := z[1]-z[0], z[2]-z[0]
	for py := max(0, y1); py <= min(y2, d.h-1); py++ {
		for px := max(0, x1); px <= min(x2, d.w-1); px++ {
			dx, dy := float64(px)-x[0], float64(py)-y[0]
			u, v := (dx*vy-dy*vx)*inv, (ux*dy-uy*dx)*inv
			if u < 0 || v < 0 || u+v > 1 {
				continue
			}
			deep := max(0, z[0]+u*zu+v*zv)
			at := py*d.w + px
			if s := uint64(deep)<<32 | uint64(i); s < layer[at] {
				layer[at] = s
			}
		}
	}
}

// develop shades the samples and averages them into pixels.
func (d *drawing) develop(picture *image.NRGBA) {
	lamp := d.right.Mul(-0.45).Add(d.up.Mul(0.62)).Add(d.back.Mul(0.64))
	lamp = lamp.Mul(1 / lamp.Len())
	// An edge is where the depth jumps by more than a share of the whole.
	const jump = (1<<31 - 1) / 50
	spread(d.Height, workers(finer*finer*d.Width*d.Height), func(_, from, to int) {
		for y := from; y < to; y++ {
			for x := range d.Width {
				var sum [3]float64
				filled := 0.0
				for k := range finer * finer {
					sx, sy := finer*x+k%finer, finer*y+k/finer
					s := d.samples[sy*d.w+sx]
					if s == nothing {
						continue
					}
					c := d.tone(int(s&math.MaxUint32), lamp)
					if d.edge(sx, sy, s>>32, jump) {
						c = [3]float64{float64(d.Ink.R), float64(d.Ink.G), float64(d.Ink.B)}
					}
					filled++
					for j := range 3 {
						sum[j] += c[j]
					}
				}
				if filled > 0 {
					picture.SetNRGBA(x, y, color.NRGBA{uint8(sum[0] / filled), uint8(sum[1] / filled), uint8(sum[2] / filled), uint8(255 * filled / (finer * finer))})
				}
			}
		}
	})
}

// tone is a facet's colour, from either side.
func (d *drawing) tone(i int, lamp Vec) [3]float64 {
	a, b, c := d.soup.Triangle(i)
	n := b.Sub(a).Cross(c.Sub(a))
	l := n.Len()
	if l == 0 {
		l = 1
	}
	lit := n.Dot(lamp) / l
	if n.Dot(d.back) < 0 {
		lit = -lit
	}
	lit = max(0, 0.5+0.5*lit)
	lit *= lit
	mix := func(a, b uint8) float64 { return float64(a) + (float64(b)-float64(a))*lit }
	return [3]float64{mix(d.Shade.R, d.Light.R), mix(d.Shade.G, d.Light.G), mix(d.Shade.B, d.Light.B)}
}

// edge reports a sample that lies well before one beside it, or beside nothing.
func (d *drawing) edge(x, y int, deep, jump uint64) bool {
	for _, o := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
		nx, ny := x+o[0], y+o[1]
		if nx < 0 || ny < 0 || nx >= d.w || ny >= d.h {
			return true
		}
		if s := d.samples[ny*d.w+nx]; s == nothing || s>>32 > deep+jump {
			return true
		}
	}
	return false
}
