package still

import (
	"context"
	"image"
	"math"

	"willowherb/core/colour"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/path"
	"willowherb/core/scene"
	"willowherb/core/spread"
	"willowherb/core/surface"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Balls are a chrome and a grey ball at a place, as an eye sees them, and what arrives there.
type Balls struct {
	Size         int
	Chrome, Grey []float32 // RGB in cd/m2, Size by Size; 0 beside the ball
	// From is where most light comes from, a unit vector; Lux falls on a surface that faces it,
	// Behind on one that faces away, of the colour nearest to Kelvin.
	From        vec.V3
	Lux, Behind float64
	Kelvin      float64
}

// greyBall is the reflectance of the grey ball.
const greyBall = 0.18

// ballNormals is how many directions what arrives is asked from.
const ballNormals = 48

// MakeBalls looks at what arrives at a place of a world, seen from eye: size pixels across, so
// many samples each. The balls stand in nothing's way.
func MakeBalls(ctx context.Context, w *world.World, lit []*lamps.Lamp, at, eye vec.V3, size, samples, workers int) (*Balls, error) {
	b := &Balls{Size: size, Chrome: make([]float32, 3*size*size), Grey: make([]float32, 3*size*size)}
	var lights []*light.Light
	var gains []vec.V3
	for _, l := range lit {
		if g := l.Gain(); g != (vec.V3{}) {
			lights, gains = append(lights, l.Source), append(gains, g)
		}
	}
	back := eye.Sub(at).Norm()
	right, up := vec.Upright(back.Neg(), 0)
	around := make([]vec.V3, ballNormals)
	err := spread.With(ctx, size+ballNormals, workers, func() (func(int), func()) {
		k := &arriving{path.NewWalker(w, lights), gains, at}
		k.Bounces = 2
		return func(row int) {
			if row >= size {
				around[row-size] = k.matt(evenly(row-size), uint32(size*size+row), 4*samples)
				return
			}
			for x := range size {
				u, v := 2*(float32(x)+0.5)/float32(size)-1, 1-2*(float32(row)+0.5)/float32(size)
				d := 1 - u*u - v*v
				if d <= 0 {
					continue
				}
				n := right.Scale(u).Add(up.Scale(v)).Add(back.Scale(float32(math.Sqrt(float64(d)))))
				px := row*size + x
				c, g := k.along(n.Scale(2*n.Dot(back)).Sub(back), uint32(px), samples), k.matt(n, uint32(px), samples)
				b.Chrome[3*px], b.Chrome[3*px+1], b.Chrome[3*px+2] = c.X, c.Y, c.Z
				b.Grey[3*px], b.Grey[3*px+1], b.Grey[3*px+2] = g.X, g.Y, g.Z
			}
		}, k.Release
	})
	if err != nil {
		return nil, err
	}
	var towards vec.V3
	for i, c := range around {
		towards = towards.Add(evenly(i).Scale(float32(colour.LuminanceOf(c))))
	}
	if b.From = towards.Norm(); b.From == (vec.V3{}) {
		return b, nil
	}
	k := &arriving{path.NewWalker(w, lights), gains, at}
	k.Bounces = 2
	defer k.Release()
	front, behind := k.matt(b.From, 1<<30, 32*samples), k.matt(b.From.Neg(), 1<<30+1, 32*samples)
	lux := func(c vec.V3) float64 { return math.Pi / greyBall * colour.LuminanceOf(c) }
	b.Lux, b.Behind = lux(front), lux(behind)
	b.Kelvin = colour.NearestKelvin(colour.RGB{float64(front.X), float64(front.Y), float64(front.Z)})
	return b, nil
}

// arriving follows what arrives at a place.
type arriving struct {
	*path.Walker
	gains []vec.V3
	at    vec.V3
}

func (k *arriving) sum() (c vec.V3) {
	for i, g := range k.gains {
		for _, v := range k.Found(i) {
			c = c.Add(v.Mul(g))
		}
	}
	return c
}

// matt is what a grey surface there that faces n shows.
func (k *arriving) matt(n vec.V3, pixel uint32, many int) (c vec.V3) {
	for s := range many {
		k.Begin(31, pixel, uint32(s))
		v := path.Vertex{P: scene.SurfacePoint{Pos: k.at, Ng: n, Ns: n}, F: surface.Matt(n, n, greyBall, n), Tri: math.MaxUint32, Channels: 0xff, From: path.Segment{Through: vec.Splat(1)}}
		var next path.Segment
		if k.From(&v, &next) {
			k.Follow(next)
		}
		c = c.Add(k.sum().Scale(1 / float32(many)))
	}
	return c
}

// along is what comes from a direction.
func (k *arriving) along(d vec.V3, pixel uint32, many int) (c vec.V3) {
	for s := range many {
		k.Begin(29, pixel, uint32(s))
		k.Follow(path.Segment{O: k.at, D: d, Depth: 1, Through: vec.Splat(1), Channels: 0xff, Matt: vec.Splat(1)})
		c = c.Add(k.sum().Scale(1 / float32(many)))
	}
	return c
}

// evenly is one of ballNormals directions spread evenly over the sphere (a Fibonacci lattice).
func evenly(i int) vec.V3 {
	z := 1 - 2*(float64(i)+0.5)/ballNormals
	r := math.Sqrt(1 - z*z)
	s, c := math.Sincos(2 * math.Pi * float64(i) / math.Phi)
	return vec.New(r*c, z, r*s)
}

// Picture shows the two beside each other, developed; what lies beside them is see-through.
func (b *Balls) Picture(develop func(rgb []float32, w, h int) *image.NRGBA) *image.NRGBA {
	n := b.Size
	both := make([]float32, 3*2*n*n)
	for y := range n {
		copy(both[3*(y*2*n):], b.Chrome[3*y*n:3*(y+1)*n])
		copy(both[3*(y*2*n+n):], b.Grey[3*y*n:3*(y+1)*n])
	}
	im := develop(both, 2*n, n)
	for i := range 2 * n * n {
		u, v := 2*(float64(i%n)+0.5)/float64(n)-1, 1-2*(float64(i/(2*n))+0.5)/float64(n)
		if u*u+v*v >= 1 {
			im.Pix[4*i+3] = 0
		}
	}
	return im
}
