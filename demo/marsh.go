package demo

import (
	"math"
	"math/rand/v2"

	"willowherb/core/vec"
	"willowherb/format/gltf"
)

// hump is the height of the mud: pools between low humps, and the channel beside the
// boardwalk.
func hump(x, z float64) float64 {
	h := -0.74 + 0.46*fbm(x/64+0.5, z/64+0.5, 8, 4, 7)
	return h - 0.25*smooth(1.5, 0, math.Abs(z-3.4))
}

// Reach of the marsh, metres: where its mud is modelled, where reeds stand in belts, and
// where trees close it.
const (
	nearWest, nearEast = -60.0, -12.0
	nearSide           = 34.0
	far                = 460.0
)

// outside is the marsh: mud, pools, boardwalk, reeds near and far, a sea wall, trees.
func outside() []gltf.ModelNode {
	r := rand.New(rand.NewPCG(20, 26))
	walk, reeds := newShape(), newShape()
	boardwalk(walk, r)
	// Reeds: thin blades in clumps, thicker along the water.
	for range 1300 {
		x, z := -13.5-44*math.Pow(r.Float64(), 1.15), (r.Float64()-0.5)*46
		thin := math.Abs(z-3.4) < 0.9 && r.Float64() < 0.8
		if math.Abs(z) < 1.3 || thin || x > -17 && math.Abs(z) < 5.2 || fbm(x/40+3, z/40+9, 8, 3, 21) < 0.47 {
			continue
		}
		clump(reeds, r, x, hump(x, z)-0.05, z)
	}
	return []gltf.ModelNode{ground().node("Marsh ground"), water().node("Marsh water"), walk.node("Boardwalk"), reeds.node("Reeds"), distance(r).node("Far marsh"), boat().node("Boat")}
}

// ground is mud with soft humps, in a grid, and the feet of the house.
func ground() *shape {
	s := newShape()
	p := s.part(mMud)
	const n, m = 72, 84
	for j := 0; j <= m; j++ {
		for i := 0; i <= n; i++ {
			x, z := nearWest+(nearEast-nearWest)*float64(i)/n, -nearSide+2*nearSide*float64(j)/m
			nn := v(hump(x-0.2, z)-hump(x+0.2, z), 0.4, hump(x, z-0.2)-hump(x, z+0.2)).Norm()
			put(p, v(x, hump(x, z), z), nn, vec.V2{X: float32(x), Y: float32(z)})
		}
	}
	for j := range uint32(m) {
		for i := range uint32(n) {
			a := j*(n+1) + i
			p.Index = append(p.Index, a, a+n+1, a+n+2, a, a+n+2, a+1)
		}
	}
	// They reach under the water about them: what goes down there must not come out below.
	s.quad(mMud, v(-15, -0.75, -33), v(far, -0.75, -33), v(far, -0.75, -hallZ-thick), v(-15, -0.75, -hallZ-thick), v(0, 1, 0), 6)
	s.quad(mMud, v(-15, -0.75, hallZ+thick), v(60, -0.75, hallZ+thick), v(60, -0.75, 40), v(-15, -0.75, 40), v(0, 1, 0), 4)
	s.quad(mMud, v(hallX, -0.75, -hallZ-thick), v(60, -0.75, -hallZ-thick), v(60, -0.75, hallZ+thick), v(hallX, -0.75, hallZ+thick), v(0, 1, 0), 4)
	s.box(mConcrete, at(v(0, -0.5, -hallZ-thick/2)), v(hallX+0.4, 0.5, thick/2+0.1), 0.04, 1)
	s.box(mConcrete, at(v(-hallX-0.75, -0.3, 0)), v(0.8, 0.3, 2.6), 0.05, 2)
	return s
}

// water lies all round the house and the culvert's bank, out to the trees.
func water() *shape {
	s := newShape()
	flat := func(x0, z0, x1, z1 float64, k int) {
		s.quad(mWater, v(x0, waterY, z0), v(x1, waterY, z0), v(x1, waterY, z1), v(x0, waterY, z1), v(0, 1, 0), k)
	}
	flat(-60, -30, -12.7, 30, 12)
	flat(-far, -far, -60, far, 1)
	flat(-60, -far, far, -30, 1)
	flat(-60, 30, far, far, 1)
	flat(15, -7, far, 30, 1)
	return s
}

// boardwalk leads to the door, which stands half open.
func boardwalk(s *shape, r *rand.Rand) {
	for i := range 118 {
		x := -13.6 - 0.205*float64(i)
		o := v(x, -0.035+0.012*r.Float64(), 0.03*(r.Float64()-0.5))
		f := turned(o, 1.6*(r.Float64()-0.5))
		s.box(mWood, f, v(0.095, 0.032, 0.95+0.04*r.Float64()), 0.012, 1)
	}
	for i := range 13 {
		x := -14 - 2*float64(i)
		for _, z := range []float64{-0.85, 0.85} {
			h := 0.0
			if z > 0 {
				h = 1.05
			}
			s.rod(mWood, v(x, -1.1, z), v(x, h+0.06*r.Float64(), z), 0.07, 14)
		}
		s.box(mWood, at(v(x, -0.13, 0)), v(0.06, 0.06, 0.95), 0.012, 1)
	}
	for _, y := range []float64{0.55, 0.98} {
		s.tube(mWood, []vec.V3{v(-14, y, 0.85), v(-22, y-0.03, 0.86), v(-30, y+0.02, 0.84), v(-38, y, 0.85)}, 0.035, 12)
	}
	// The sluice door: planks with iron straps.
	door := turned(v(-hallX-0.1, 0, -1.6), -62)
	for i := range 8 {
		s.box(mWood, frame{door.point(v(0, 1.55, 0.2+0.2*float64(i))), door.x, door.y, door.z}, v(0.045, 1.53, 0.098), 0.012, 2)
	}
	for _, y := range []float64{0.4, 1.6, 2.7} {
		s.box(mRust, frame{door.point(v(0.05, y, 0.85)), door.x, door.y, door.z}, v(0.012, 0.05, 0.85), 0.008, 1)
	}
	// Mooring posts, worn to different heights.
	for i := range 7 {
		x := -17.5 - 2.9*float64(i) - r.Float64()
		s.rod(mWood, v(x, -1.2, 4.6+0.5*r.Float64()), v(x+0.08*r.NormFloat64(), -0.1+0.5*r.Float64(), 4.9), 0.085, 12)
	}
}

// skyline puts up a strip along a way at the foot y, whose top is as high as height says,
// metre by metre along it.
func (s *shape) skyline(mat int, way func(t float64) (x, z float64), long, step, y float64, height func(along float64) float64) {
	p := s.part(mat)
	n := max(int(long/step), 1)
	for i := 0; i <= n; i++ {
		t := float64(i) / float64(n)
		x, z := way(t)
		dx, dz := way(min(t+0.01, 1))
		nn := v(z-dz, 0, dx-x)
		if nn.Len() < 1e-6 {
			nn = v(1, 0, 0)
		}
		nn = nn.Norm()
		top := y + max(height(t*long), 0.02)
		put(p, v(x, y, z), nn, vec.V2{X: 0, Y: 0})
		put(p, v(x, top, z), nn, vec.V2{X: 0.3, Y: float32(top - y)})
		if k := uint32(len(p.Pos)); i > 0 {
			p.Index = append(p.Index, k-4, k-2, k-1, k-4, k-1, k-3)
		}
	}
}

// distance is what closes the view: belts of reeds, a sea wall, trees in three depths.
func distance(r *rand.Rand) *shape {
	s := newShape()
	arc := func(radius, from, to float64) (func(t float64) (x, z float64), float64) {
		return func(t float64) (x, z float64) {
			sn, cs := math.Sincos((from + t*(to-from)) * math.Pi / 180)
			return -14 + radius*cs, radius * sn
		}, radius * math.Abs(to-from) * math.Pi / 180
	}
	// Belts of reeds stand before one another, ragged at their tops.
	for i := range 34 {
		radius := 34 + 5.2*float64(i)*(0.9+0.2*r.Float64())
		from := 360 * r.Float64()
		way, long := arc(radius, from, from+18+34*r.Float64())
		for k := range 2 {
			high := 1.5 + 0.7*r.Float64()
			off := float64(k) * 0.7
			belt := func(t float64) (x, z float64) {
				x, z = way(t)
				d := math.Hypot(x+14, z)
				return x + off*(x+14)/d, z + off*z/d
			}
			s.skyline(mReed, belt, long, 0.3+radius/250, waterY-0.1, func(a float64) float64 {
				return high * min(1, 6*min(a, long-a)/long) * (0.62 + 0.5*r.Float64()*r.Float64() + 0.25*fbm(a/60, float64(i)/9, 8, 3, 41))
			})
		}
	}
	// A sea wall on the west and the south, low and even.
	way, long := arc(205, 60, 230)
	s.skyline(mGrass, way, long, 6, waterY-0.2, func(a float64) float64 { return 2.6 + 0.5*fbm(a/160, 0.3, 8, 3, 43) })
	for k := range 3 {
		radius := 290 + 55*float64(k)
		way, long := arc(radius, 0, 360)
		seed := uint32(51 + 2*k)
		s.skyline(mTrees, way, long, 1.6, waterY-0.2, func(a float64) float64 {
			crowns := fbm(a/long*40, 0.5, 40, 5, seed)
			gap := smooth(0.36, 0.6, fbm(a/long*9, 0.2, 9, 2, seed+1))
			return gap * (3 + 20*crowns*crowns + 2.2*r.Float64()*crowns)
		})
	}
	return s
}

// boat is a small rowing boat, drawn up among the reeds.
func boat() *shape {
	s := newShape()
	f := turned(v(-20.6, waterY+0.05, 3.6), 24)
	p := s.part(mWood)
	const long, ribs, strakes = 3.9, 22, 10
	at := func(t, q float64) vec.V3 { // along, and from gunwale to gunwale
		beam := 0.66 * math.Pow(math.Sin(math.Pi*min(max(0.04+0.9*t, 0), 1)), 0.55)
		a := math.Pi * q
		sheer := 0.12 + 0.5*(t-0.45)*(t-0.45)
		return v(long*(t-0.5), 0.34-0.42*math.Pow(math.Sin(a), 0.7)+sheer, -beam*math.Cos(a))
	}
	for _, side := range []float64{1, -1} { // outside and inside
		base := uint32(len(p.Pos))
		for i := 0; i <= ribs; i++ {
			for j := 0; j <= strakes; j++ {
				t, q := float64(i)/ribs, float64(j)/strakes
				d1 := at(min(t+0.01, 1), q).Sub(at(max(t-0.01, 0), q))
				d2 := at(t, min(q+0.02, 1)).Sub(at(t, max(q-0.02, 0)))
				n := d2.Cross(d1).Norm().Scale(float32(side))
				o := at(t, q).Sub(d2.Cross(d1).Norm().Scale(float32(0.012 * (1 - side))))
				put(p, f.point(o), f.dir(n), vec.V2{X: float32(long * t), Y: float32(1.9 * q)})
			}
		}
		for i := range uint32(ribs) {
			for j := range uint32(strakes) {
				k := base + i*(strakes+1) + j
				p.Index = append(p.Index, k, k+1, k+strakes+2, k, k+strakes+2, k+strakes+1)
			}
		}
	}
	for _, t := range []float64{0.25, 0.55} {
		s.box(mWood, frame{f.point(v(long*(t-0.5), 0.3, 0)), f.x, f.y, f.z}, v(0.12, 0.018, 0.56), 0.008, 1)
	}
	s.rod(mWood, f.point(v(-1.2, 0.5, 0.42)), f.point(v(1.3, 0.44, 0.2)), 0.02, 8)
	return s
}

// westFront is the relief of the wall that one comes to: plinth, buttresses, courses, stones
// about the door, a round louvre, irons, a lamp's arm and a pipe.
func westFront() gltf.ModelNode {
	s := newShape()
	x := -hallX - thick
	out := frame{v(x, 0, 0), v(0, 0, 1), v(0, 1, 0), v(-1, 0, 0)} // z is out of the wall
	put := func(mat int, y, z, halfZ, halfY, deep float64) {
		s.box(mat, frame{out.point(v(z, y, deep/2)), out.x, out.y, out.z}, v(halfZ, halfY, deep/2+0.02), 0.015, 1)
	}
	for _, side := range []float64{-1, 1} {
		put(mConcrete, -0.1, side*3.5, 1.75, 0.62, 0.16)
		put(mConcrete, 0.55, side*3.5, 1.75, 0.05, 0.11)
		// Buttresses step back as they rise.
		put(mBrick, 2.6, side*4.72, 0.46, 3.35, 0.46)
		put(mConcrete, 6.0, side*4.72, 0.5, 0.07, 0.5)
		put(mBrick, 6.7, side*4.72, 0.4, 0.75, 0.26)
		put(mBrick, 3.9, side*2.62, 0.27, 3.4, 0.14)
		put(mConcrete, 7.36, side*2.62, 0.31, 0.06, 0.17)
		// Quoins at the door.
		for k := range 6 {
			w := 0.2 + 0.1*float64(k%2)
			put(mConcrete, 0.2+0.4*float64(k), side*(1.6+w), w, 0.19, 0.06)
		}
		// Irons that hold the wall to the floors within.
		for _, z := range []float64{1.25, 3.65} {
			c := out.point(v(side*z, 6.3, 0.05))
			s.rod(mRust, c.Add(v(0.04, 0, 0)), c.Sub(v(0.03, 0, 0)), 0.17, 20)
			put(mRust, 6.3, side*z, 0.03, 0.34, 0.09)
		}
	}
	// A course of stone, and under the roof one of bricks that stand out.
	put(mConcrete, 5.42, 0, 5.0, 0.08, 0.1)
	for k := range 30 {
		put(mBrick, 7.42, -4.35+0.3*float64(k), 0.075, 0.12, 0.13)
	}
	put(mConcrete, 7.6, 0, 5.1, 0.06, 0.19)
	voussoirs(s, mConcrete, frame{out.o, out.x, out.y, out.z}, 0, 1.6, 2.4, 17)
	put(mConcrete, 4.35, 0, 0.2, 0.34, 0.14) // key stone
	// The round louvre in the gable, which stands 15 cm back.
	gable := frame{v(-hallX-0.4, 8.75, 0), out.x, out.y, out.z}
	for k := range 20 {
		sn, cs := math.Sincos(2 * math.Pi * float64(k) / 20)
		s.box(mBrick, frame{gable.point(v(0.62*cs, 0.62*sn, 0.06)), gable.dir(v(-sn, cs, 0)), gable.dir(v(cs, sn, 0)), gable.z}, v(0.09, 0.14, 0.09), 0.012, 1)
	}
	s.rod(mRoof, gable.point(v(0, 0, -0.02)), gable.point(v(0, 0, 0.02)), 0.5, 28)
	for k := range 7 {
		y := -0.42 + 0.14*float64(k)
		w := math.Sqrt(0.25 - y*y)
		s.box(mWood, frame{gable.point(v(0, y, 0.06)), gable.x, gable.dir(v(0, 0.8, 0.6)), gable.dir(v(0, -0.6, 0.8))}, v(w, 0.06, 0.012), 0.006, 1)
	}
	// Coping along the gable.
	for _, side := range []float64{-1, 1} {
		a, b := v(-hallX-0.45, eaves+0.02, side*(hallZ+0.15)), v(-hallX-0.45, ridge+0.14, 0)
		d := b.Sub(a)
		for k := range 9 {
			c := vec.Lerp(a, b, (float32(k)+0.5)/9)
			s.box(mConcrete, frame{c, v(1, 0, 0), d.Norm(), v(1, 0, 0).Cross(d.Norm())}, v(0.24, float64(d.Len())/18-0.006, 0.06), 0.02, 1)
		}
	}
	// A lamp's arm over the door; the lamp is out.
	s.tube(mSteel, bend([]vec.V3{out.point(v(0, 4.95, 0)), out.point(v(0, 5.25, 0.15)), out.point(v(0, 5.25, 0.95)), out.point(v(0, 4.98, 0.95))}, 0.2, 8), 0.024, 12)
	s.lathe(mEnamel, at(out.point(v(0, 4.72, 0.95))), [][2]float64{{0.3, 0}, {0.31, 0.015}, {0.22, 0.13}, {0.09, 0.2}, {0.06, 0.27}, {0, 0.28}}, 32)
	// A pipe from the gutter.
	s.tube(mBlue, bend([]vec.V3{v(x-0.1, 7.5, 4.0), v(x-0.1, 0.75, 4.0), v(x-0.42, 0.6, 4.0), v(x-0.42, -0.5, 4.0)}, 0.12, 6), 0.055, 14)
	for _, y := range []float64{1.6, 3.6, 5.9} {
		s.rod(mSteel, v(x-0.1, y-0.04, 4.0), v(x-0.1, y+0.04, 4.0), 0.07, 14)
	}
	return s.node("West front")
}
