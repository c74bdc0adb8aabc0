package grade

import "math"

// Depth is how far off what a picture shows lies: what a lens blurs by, and where corners are.
type Depth struct {
	W, H int
	// Inverse is one over the distance along the camera's axis, 1/m, rows from the top; 0
	// where there is nothing.
	Inverse []float32
	FovY    float64 // vertical, radians
	// Focus is the distance along the axis, in metres, that is sharp; 0: all is. Aperture is
	// the lens's f-number.
	Focus, Aperture float64
}

// sensor is the height of the picture behind the lens, in metres: that of the full frame.
const sensor = 0.024

// Blur is the radius of what a lens makes of a point without end, as a share of the picture's
// height: a thin lens, (f^2 / N) / (s - f) wide on the sensor, where f is the focal length, N
// the f-number and s the distance in focus. At a distance d it is Blur times 1 - s/d, negative
// before what is sharp.
func (d *Depth) Blur() float64 {
	if d.Focus <= 0 || d.Aperture <= 0 {
		return 0
	}
	f := sensor / 2 / math.Tan(d.FovY/2)
	return f * f / d.Aperture / max(d.Focus-f, 1e-3) / 2 / sensor
}

// mostBlur is how wide a radius is gathered at most, in pixels of the reduced picture: an
// eighth of the height at 256 lines.
const mostBlur = 8

// reducedDepth is the mean of the inverse distances of a reduced picture's pixels.
func (d *Depth) reducedDepth(w, h int) (inv []float64, rw, rh int) {
	rw, rh = (w+reduced-1)/reduced, (h+reduced-1)/reduced
	inv = make([]float64, rw*rh)
	for y := range rh {
		for x := range rw {
			n, sum := 0.0, 0.0
			for yy := y * reduced; yy < min((y+1)*reduced, h); yy++ {
				for xx := x * reduced; xx < min((x+1)*reduced, w); xx++ {
					sum += d.at(xx, yy, w, h)
					n++
				}
			}
			inv[y*rw+x] = sum / n
		}
	}
	return inv, rw, rh
}

// at is the inverse distance at a pixel of a picture of w by h.
func (d *Depth) at(x, y, w, h int) float64 {
	i, j := int((float64(x)+0.5)*float64(d.W)/float64(w)), int((float64(y)+0.5)*float64(d.H)/float64(h))
	return float64(d.Inverse[min(j, d.H-1)*d.W+min(i, d.W-1)])
}

// Corners are looked for in so many directions, each way, at these shares of the reach.
const cornerWays = 8

var cornerReach = [3]float64{0.35, 0.7, 1}

// mostCorner bounds the reach in pixels of the reduced picture.
const mostCorner = 24

// corners are how much of what lies round each pixel of the reduced picture is hidden by what
// stands before it, 0 to 1: in opposite pairs, as flat ground hides nothing however it lies
// (after Loos and Sloan 2010, volumetric obscurance, with pairs by inverse distance).
func (d *Depth) corners(inv []float64, w, h, rw, rh int, reach float64) []float64 {
	out := make([]float64, rw*rh)
	for y := range rh {
		for x := range rw {
			here := inv[y*rw+x]
			if here <= 0 {
				continue
			}
			r := min(reach*here*float64(h)/2/math.Tan(d.FovY/2)/reduced, mostCorner)
			if r < 1 {
				continue
			}
			sum, n := 0.0, 0.0
			for k := range cornerWays {
				sin, cos := math.Sincos((float64(k) + 0.5) * math.Pi / cornerWays)
				for _, share := range cornerReach {
					dx, dy := int(math.Floor(r*share*cos+0.5)), int(math.Floor(r*share*sin+0.5))
					if x+dx < 0 || x+dx >= rw || x-dx < 0 || x-dx >= rw || y+dy >= rh || y-dy < 0 {
						continue
					}
					a, b := inv[(y+dy)*rw+x+dx], inv[(y-dy)*rw+x-dx]
					n++
					if (max(a, b)-here)/(here*here) > 2*reach {
						continue // far before it: no corner
					}
					sum += min(max(2*((a+b)/2-here)/(here*here)/reach, 0), 1)
				}
			}
			if n > 0 {
				out[y*rw+x] = sum / n
			}
		}
	}
	return out
}

// between4 reads a reduced picture of n numbers a pixel between its pixels.
func between4(pic []float64, rw, rh, n, k, x, y int) float64 {
	fx, fy := (float64(x)+0.5)/reduced-0.5, (float64(y)+0.5)/reduced-0.5
	x0, y0 := int(math.Floor(fx)), int(math.Floor(fy))
	fx, fy = fx-float64(x0), fy-float64(y0)
	at := func(xx, yy int) float64 { return pic[n*(min(max(yy, 0), rh-1)*rw+min(max(xx, 0), rw-1))+k] }
	return (at(x0, y0)*(1-fx)+at(x0+1, y0)*fx)*(1-fy) + (at(x0, y0+1)*(1-fx)+at(x0+1, y0+1)*fx)*fy
}

// darken takes light out of corners.
func (p *Program) darken(rgb []float64, w, h int) {
	d, g := p.depth, &p.grade
	if d == nil || g.Corners <= 0 {
		return
	}
	inv, rw, rh := d.reducedDepth(w, h)
	hidden := d.corners(inv, w, h, rw, rh, g.cornerReach())
	for y := range h {
		for x := range w {
			k := 1 - g.Corners*between4(hidden, rw, rh, 1, 0, x, y)
			for c := range 3 {
				rgb[3*(y*w+x)+c] *= k
			}
		}
	}
}

// defocus blurs by the lens: gathered on a reduced picture, where what is behind spreads over
// what is before it no farther than that itself is blurred.
func (p *Program) defocus(rgb []float64, w, h int) {
	d := p.depth
	if d == nil || d.Blur() == 0 {
		return
	}
	inv, rw, rh := d.reducedDepth(w, h)
	blur := d.Blur() * float64(h) // of what is without end, in pixels
	pic, radius := make([]float64, 3*rw*rh), make([]float64, rw*rh)
	for y := range rh {
		for x := range rw {
			n := 0.0
			for yy := y * reduced; yy < min((y+1)*reduced, h); yy++ {
				for xx := x * reduced; xx < min((x+1)*reduced, w); xx++ {
					for c := range 3 {
						pic[3*(y*rw+x)+c] += rgb[3*(yy*w+xx)+c]
					}
					n++
				}
			}
			for c := range 3 {
				pic[3*(y*rw+x)+c] /= n
			}
			radius[y*rw+x] = min(max(blur*(1-d.Focus*inv[y*rw+x])/reduced, -mostBlur), mostBlur)
		}
	}
	out := make([]float64, 4*rw*rh)
	for y := range rh {
		for x := range rw {
			gathered(pic, radius, rw, rh, x, y, out[4*(y*rw+x):])
		}
	}
	for y := range h {
		for x := range w {
			r := math.Abs(blur * (1 - d.Focus*d.at(x, y, w, h)))
			t := max(min(max((r-0.75)/1.5, 0), 1), between4(out, rw, rh, 4, 3, x, y))
			for c := range 3 {
				i := 3*(y*w+x) + c
				rgb[i] += t * (between4(out, rw, rh, 4, c, x, y) - rgb[i])
			}
		}
	}
}

// gathered is the light that comes to a pixel of the reduced picture, and how much of it is
// covered by what is blurred before it.
func gathered(pic, radius []float64, rw, rh, x, y int, out []float64) {
	here := radius[y*rw+x]
	var sum [3]float64
	all, before := 0.0, 0.0
	for dy := -mostBlur; dy <= mostBlur; dy++ {
		for dx := -mostBlur; dx <= mostBlur; dx++ {
			xx, yy := x+dx, y+dy
			if xx < 0 || yy < 0 || xx >= rw || yy >= rh {
				continue
			}
			q := radius[yy*rw+xx]
			r := math.Abs(q)
			if q > here { // it lies behind
				r = min(r, math.Abs(here))
			}
			k := min(max(r-math.Sqrt(float64(dx*dx+dy*dy))+0.5, 0), 1) / max(math.Pi*r*r, 1)
			if k == 0 {
				continue
			}
			for c := range sum {
				sum[c] += k * pic[3*(yy*rw+xx)+c]
			}
			all += k
			if q < here-0.5 && q < 0 {
				before += k
			}
		}
	}
	for c := range sum {
		out[c] = sum[c] / max(all, 1e-9)
	}
	out[3] = min(before, 1)
}
