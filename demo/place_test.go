package demo

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/light"
	placing "willowherb/core/place"
	"willowherb/core/sampling"
	"willowherb/core/scene"
	reflect "willowherb/core/surface"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
)

const pickRows = 540

// picks calls do with random places in random views and a random lamp.
func picks(w *world.World, n int, do func(p *placing.Picture, l *light.Light, s sampling.Source)) {
	doc := Setup()
	ids := doc.SortedViews()
	for i := range uint32(n) {
		s := sampling.New(21, 4, i)
		v := doc.Views[ids[int(i)%len(ids)]]
		p := &placing.Picture{World: w, View: v.Camera(), Aspect: v.Aspect, Rows: pickRows}
		a, b := s.Pair(0), s.Pair(1)
		l := &light.Light{Kind: light.Point, Shadow: true, Aim: vec.V3{Y: -1}}
		// Somewhere in the room before the eye.
		l.Pos = p.View.Eye.Add(p.View.Aim.Norm().Scale(2 + 5*a.X)).Add(vec.V3{X: 4*a.Y - 2, Y: 2 * b.X, Z: 4*b.Y - 2})
		l.Prepare()
		do(p, l, s)
	}
}

// around calls do with what is seen within r pixels of (x, y), at so many places
// to a pixel, and how far in pixels it is.
func around(p *placing.Picture, x, y float64, r, fine int, do func(q world.Probe, dist float64)) {
	w := float64(p.Rows) * p.Aspect
	for b := -r * fine; b <= r*fine; b++ {
		for a := -r * fine; a <= r*fine; a++ {
			i, j := float64(a)/float64(fine), float64(b)/float64(fine)
			d := p.View.Ray(float32(x*w+i), float32(y*float64(p.Rows)+j), int(math.Round(w)), p.Rows)
			if q, ok := p.World.Probe(p.View.Eye, d, p.Sight); ok {
				do(q, math.Hypot(i, j))
			}
		}
	}
}

// On a thousand random picks the mirror point lies within two pixels of the click,
// or a reason is given; so does the brightest spot, where the surface is smoother
// than 0.2 and not grained by a normal map (whose every grain is a mirror of its
// own).
func TestHighlightLandsWhereClicked(t *testing.T) {
	r := preparedT(t)
	landed, refused, bright := 0, map[string]int{}, 0
	picks(r.w, 1000, func(p *placing.Picture, l *light.Light, s sampling.Source) {
		c := s.Pair(3)
		x, y := float64(c.X), float64(c.Y)
		out, err := placing.Highlight(p, l, x, y)
		if err != nil {
			require.NotEmpty(t, err.Error())
			refused[err.Error()]++
			return
		}
		landed++
		pos := *out.Position
		var object, material int
		around(p, x, y, 0, 1, func(q world.Probe, _ float64) { object, material = q.Object, q.Material })
		best, at := 2.0, 99.0
		top, topAt := -1.0, 0.0
		smooth := false
		around(p, x, y, 6, 1, func(q world.Probe, dist float64) {
			if q.Object != object {
				return
			}
			to, eye := pos.Sub(q.Pos), p.View.Eye.Sub(q.Pos).Norm()
			// The sine between the half vector and the normal.
			if h := float64(to.Norm().Add(eye).Norm().Cross(q.Smooth).Len()); h < best {
				best, at = h, dist
			}
			m := &r.s.Materials[q.Material]
			if q.Material != material || m.NormalTex.Texture != scene.None || m.MetalRoughTex.Texture != scene.None || m.Roughness >= 0.2 || m.Transmission > 0 {
				return
			}
			sp := r.s.PointAtPos(q.Tri, q.Pos)
			f, ok := reflect.At(r.s, m, &sp, eye)
			if !ok {
				return
			}
			smooth = true
			_, glossy, _ := f.Parts(to.Norm())
			if b := float64(glossy.Y / to.Dot(to)); b > top*1.0001 || b > top*0.9999 && dist < topAt {
				top, topAt = max(b, top), dist
			}
		})
		require.LessOrEqual(t, at, 2.0, "view %v, click %v %v", p.View.Eye, x, y)
		require.Less(t, best, 1e-3)
		if smooth && top > 0 {
			bright++
			if topAt > 2 {
				around(p, x, y, 0, 1, func(q world.Probe, _ float64) {
					t.Log(topAt, r.s.Objects[q.Object].Path, r.s.Materials[q.Material].Name, r.s.Materials[q.Material].Roughness, p.View.Eye.Sub(q.Pos).Norm().Dot(q.Smooth))
				})
			}
		}
		// It shines there, not into a wall.
		require.Positive(t, placing.Reaching(l, out.At, pos))
	})
	t.Logf("%d landed (%d of them on smooth surfaces), refused: %v", landed, bright, refused)
	require.Greater(t, landed, 500)
}

// On a thousand pairs of picks the shadow's edge falls within three pixels of the
// second click: on one side of it the light arrives, on the other the caster
// stands between; or a reason is given.
func TestShadowEdgeLandsWhereClicked(t *testing.T) {
	r := preparedT(t)
	landed, refused := 0, map[string]int{}
	picks(r.w, 1000, func(p *placing.Picture, l *light.Light, s sampling.Source) {
		c, e := s.Pair(3), s.Pair(4)
		x, y := float64(e.X), float64(e.Y)
		out, err := placing.Shadow(p, l, float64(c.X), float64(c.Y), x, y)
		if err != nil {
			refused[err.Error()]++
			return
		}
		landed++
		lit, shaded := false, false
		var part []bool
		around(p, float64(c.X), float64(c.Y), 0, 1, func(q world.Probe, _ float64) { _, part = scene.Figure(r.s, q.Object) })
		around(p, x, y, 3, 5, func(q world.Probe, dist float64) {
			if dist > 3 {
				return
			}
			d := out.Position.Sub(q.Pos)
			_, by := r.w.Stands(q.Pos, q.N, d.Norm(), d.Len())
			lit = lit || by < 0
			shaded = shaded || by >= 0 && part[by]
		})
		require.True(t, lit && shaded, "view %v, clicks %v and %v: lit %v, shaded %v", p.View.Eye, c, e, lit, shaded)
	})
	t.Logf("%d landed, refused: %v", landed, refused)
	require.Greater(t, landed, 100)
}

// A grazing light stands behind the keeper, lights the outline that was clicked,
// and leaves the middle of the coat in its own shade.
func TestGrazeWrapsTheOutline(t *testing.T) {
	r := preparedT(t)
	v := Setup().Views["keeper"]
	p := &placing.Picture{World: r.w, View: v.Camera(), Aspect: v.Aspect, Rows: pickRows}
	l := &light.Light{Kind: light.Spot, Shadow: true, Pos: keeperAt.Add(vec.V3{Y: 2, Z: 2}), Aim: vec.V3{Y: -1}}
	l.SetCone(0.3, 0.5)
	l.Prepare()
	done := 0
	for i := range uint32(400) {
		c := sampling.New(3, 9, i).Pair(0)
		out, err := placing.Graze(p, l, float64(c.X), float64(c.Y))
		if err != nil {
			continue
		}
		var object int
		around(p, float64(c.X), float64(c.Y), 0, 1, func(q world.Probe, _ float64) { object = q.Object })
		if _, part := scene.Figure(r.s, object); !part[object] || r.s.Objects[object].Path[:6] != "Keeper" {
			continue
		}
		done++
		sight := out.At.Sub(p.View.Eye).Norm()
		to := out.Position.Sub(out.At).Norm()
		require.Greater(t, to.Dot(sight), float32(0.4), "behind the outline, as the eye sees it")
		require.Less(t, to.Dot(sight), float32(0.95), "and beside it")
		require.InDelta(t, 1, out.Aim.Neg().Dot(to), 1e-4)
	}
	require.Greater(t, done, 20)
}

// A panel fitted to each window of the hall has the window's size, to a bar's
// width, stands outside and faces in.
func TestOpeningFitsTheWindows(t *testing.T) {
	r := preparedT(t)
	p := &placing.Picture{World: r.w, View: world.Camera{Eye: v(0, 1.7, 4), Aim: v(0, 0.35, -1).Norm(), Up: vec.V3{Y: 1}, FovY: 1}, Aspect: 2.2, Rows: pickRows}
	for _, x := range windowX[2:5] {
		px, py := project(p, v(x+0.1, sill+1.2, -hallZ))
		out, err := placing.Opening(p, px, py)
		require.NoError(t, err)
		// A pilaster stands over one edge of each.
		l, r := x-winHalf, x+winHalf
		for k := -9.6; k < 10; k += 4.8 {
			if k < x && k+0.34 > l {
				l = k + 0.34
			} else if k > x && k-0.34 < r {
				r = k - 0.34
			}
		}
		require.InDelta(t, r-l, *out.Width, 0.05)
		require.InDelta(t, spring+winHalf-sill, *out.Height, 0.08)
		require.InDelta(t, (l+r)/2, out.Position.X, 0.05)
		require.Less(t, out.Position.Z, float32(-hallZ-thick), "outside the wall")
		require.Greater(t, out.Position.Z, float32(-hallZ-thick-0.4))
		require.InDelta(t, 1, out.Aim.Z, 1e-3, "facing in")
	}
	px, py := project(p, v(-2.95, 1.5, -hallZ))
	_, err := placing.Opening(p, px, py)
	require.Error(t, err, "brick is no window")
}

// project is where a point is in the picture, 0 to 1.
func project(p *placing.Picture, at vec.V3) (x, y float64) {
	d := at.Sub(p.View.Eye)
	f := p.View.Aim.Norm()
	right := f.Cross(p.View.Up).Norm()
	up := right.Cross(f)
	t := math.Tan(p.View.FovY/2) * float64(d.Dot(f))
	return 0.5 + float64(d.Dot(right))/(2*t*p.Aspect), 0.5 - float64(d.Dot(up))/(2*t)
}

// Holding keeps what arrives at the subject, whatever the kind; mirroring twice
// brings a light back.
func TestHoldAndMirror(t *testing.T) {
	r := preparedT(t)
	at := keeperAt.Add(vec.V3{Y: 1.5})
	cam := Setup().Views["keeper"]
	p := &placing.Picture{World: r.w, View: cam.Camera(), Aspect: 0.8, Rows: pickRows}
	for _, l := range []*light.Light{
		{Kind: light.Point, Radius: 0.05, Range: 9}, {Kind: light.Rect, W: 0.8, H: 0.6}, {Kind: light.Disc, Radius: 0.5},
	} {
		l.Pos, l.Aim = at.Add(vec.V3{X: 2, Y: 1}), vec.V3{X: -2, Y: -1}.Norm()
		l.Prepare()
		out, err := placing.HoldAt(l, at, 1.2)
		require.NoError(t, err)
		require.InDelta(t, 1.2, out.Position.Sub(at).Len(), 1e-4)
		before, after := placing.Reaching(l, at, l.Pos), placing.Reaching(l, at, *out.Position)
		require.InEpsilon(t, before, after*math.Exp2(*out.Stops), 1e-6)
		if l.Kind == light.Point && l.Range > 0 {
			window := func(d float64) float64 { return (1 - math.Pow(d/9, 4)) / (d * d) }
			require.InDelta(t, math.Log2(window(math.Sqrt(5))/window(1.2)), *out.Stops, 0.005, "inverse square and range")
		}
		m, err := placing.Mirror(p, l, at)
		require.NoError(t, err)
		require.InDelta(t, l.Pos.Sub(at).Len(), m.Position.Sub(at).Len(), 1e-4)
		was := l.Pos
		l.Pos, l.Aim = *m.Position, *m.Aim
		back, err := placing.Mirror(p, l, at)
		require.NoError(t, err)
		require.InDelta(t, 0, back.Position.Sub(was).Len(), 1e-4)
	}
	far := &light.Light{Kind: light.Point, Pos: at.Add(vec.V3{X: 2}), Range: 4}
	far.Prepare()
	_, err := placing.HoldAt(far, at, 5)
	require.ErrorContains(t, err, "beyond the light's range")
}

func TestCameraRaysTogetherComeToWhatEachComesTo(t *testing.T) {
	r := preparedT(t)
	for id, v := range Setup().Views {
		cam, tr := v.Camera(), r.w.Tracer()
		lens := cam.Lens(97, 53)
		var f world.Firsts
		differ, hits := 0, 0
		for y := range 53 {
			for x := 0; x < 97; x += 8 {
				f.N = min(8, 97-x)
				for k := range f.N {
					f.Rays[k] = trace.Ray{O: cam.Eye, D: lens.Ray(float32(x+k)+0.4, float32(y)+0.6), Max: float32(math.Inf(1))}
					f.Rolls[k] = uint32(x*53+y) * 2654435761
				}
				tr.FirstOf(&f)
				for k := range f.N {
					require.Equal(t, cam.Ray(float32(x+k)+0.4, float32(y)+0.6, 97, 53), f.Rays[k].D)
					tri, hit, ok := tr.First(f.Rays[k], f.Rolls[k])
					require.Equal(t, ok, f.OK[k], id)
					if !ok {
						continue
					}
					hits++
					require.Equal(t, hit.T, f.Hit[k].T, id)
					if tri != f.Tri[k] {
						differ++ // on an edge of both
					}
				}
			}
		}
		tr.Release()
		require.Greater(t, hits, 2500, id)
		require.Less(t, differ, 10, id)
	}
}
