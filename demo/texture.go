package demo

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
)

// size is the side of the generated textures in texels; each covers two metres.
const size = 512

func hash2(x, y int, seed uint32) float64 {
	h := uint32(x)*0x8da6b343 ^ uint32(y)*0xd8163841 ^ seed*0xcb1ab31f
	h ^= h >> 15
	h *= 0x2c1b3c6d
	h ^= h >> 12
	h *= 0x297a2d39
	h ^= h >> 15
	return float64(h) / (1 << 32)
}

// noise is value noise that repeats every period cells.
func noise(x, y float64, period int, seed uint32) float64 {
	fx, fy := math.Floor(x), math.Floor(y)
	ix, iy := int(fx), int(fy)
	tx, ty := x-fx, y-fy
	tx, ty = tx*tx*(3-2*tx), ty*ty*(3-2*ty)
	m := func(i int) int { return ((i % period) + period) % period }
	a, b := hash2(m(ix), m(iy), seed), hash2(m(ix+1), m(iy), seed)
	c, d := hash2(m(ix), m(iy+1), seed), hash2(m(ix+1), m(iy+1), seed)
	return (a*(1-tx)+b*tx)*(1-ty) + (c*(1-tx)+d*tx)*ty
}

// fbm sums octaves of noise over the unit square; the result lies in 0..1.
func fbm(u, w float64, period, octaves int, seed uint32) float64 {
	var s, n float64
	a := 0.5
	for o := range octaves {
		p := period << o
		s += a * noise(u*float64(p), w*float64(p), p, seed+uint32(o)*17)
		n += a
		a *= 0.55
	}
	return s / n
}

func smooth(lo, hi, x float64) float64 {
	t := min(max((x-lo)/(hi-lo), 0), 1)
	return t * t * (3 - 2*t)
}

// texel is what a pattern says at one place: sRGB colour, height in metres,
// roughness, metalness.
type texel struct {
	r, g, b       float64
	height        float64
	rough, metalk float64
}

// surface bakes a pattern into base colour, normal and metal-roughness pictures.
func surface(pattern func(u, w float64) texel) (base, normal, mr []byte) {
	ts := make([]texel, size*size)
	for y := range size {
		for x := range size {
			ts[y*size+x] = pattern((float64(x)+0.5)/size, (float64(y)+0.5)/size)
		}
	}
	b8 := func(v float64) uint8 { return uint8(math.Round(255 * min(max(v, 0), 1))) }
	bi, ni, mi := image.NewNRGBA(image.Rect(0, 0, size, size)), image.NewNRGBA(image.Rect(0, 0, size, size)), image.NewNRGBA(image.Rect(0, 0, size, size))
	const metre = 2.0 / size
	for y := range size {
		for x := range size {
			t := ts[y*size+x]
			bi.SetNRGBA(x, y, color.NRGBA{b8(t.r), b8(t.g), b8(t.b), 255})
			mi.SetNRGBA(x, y, color.NRGBA{255, b8(t.rough), b8(t.metalk), 255})
			w := func(i int) int { return (i + size) % size }
			dx := (ts[y*size+w(x+1)].height - ts[y*size+w(x-1)].height) / (2 * metre)
			dy := (ts[w(y+1)*size+x].height - ts[w(y-1)*size+x].height) / (2 * metre)
			l := math.Sqrt(dx*dx + dy*dy + 1)
			ni.SetNRGBA(x, y, color.NRGBA{b8(0.5 - dx/l/2), b8(0.5 + dy/l/2), b8(0.5 + 1/l/2), 255})
		}
	}
	return jpg(bi), pngOf(ni), jpg(mi)
}

func jpg(im image.Image) []byte {
	var b bytes.Buffer
	if err := jpeg.Encode(&b, im, &jpeg.Options{Quality: 90}); err != nil {
		panic(err) // in memory: cannot fail
	}
	return b.Bytes()
}

func pngOf(im image.Image) []byte {
	var b bytes.Buffer
	if err := png.Encode(&b, im); err != nil {
		panic(err)
	}
	return b.Bytes()
}

func brick(u, w float64) texel {
	const rows, cols = 26, 8 // bricks of 25 by 7.7 cm with their joints
	row := math.Floor(w * rows)
	off := 0.0
	if int(row)%2 == 1 {
		off = 0.5
	}
	x := u*cols + off
	col := int(math.Floor(x)) % cols
	fx, fy := x-math.Floor(x), w*rows-row
	wob := (fbm(u, w, 16, 3, 5) - 0.5) * 0.06
	edge := min(min(fx, 1-fx)*0.25, min(fy, 1-fy)*0.077) + wob*0.04
	in := smooth(0.004, 0.010, edge)
	h := hash2(col, int(row), 11)
	grain := fbm(u, w, 64, 3, 9)
	soot := fbm(u, w, 4, 4, 21)
	damp := smooth(0.55, 0.75, fbm(u, w, 3, 4, 33))
	tone := (0.72 + 0.42*h) * (0.8 + 0.4*grain) * (0.88 + 0.2*soot)
	r, g, b := 0.50*tone, 0.335*tone, 0.27*tone
	if h > 0.86 {
		r, g, b = r*0.62, g*0.66, b*0.75
	}
	m := 0.50 * (0.8 + 0.35*grain) * (0.8 + 0.3*soot)
	r, g, b = r*in+m*0.95*(1-in), g*in+m*0.92*(1-in), b*in+m*0.85*(1-in)
	k := 1 - 0.12*damp
	return texel{r * k, g * k * 1.01, b * k, 0.006*in + 0.0025*grain + 0.002*h, 0.93 - 0.2*damp - 0.06*grain, 0}
}

func plaster(u, w float64) texel {
	n, f := fbm(u, w, 6, 5, 41), fbm(u, w, 48, 3, 43)
	peel := smooth(0.6, 0.63, fbm(u, w, 5, 4, 47))
	run := smooth(0.55, 0.8, noise(u*24, w*2, 24, 51)) * 0.12
	t := 0.62 + 0.16*n + 0.05*f - run
	r, g, b := t, t*0.97, t*0.88
	r, g, b = r*(1-peel)+0.40*peel, g*(1-peel)+0.37*peel, b*(1-peel)+0.33*peel
	return texel{r, g, b, 0.003*(1-peel) + 0.0012*f, 0.88 - 0.08*n, 0}
}

func concrete(u, w float64) texel {
	n, f := fbm(u, w, 5, 5, 61), fbm(u, w, 64, 3, 63)
	wet := smooth(0.47, 0.58, fbm(u, w, 3, 4, 67))
	crack := smooth(0.012, 0, math.Abs(fbm(u, w, 4, 4, 71)-0.5))
	t := (0.42 + 0.14*n + 0.06*f) * (1 - 0.42*wet) * (1 - 0.35*crack)
	return texel{t, t * 0.98, t * 0.93, (0.0022*f-0.003*crack)*(1-0.85*wet) - 0.001*wet, 0.78*(1-wet) + 0.09*wet + 0.05*f, 0}
}

// paint is painted iron with chips down to rust.
func paint(r0, g0, b0 float64, seed uint32) func(u, w float64) texel {
	return func(u, w float64) texel {
		n, f := fbm(u, w, 6, 4, seed), fbm(u, w, 40, 3, seed+1)
		chip := smooth(0.64, 0.67, fbm(u, w, 12, 4, seed+2))
		t := 0.85 + 0.25*n
		r, g, b := r0*t, g0*t, b0*t
		r, g, b = r*(1-chip)+(0.30+0.12*f)*chip, g*(1-chip)+(0.17+0.06*f)*chip, b*(1-chip)+0.10*chip
		return texel{r, g, b, 0.0006*(1-chip) + 0.0004*f, 0.34 + 0.12*n + 0.45*chip, 0}
	}
}

func planks(u, w float64) texel {
	g := fbm(u*1, w*0.12, 8, 3, 81)
	grain := noise(u*90, w*6, 90, 83)*0.6 + noise(u*180, w*9, 180, 85)*0.4
	t := 0.36 + 0.16*g + 0.10*grain
	return texel{t, t * 0.94, t * 0.84, 0.0016 * grain, 0.85 - 0.1*g, 0}
}

func reed(_, w float64) texel {
	t := 0.5 + 0.5*math.Cos(2*math.Pi*w)
	return texel{0.44 + 0.10*t, 0.41 + 0.05*t, 0.25 + 0.04*t, 0, 0.7, 0}
}

func cloth(u, w float64) texel {
	weave := 0.5 + 0.25*math.Sin(2*math.Pi*128*u) + 0.25*math.Sin(2*math.Pi*128*w)
	n := fbm(u, w, 7, 4, 91)
	t := 0.9 + 0.25*n + 0.06*weave
	return texel{0.145 * t, 0.165 * t, 0.185 * t, 0.0004 * weave, 0.92, 0}
}

func ripples(u, w float64) texel {
	h := 0.006*fbm(u, w, 6, 3, 95) + 0.002*fbm(u, w, 24, 2, 97)
	return texel{0.12, 0.13, 0.12, h, 0.06, 0}
}

// dials is the emissive face of the gauges: a glowing scale on black.
func dials() []byte {
	im := image.NewNRGBA(image.Rect(0, 0, 256, 256))
	for y := range 256 {
		for x := range 256 {
			dx, dy := (float64(x)+0.5)/128-1, (float64(y)+0.5)/128-1
			r, a := math.Hypot(dx, dy), math.Atan2(dx, -dy)
			t := 0.10 * smooth(0.95, 0.9, r)
			tick := math.Abs(math.Mod(a*20/math.Pi+100, 1) - 0.5)
			if math.Abs(a) < 2.3 && r > 0.70 && r < 0.86 {
				t = max(t, smooth(0.40, 0.46, tick))
			}
			// The needle, at a little over half.
			na := 0.6
			along := dx*math.Sin(na) - dy*math.Cos(na)
			across := math.Abs(dx*math.Cos(na) + dy*math.Sin(na))
			if along > -0.1 && along < 0.68 {
				t = max(t, smooth(0.035, 0.02, across))
			}
			c := uint8(255 * t)
			im.SetNRGBA(x, y, color.NRGBA{c, c, c, 255})
		}
	}
	return pngOf(im)
}
