package place

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/light"
	"willowherb/core/scene/scenetest"
	"willowherb/core/surface"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// picture is what an eye at (0, 2, 6) sees that looks at the origin.
func picture(t *testing.T, g *scenetest.Stage) *Picture {
	return &Picture{World: g.World(t), View: world.Camera{Eye: vec.V3{Y: 2, Z: 6}, Aim: vec.V3{Y: -2, Z: -6}.Norm(), Up: vec.V3{Y: 1}, FovY: 0.8}, Aspect: 1.5, Rows: 540}
}

// at is where a place is in the picture.
func (p *Picture) where(q vec.V3) (x, y float64) {
	d := q.Sub(p.View.Eye)
	f := p.View.Aim.Norm()
	r := f.Cross(p.View.Up).Norm()
	t := math.Tan(p.View.FovY/2) * float64(d.Dot(f))
	return 0.5 + float64(d.Dot(r))/(2*t*p.Aspect), 0.5 - float64(d.Dot(r.Cross(f)))/(2*t)
}

func lamp(kind light.Kind, at vec.V3) *light.Light {
	l := &light.Light{Kind: kind, Pos: at, Aim: vec.V3{Y: -1}, Shadow: true, Channels: 0xff, W: 1, H: 1, Radius: 0.02}
	l.SetCone(0.3, 0.5)
	l.Prepare()
	return l
}

// On a level floor the light goes where the eye's mirror image would be: as high
// over the floor by its distance as the eye is by its own.
func TestHighlightOnAFloor(t *testing.T) {
	g := scenetest.New()
	g.Floor(8)
	p := picture(t, g)
	spot := vec.V3{X: 0.5, Z: 1}
	x, y := p.where(spot)
	l := lamp(light.Spot, vec.V3{X: 2, Y: 2, Z: 1})
	out, err := Highlight(p, l, x, y)
	require.NoError(t, err)
	require.Empty(t, out.Note)
	d := out.Position.Sub(spot)
	require.InDelta(t, l.Pos.Sub(spot).Len(), d.Len(), 1e-3, "its distance is kept")
	eye := p.View.Eye.Sub(spot).Norm()
	require.InDelta(t, 0, d.Norm().Sub(vec.V3{X: -eye.X, Y: eye.Y, Z: -eye.Z}).Len(), 1e-4)
	require.InDelta(t, -1, out.Aim.Dot(d.Norm()), 1e-5)
	// A ceiling in the way brings it nearer, and says so.
	g = scenetest.New()
	g.S.Materials[0].DoubleSided = true
	g.Floor(8)
	g.Add("ceiling", 0, [4]vec.V3{{X: -8, Y: 0.6, Z: 0}, {X: 8, Y: 0.6, Z: 0}, {X: 8, Y: 0.6, Z: -8}, {X: -8, Y: 0.6, Z: -8}})
	p = picture(t, g)
	l.Pos = vec.V3{X: 3, Y: 6, Z: 1}
	out, err = Highlight(p, l, x, y)
	require.NoError(t, err)
	require.Contains(t, out.Note, "ceiling stands in the way")
	require.Less(t, out.Position.Y, float32(0.6))
	sun := lamp(light.Sun, vec.V3{})
	_, err = Highlight(p, sun, x, y)
	require.ErrorContains(t, err, "ceiling stands between that spot and the sky")
	_, err = Highlight(p, l, 0.5, 0.01)
	require.ErrorContains(t, err, "leaves the place")
	_, err = Highlight(p, lamp(light.Sky, vec.V3{}), x, y)
	require.ErrorContains(t, err, "no place of its own")
}

// The shadow of a box's top edge falls where the line from the lamp over the edge
// meets the floor; a sun is turned so that it does.
func TestShadowOfABox(t *testing.T) {
	g := scenetest.New()
	g.Floor(8)
	g.Box("box", vec.V3{Y: 0.5}, 0.5)
	p := picture(t, g)
	fx, fy := p.where(vec.V3{X: 0.48, Y: 0.97, Z: 0.5})
	want := vec.V3{X: 1.6, Z: 0.3}
	x, y := p.where(want)
	for _, l := range []*light.Light{lamp(light.Point, vec.V3{X: -2, Y: 3, Z: 1}), lamp(light.Sun, vec.V3{})} {
		out, err := Shadow(p, l, fx, fy, x, y)
		require.NoError(t, err)
		d := out.Aim.Neg()
		// The line from the spot along d passes the box by less than a millimetre.
		near := math.Inf(1)
		for k := range 4000 {
			q := want.Add(d.Scale(float32(k) * 0.001)).Sub(vec.V3{Y: 0.5})
			out := math.Max(math.Abs(float64(q.X)), math.Max(math.Abs(float64(q.Y)), math.Abs(float64(q.Z)))) - 0.5
			near = math.Min(near, out)
		}
		require.InDelta(t, 0, near, 2e-3)
		if out.Position != nil {
			require.InDelta(t, l.Pos.Sub(want).Len(), out.Position.Sub(out.At).Len(), 0.02)
		}
	}
	l := lamp(light.Point, vec.V3{X: -2, Y: 3, Z: 1})
	_, err := Shadow(p, l, fx, fy, fx, fy+0.02)
	require.ErrorContains(t, err, "fall on something else")
	l.Shadow = false
	_, err = Shadow(p, l, fx, fy, x, y)
	require.ErrorContains(t, err, "casts no shadow")
}

// A rim stands behind and beside the outline; with a wall right behind it comes
// farther round and says so, and with no room at all says that.
func TestGrazeABox(t *testing.T) {
	build := func(wall float32) *Picture {
		g := scenetest.New()
		g.S.Materials[0].DoubleSided = true
		g.Box("box", vec.V3{Y: 0.5}, 0.5)
		if wall != 0 {
			g.Add("wall", 0, [4]vec.V3{{X: -9, Y: -9, Z: wall}, {X: 9, Y: -9, Z: wall}, {X: 9, Y: 9, Z: wall}, {X: -9, Y: 9, Z: wall}})
		}
		return picture(t, g)
	}
	p := build(0)
	x, y := p.where(vec.V3{X: 0.46, Y: 0.6, Z: 0.5})
	l := lamp(light.Spot, vec.V3{X: 1, Y: 2, Z: 2})
	out, err := Graze(p, l, x, y)
	require.NoError(t, err)
	require.Empty(t, out.Note)
	sight := out.At.Sub(p.View.Eye).Norm()
	d := out.Position.Sub(out.At)
	require.InDelta(t, math.Cos(wrap*math.Pi/180), d.Norm().Dot(sight), 0.02)
	require.Greater(t, d.X, float32(0), "on the clicked side")
	require.InDelta(t, l.Pos.Sub(out.At).Len(), d.Len(), 0.05)
	out, err = Graze(build(-1.2), l, x, y)
	require.NoError(t, err)
	require.Contains(t, out.Note, "wall is")
	_, err = Graze(build(0.42), l, x, y)
	require.ErrorContains(t, err, "no room for a rim light")
	mx, my := p.where(vec.V3{X: 0.1, Y: 0.5, Z: 0.5})
	_, err = Graze(p, l, mx, my)
	require.NoError(t, err, "the nearest outline, from the middle")
}

// A hole of two by one and a half metres in a wall 0.3 m thick is found to the
// centimetre; closed walls, doors without end and specks are refused.
func TestOpeningInAWall(t *testing.T) {
	const w, lo, hi, z = 1.0, 0.6, 2.1, -1.0
	wall := func(w, lo, hi float32) *scenetest.Stage {
		g := scenetest.New()
		g.S.Materials[0].DoubleSided = true
		q := func(x0, y0, x1, y1, z float32) [4]vec.V3 {
			return [4]vec.V3{{X: x0, Y: y0, Z: z}, {X: x1, Y: y0, Z: z}, {X: x1, Y: y1, Z: z}, {X: x0, Y: y1, Z: z}}
		}
		for _, d := range []float32{z, z - 0.3} {
			g.Add("wall", 0, q(-8, -4, -w, 7, d), q(w, -4, 8, 7, d), q(-w, -4, w, lo, d), q(-w, hi, w, 7, d))
		}
		return g
	}
	p := picture(t, wall(w, lo, hi))
	x, y := p.where(vec.V3{X: 0.3, Y: 1.2, Z: z})
	out, err := Opening(p, x, y)
	require.NoError(t, err)
	require.InDelta(t, 2*w, *out.Width, 0.012)
	require.InDelta(t, hi-lo, *out.Height, 0.012)
	require.InDelta(t, (hi+lo)/2, out.Position.Y, 0.01)
	require.InDelta(t, z-0.3-clear, out.Position.Z, 0.01, "just outside")
	require.InDelta(t, 1, out.Aim.Z, 1e-5, "facing in")
	bx, by := p.where(vec.V3{X: 2.5, Y: 1, Z: z})
	_, err = Opening(p, bx, by)
	require.ErrorContains(t, err, "closed")
	// Bars do not part it.
	g := wall(w, lo, hi)
	g.Add("bar", 0, [4]vec.V3{{X: -0.03, Y: lo, Z: z - 0.15}, {X: 0.03, Y: lo, Z: z - 0.15}, {X: 0.03, Y: hi, Z: z - 0.15}, {X: -0.03, Y: hi, Z: z - 0.15}})
	out, err = Opening(picture(t, g), x, y)
	require.NoError(t, err)
	require.InDelta(t, 2*w, *out.Width, 0.012)
	small := picture(t, wall(0.04, 1.16, 1.24))
	sx, sy := small.where(vec.V3{Y: 1.2, Z: z})
	_, err = Opening(small, sx, sy)
	require.Error(t, err)
	open := scenetest.New()
	open.Floor(8)
	_, err = Opening(picture(t, open), 0.5, 0.1)
	require.ErrorContains(t, err, "No wall")
}

// Aiming says what is in the way, or out of reach; holding refuses what cannot be.
func TestAimAndHoldSayWhy(t *testing.T) {
	g := scenetest.New()
	g.S.Materials[0].DoubleSided = true
	g.Floor(8)
	g.Add("screen", 0, [4]vec.V3{{X: 1, Y: 0.3, Z: -1}, {X: 1, Y: 0.3, Z: 1}, {X: 1, Y: 3, Z: 1}, {X: 1, Y: 3, Z: -1}})
	p := picture(t, g)
	x, y := p.where(vec.V3{})
	l := lamp(light.Spot, vec.V3{X: 3, Y: 3})
	out, err := Aim(p, l, x, y)
	require.NoError(t, err)
	require.Contains(t, out.Note, "screen stands between")
	require.InDelta(t, 0, out.Aim.Sub(vec.V3{X: -1, Y: -1}.Norm()).Len(), 1e-3)
	l.Range = 2
	out, err = Aim(p, l, x, y)
	require.NoError(t, err)
	require.Contains(t, out.Note, "beyond its range")
	_, err = Aim(p, lamp(light.Sun, vec.V3{}), x, y)
	require.ErrorContains(t, err, "the same way everywhere")
	_, err = Hold(p, lamp(light.Point, vec.V3{Y: 2}), x, y, 0)
	require.ErrorContains(t, err, "Choose a distance")
	away := lamp(light.Spot, vec.V3{Y: 2})
	away.Aim = vec.V3{Y: 1}
	away.Prepare()
	_, err = Hold(p, away, x, y, 1)
	require.ErrorContains(t, err, "Nothing of this light reaches")
}

// What a coloured beam gives is its luminance, not its green.
func TestColouredBeamsByLuminance(t *testing.T) {
	l := lamp(light.Spot, vec.V3{Y: 2})
	l.Aim = vec.V3{Y: -1}
	l.SetCone(0.4, 0.5)
	l.Prepare()
	bare := Reaching(l, vec.V3{}, l.Pos)
	require.InEpsilon(t, 0.25, bare, 0.01)
	const n = 4
	red := make([]vec.V3, n*n)
	for i := range red {
		red[i] = vec.V3{X: 1}
	}
	l.SetGobo(red, n, 0.5, 1, 0, 0)
	require.InEpsilon(t, 0.2126*bare, Reaching(l, vec.V3{}, l.Pos), 0.01)
}

// On polished floors, of roughness 0.05 to 0.19, the brightest spot of the landed
// light lies within two pixels of the click, as the surface reflects it.
func TestBrightestSpotOnPolishedFloors(t *testing.T) {
	for _, rough := range []float32{0.05, 0.12, 0.19} {
		g := scenetest.New()
		m := &g.S.Materials[0]
		m.Roughness, m.BaseColor = rough, [4]float32{0.02, 0.02, 0.02, 1}
		g.Floor(8)
		p := picture(t, g)
		for i := range 60 {
			spot := vec.V3{X: float32(i%10)*0.3 - 1.4, Z: float32(i/10)*0.5 - 0.8}
			x, y := p.where(spot)
			l := lamp(light.Point, vec.V3{X: 1, Y: 2.5, Z: -1})
			out, err := Highlight(p, l, x, y)
			require.NoError(t, err)
			best, at := float32(-1), 99.0
			px := 1 / float64(p.Rows)
			for b := -8; b <= 8; b++ {
				for a := -8; a <= 8; a++ {
					q, ok := p.At(x+float64(a)*px/p.Aspect, y+float64(b)*px)
					require.True(t, ok)
					sp := p.World.S.PointAtPos(q.Tri, q.Pos)
					f, ok := surface.At(p.World.S, m, &sp, p.View.Eye.Sub(q.Pos).Norm())
					require.True(t, ok)
					to := out.Position.Sub(q.Pos)
					_, glossy, _ := f.Parts(to.Norm())
					if e := glossy.Y / to.Dot(to); e > best {
						best, at = e, math.Hypot(float64(a), float64(b))
					}
				}
			}
			require.LessOrEqual(t, at, 2.0, "roughness %v at %v", rough, spot)
		}
	}
}
