package drawn

import (
	"context"
	"math"

	"willowherb/core/fog"
	"willowherb/core/light"
	"willowherb/core/spread"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// Fog is what the air of a world sends on of a light for unit output, as a target works it
// out: in steps into the depth of the view, each by its middle, which grow from 0.1 m on to
// Far.
type Fog struct {
	World   *world.World
	View    world.Camera
	W, H    int
	Light   *light.Light
	Steps   int
	Far     float64
	Workers int
}

// Render makes the picture, RGB, rows from the top.
func (f *Fog) Render(ctx context.Context) ([]float32, error) {
	const begins = 0.1
	out := make([]float32, 3*f.W*f.H)
	l := f.Light
	if l.NoAir || !f.World.Air.Foggy() {
		return out, nil
	}
	end := func(k int) float64 { return begins * math.Pow(f.Far/begins, float64(k)/float64(f.Steps)) }
	err := spread.With(ctx, f.H, f.Workers, func() (func(int), func()) {
		t := f.World.Tracer()
		return func(y int) {
			for x := range f.W {
				d := f.View.Ray(float32(x)+0.5, float32(y)+0.5, f.W, f.H)
				far := f.Far
				if m, ok := f.World.Meets(f.View.Eye, d, float32(far)); ok {
					far = float64(m.Dist)
				}
				var way fog.Way
				if !way.Set(f.World.Air, f.View.Eye, d, far) {
					continue
				}
				var sum vec.V3
				for k := range f.Steps {
					a, b := end(k), min(end(k+1), far)
					if a >= far {
						break
					}
					at := (a + b) / 2
					p := f.View.Eye.Add(d.Scale(float32(at)))
					if !l.Reaches(p, vec.V3{}) {
						continue
					}
					s, ok := l.Sample(p, vec.V3{}, vec.V2{X: 0.5, Y: 0.5})
					if !ok {
						continue
					}
					v := way.Sends(at, float64(s.Dir.Dot(d))).Mul(s.Weight).Scale(float32(b - a))
					if l.Shadow {
						v = v.Mul(t.Passes(p, vec.V3{}, s.Dir, s.Clear))
					}
					sum = sum.Add(v)
				}
				i := 3 * (y*f.W + x)
				out[i], out[i+1], out[i+2] = sum.X, sum.Y, sum.Z
			}
		}, t.Release
	})
	return out, err
}
