package checks

import (
	"context"

	"willowherb/core/colour"
	"willowherb/core/contrast"
	"willowherb/core/light"
	"willowherb/core/sampling"
	"willowherb/core/spread"
	"willowherb/core/surface"
	"willowherb/core/vec"
)

// Effect is what a lamp's shadow does to a view: how much an eye would notice it
// gone, the share of the picture where it would (a difference over 2), and the
// share of the lamp's direct light that it holds back.
type Effect struct {
	Notice contrast.Notice `json:"notice"`
	Shows  float64         `json:"shows"`
	Held   float64         `json:"held"`
}

// ShadowEffect measures a lamp's shadow in a view: the light that it holds back is
// worked out at every pixel's first surface and given back to the picture.
func ShadowEffect(ctx context.Context, in *Input, v *View, lamp int, workers int) (e Effect, err error) {
	l := in.Lamps[lamp]
	if v.Given[lamp] == nil || !l.Shadow || l.Shines() {
		return e, nil
	}
	src := *l.Source
	gain := l.Gain()
	now := v.total()
	without := append([]float32(nil), now...)
	rows := make([]float64, v.H)
	err = spread.Over(ctx, v.H, workers, func(y int) {
		for x := range v.W {
			px := y*v.W + x
			if !v.seen(px) {
				continue
			}
			lost := in.held(v, &src, px, 2)
			if lost == (vec.V3{}) {
				continue
			}
			lost = lost.Mul(gain)
			rows[y] += colour.LuminanceOf(lost)
			for k, c := range [3]float32{lost.X, lost.Y, lost.Z} {
				without[3*px+k] += c
			}
		}
	})
	if err != nil {
		return e, err
	}
	var held, arrives float64
	for _, r := range rows {
		held += r
	}
	for px := range v.W * v.H {
		d, _ := v.Given[lamp].At(px)
		arrives += colour.LuminanceOf(d)
	}
	e.Notice = contrast.Compare(now, without, v.EV, v.EV, v.Curve, v.Curve)
	e.Shows = contrast.Differing(now, without, v.EV, v.Curve, 2)
	if held+arrives > 0 {
		e.Held = held / (held + arrives)
	}
	return e, nil
}

// held is the radiance that l's shadow holds back at a pixel, for unit output.
func (in *Input) held(v *View, l *light.Light, px, samples int) (sum vec.V3) {
	s := in.World.S
	tri := v.Guide.Tri[px]
	p := s.PointAtPos(tri, v.Guide.Pos[px])
	m := &s.Materials[s.Mat[tri]]
	f, ok := surface.At(s, m, &p, v.Camera.Eye.Sub(p.Pos).Norm())
	if !ok || l.Channels&in.World.Channels(s.Obj[tri]) == 0 || !l.Reaches(p.Pos, f.Ng) {
		return sum
	}
	src := sampling.New(11, uint32(px), 0)
	for i := range samples {
		x, ok := l.Sample(p.Pos, f.N, src.Pair(uint32(i)))
		if !ok {
			continue
		}
		r, _ := f.Eval(x.Dir)
		if r == (vec.V3{}) {
			continue
		}
		gone := vec.Splat(1).Sub(in.World.PassesFrom(p.Pos, f.Ng, x.Dir, x.Clear))
		sum = sum.Add(r.Mul(x.Weight).Mul(gone).Scale(1 / float32(samples)))
	}
	return sum
}
