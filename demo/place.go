package demo

import (
	"math"
	"math/rand/v2"
	"sync"

	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/format/gltf"
)

// Materials of the place, in the order of materials().
const (
	mBrick = iota
	mPlaster
	mConcrete
	mGreen // painted pump iron
	mBlue  // painted pipe iron
	mSteel // dark structural paint
	mBrass
	mWood
	mMud
	mReed
	mWater
	mGlass
	mEnamel
	mDial
	mSkin
	mCoat
	mLeather
	mHair
	mFlame
	mShell // the drone's plastic
	mRust
	mEye
	mRoof
	mTrees
	mGrass
	mPaper
)

func materials() []gltf.ModelMaterial {
	type m = gltf.ModelMaterial
	tex := func(name string, p func(u, w float64) texel, strength float64) m {
		b, n, r := surface(p)
		return m{Name: name, BaseColor: [4]float64{1, 1, 1, 1}, Metallic: 1, Roughness: 1, BasePic: b, NormalPic: n, MetalRoughPic: r, NormalScale: strength, TextureScale: 0.5}
	}
	flat := func(name string, r, g, b, rough, metal float64) m {
		return m{Name: name, BaseColor: [4]float64{r, g, b, 1}, Roughness: rough, Metallic: metal}
	}
	out := make([]m, mPaper+1)
	var wg sync.WaitGroup
	for k, f := range map[int]func() m{
		mBrick:    func() m { return tex("Brick", brick, 1.4) },
		mPlaster:  func() m { return tex("Plaster", plaster, 1) },
		mConcrete: func() m { return tex("Wet concrete", concrete, 0.8) },
		mGreen:    func() m { return tex("Pump green", paint(0.20, 0.34, 0.28, 101), 0.8) },
		mBlue:     func() m { return tex("Pipe blue", paint(0.23, 0.31, 0.38, 107), 0.8) },
		mSteel:    func() m { return tex("Steelwork", paint(0.24, 0.25, 0.26, 113), 0.8) },
		mWood:     func() m { return tex("Old planks", planks, 1.4) },
		mReed:     func() m { x := tex("Reeds", reed, 0.2); x.DoubleSided = true; return x },
		mCoat:     func() m { return tex("Oilcloth coat", cloth, 1) },
		mWater:    func() m { return tex("Shallow water", ripples, 1.2) },
	} {
		wg.Go(func() { out[k] = f() })
	}
	wg.Wait()
	out[mBrass] = flat("Brass", 0.83, 0.62, 0.30, 0.28, 1)
	out[mMud] = flat("Mud", 0.085, 0.07, 0.05, 0.55, 0)
	out[mGlass] = flat("Window glass", 0.93, 0.97, 0.95, 0.02, 0)
	out[mGlass].Transmission, out[mGlass].DoubleSided = 1, true
	out[mEnamel] = flat("White enamel", 0.82, 0.80, 0.74, 0.22, 0)
	out[mDial] = flat("Gauge dials", 0.03, 0.03, 0.03, 0.5, 0)
	out[mDial].Emissive, out[mDial].Strength, out[mDial].EmissivePic = [3]float64{0.45, 1, 0.72}, 140, dials()
	out[mSkin] = flat("Skin", 0.56, 0.36, 0.27, 0.48, 0)
	out[mLeather] = flat("Leather", 0.075, 0.05, 0.035, 0.45, 0)
	out[mHair] = flat("Hair", 0.10, 0.075, 0.055, 0.55, 0)
	out[mFlame] = flat("Lantern flame", 0.8, 0.5, 0.2, 0.8, 0)
	out[mFlame].Emissive, out[mFlame].Strength = [3]float64{1, 0.55, 0.18}, 3000
	out[mShell] = flat("Drone shell", 0.72, 0.70, 0.64, 0.35, 0)
	out[mRust] = flat("Rust", 0.19, 0.09, 0.045, 0.85, 0)
	out[mEye] = flat("Eye", 0.38, 0.35, 0.31, 0.12, 0)
	out[mRoof] = flat("Roof boards", 0.11, 0.095, 0.08, 0.85, 0)
	out[mTrees] = flat("Far trees", 0.045, 0.052, 0.036, 0.95, 0)
	out[mTrees].DoubleSided = true
	out[mPaper] = flat("Paper", 0.74, 0.70, 0.58, 0.8, 0)
	out[mGrass] = flat("Sea wall", 0.12, 0.125, 0.06, 0.9, 0)
	out[mGrass].DoubleSided = true
	return out
}

// Measures of the hall, metres.
const (
	hallX, hallZ = 12.0, 5.0 // half length, half width
	eaves, ridge = 7.6, 10.2
	thick        = 0.55
	sill, spring = 3.0, 5.2 // windows
	winHalf      = 0.95
	catwalkY     = 2.45
	gaugeX       = 8.6 // west side of the gauge room
	gaugeY       = 4.3
	culvertX     = -4.6
	culvertHalf  = 1.3
	culvertY     = -0.7
	culvertEnd   = 19.0
	waterY       = -0.46
)

var windowX = []float64{-8.8, -4.9, -1.0, 2.9, 6.8}

// arched adds a wall in the plane z = 0 of f (facing +z and -z, thick d) from x0
// to x1 and y0 to y1, with arched openings of half width w, from sill y to the
// spring of the arch. Its faces are cut into cells so that light has vertices.
func arched(s *shape, mat int, f frame, x0, x1, y0, y1 float64, open []float64, w, bottom, spring, d float64) {
	face := func(a, b, c, e vec.V3) {
		for _, side := range []float64{0, -d} {
			o := v(0, 0, side)
			n := f.z
			if side != 0 {
				n = n.Neg()
			}
			s.quad(mat, f.point(a.Add(o)), f.point(b.Add(o)), f.point(c.Add(o)), f.point(e.Add(o)), n, 3)
		}
	}
	rect := func(xa, ya, xb, yb float64) {
		if xb-xa > 1e-6 && yb-ya > 1e-6 {
			face(v(xa, ya, 0), v(xb, ya, 0), v(xb, yb, 0), v(xa, yb, 0))
		}
	}
	at := x0
	const steps = 24
	for _, c := range open {
		rect(at, y0, c-w, y1)
		rect(c-w, y0, c+w, bottom)
		var rim []vec.V3
		rim = append(rim, v(c-w, bottom, 0))
		for k := 0; k <= steps; k++ {
			sn, cs := math.Sincos(math.Pi * float64(k) / steps)
			rim = append(rim, v(c-w*cs, spring+w*sn, 0))
			if k > 0 {
				a, b := rim[len(rim)-2], rim[len(rim)-1]
				face(a, b, v(float64(b.X), y1, 0), v(float64(a.X), y1, 0))
			}
		}
		rim = append(rim, v(c+w, bottom, 0))
		mid := v(c, (bottom+spring)/2, 0)
		for k := range rim {
			a, b := rim[k], rim[(k+1)%len(rim)]
			if bottom <= y0+1e-6 && k == len(rim)-1 {
				continue // a door has no sill
			}
			n := mid.Sub(vec.Lerp(a, b, 0.5))
			s.quad(mat, f.point(a), f.point(b), f.point(b.Add(v(0, 0, -d))), f.point(a.Add(v(0, 0, -d))), f.dir(n), 1)
		}
		at = c + w
	}
	rect(at, y0, x1, y1)
}

// voussoirs sets the stones of an arch proud of its wall.
func voussoirs(s *shape, mat int, f frame, c, w, spring float64, n int) {
	for k := range n {
		a := math.Pi * (float64(k) + 0.5) / float64(n)
		sn, cs := math.Sincos(a)
		r := w + 0.16
		g := frame{f.point(v(c-r*cs, spring+r*sn, 0.03)), f.dir(v(sn, cs, 0)), f.dir(v(-cs, sn, 0)), f.z}
		s.box(mat, g, v(math.Pi*(w+0.1)/float64(n)/2*0.94, 0.17, 0.05), 0.012, 1)
	}
}

// shellOfHall are the walls of the hall; it is long because they are many.
func shellOfHall() []gltf.ModelNode {
	north, south, ends, floor, roof, glaze := newShape(), newShape(), newShape(), newShape(), newShape(), newShape()
	fn := at(v(0, 0, -hallZ))
	arched(north, mBrick, fn, -hallX, hallX, 0, eaves, windowX, winHalf, sill, spring, thick)
	fs := frame{v(0, 0, hallZ), v(-1, 0, 0), v(0, 1, 0), v(0, 0, -1)}
	arched(south, mBrick, fs, -hallX, hallX, culvertY, eaves, []float64{-culvertX}, culvertHalf, culvertY, 1.15, thick)
	voussoirs(south, mBrick, fs, -culvertX, culvertHalf, 1.15, 17)
	fw := frame{v(-hallX, 0, 0), v(0, 0, -1), v(0, 1, 0), v(1, 0, 0)}
	arched(ends, mBrick, fw, -hallZ, hallZ, 0, eaves, []float64{0}, 1.6, 0, 2.4, thick)
	voussoirs(ends, mBrick, fw, 0, 1.6, 2.4, 19)
	fe := frame{v(hallX, 0, 0), v(0, 0, 1), v(0, 1, 0), v(-1, 0, 0)}
	arched(ends, mPlaster, fe, -hallZ, hallZ, 0, eaves, []float64{1.6}, 0.7, gaugeY+1.0, gaugeY+2.0, thick)
	for _, x := range windowX {
		voussoirs(north, mBrick, fn, x, winHalf, spring, 15)
		north.box(mConcrete, at(v(x, sill-0.07, -hallZ+0.06)), v(winHalf+0.22, 0.07, 0.2), 0.02, 2)
		// Iron glazing bars; the panes are long gone but for a few.
		for k := -1; k <= 1; k++ {
			bx := x + float64(k)*winHalf/2
			top := spring + math.Sqrt(winHalf*winHalf-math.Pow(float64(k)*winHalf/2, 2))
			glaze.rod(mSteel, v(bx, sill, -hallZ-0.3), v(bx, top, -hallZ-0.3), 0.022, 8)
		}
		for _, y := range []float64{sill + 0.55, sill + 1.1, sill + 1.65, spring} {
			glaze.rod(mSteel, v(x-winHalf, y, -hallZ-0.3), v(x+winHalf, y, -hallZ-0.3), 0.018, 8)
		}
	}
	for i, p := range [][2]float64{{-8.8, sill}, {-1.0, sill + 0.55}, {2.9, sill}, {6.8, sill + 1.1}, {6.8, sill}} {
		x := p[0] + []float64{-0.475, 0, 0.475, -0.475, 0}[i]
		glaze.quad(mGlass, v(x-0.23, p[1]+0.02, -hallZ-0.3), v(x+0.23, p[1]+0.02, -hallZ-0.3), v(x+0.23, p[1]+0.53, -hallZ-0.3), v(x-0.23, p[1]+0.53, -hallZ-0.3), v(0, 0, 1), 1)
	}
	// Plinth and cornice.
	for _, z := range []float64{-1, 1} {
		for i := range 12 {
			x := -hallX + 1 + 2*float64(i)
			if z > 0 && math.Abs(x-culvertX) < culvertHalf+1 {
				continue
			}
			ends.box(mConcrete, at(v(x, 0.17, z*(hallZ-0.05))), v(0.995, 0.19, 0.09), 0.025, 1)
		}
		ends.box(mConcrete, at(v(0, eaves-0.12, z*(hallZ-0.08))), v(hallX, 0.12, 0.12), 0.03, 2)
	}
	// Floor with a drain along its middle, walls' feet down to the mud outside.
	for i := range 12 {
		for j := range 5 {
			x, z := -hallX+1+2*float64(i), -hallZ+1+2*float64(j)
			floor.box(mConcrete, at(v(x, -0.1, z)), v(0.997, 0.1, 0.997), 0.012, 1)
		}
	}
	floor.quad(mConcrete, v(-hallX, -0.02, -hallZ), v(hallX, -0.02, -hallZ), v(hallX, -0.02, hallZ), v(-hallX, -0.02, hallZ), v(0, 1, 0), 8)
	// Below the floor the culvert ends against brick.
	floor.quad(mBrick, v(culvertX-culvertHalf, culvertY, hallZ), v(culvertX+culvertHalf, culvertY, hallZ), v(culvertX+culvertHalf, -0.02, hallZ), v(culvertX-culvertHalf, -0.02, hallZ), v(0, 0, 1), 4)
	// Roof: two slopes of boards and gables.
	for _, z := range []float64{-1, 1} {
		a, b := v(-hallX-0.6, eaves, z*(hallZ+0.2)), v(hallX+0.6, eaves, z*(hallZ+0.2))
		c, d := v(hallX+0.6, ridge, 0), v(-hallX-0.6, ridge, 0)
		roof.quad(mRoof, a, b, c, d, v(0, -1, -z), 8)
		up := v(0, 0.14, 0)
		roof.quad(mRoof, a.Add(up), b.Add(up), c.Add(up), d.Add(up), v(0, 1, z), 4)
		for i := range 24 {
			x := -hallX + 0.5 + float64(i)
			p, q := v(x, eaves-0.02, z*(hallZ+0.1)), v(x, ridge-0.06, 0)
			roof.box(mWood, frame{vec.Lerp(p, q, 0.5), v(1, 0, 0), q.Sub(p).Norm(), v(1, 0, 0).Cross(q.Sub(p).Norm())}, v(0.04, float64(q.Sub(p).Len())/2, 0.06), 0.01, 1)
		}
	}
	for _, x := range []float64{-hallX, hallX} {
		for _, o := range []float64{0, -math.Copysign(0.4, x) * -1} {
			p := ends.part(mBrick)
			n := v(-math.Copysign(1, x), 0, 0)
			if o != 0 {
				n = n.Neg()
			}
			var ix []uint32
			for _, q := range []vec.V3{v(x+o, eaves, -hallZ-0.2), v(x+o, eaves, hallZ+0.2), v(x+o, ridge+0.1, 0)} {
				ix = append(ix, put(p, q, n, planar(q, n)))
			}
			if n.X > 0 {
				ix[0], ix[1] = ix[1], ix[0]
			}
			p.Index = append(p.Index, ix...)
		}
	}
	trusses := newShape()
	for i := range 5 {
		x := -9.6 + 4.8*float64(i)
		bar := func(y0, z0, y1, z1, w float64) {
			a, b := v(x, y0, z0), v(x, y1, z1)
			d := b.Sub(a).Norm()
			trusses.box(mSteel, frame{vec.Lerp(a, b, 0.5), v(1, 0, 0), d, v(1, 0, 0).Cross(d)}, v(w, float64(b.Sub(a).Len())/2, w*0.7), 0.012, 2)
		}
		bar(eaves-0.25, -hallZ, eaves-0.25, hallZ, 0.09)
		bar(eaves-0.25, -hallZ, ridge-0.25, 0, 0.09)
		bar(eaves-0.25, hallZ, ridge-0.25, 0, 0.09)
		bar(eaves-0.25, 0, ridge-0.3, 0, 0.05)
		for _, z := range []float64{-1, 1} {
			bar(eaves-0.25, z*2.2, eaves+1.1, z*2.6, 0.05)
			bar(eaves-0.25, 0, eaves+1.1, z*2.6, 0.05)
			// Pilasters carry the trusses.
			ends.box(mBrick, at(v(x, eaves/2-0.2, z*(hallZ-0.11))), v(0.34, eaves/2-0.2, 0.12), 0.015, 2)
		}
	}
	return []gltf.ModelNode{north.node("North wall"), south.node("South wall"), ends.node("End walls"), floor.node("Hall floor"),
		roof.node("Roof"), trusses.node("Trusses"), glaze.node("Glazing bars"), westFront()}
}

// pump is a big centrifugal pump: volute, bell, motor on top, base.
func pump(s *shape, f frame) {
	o := func(x, y, z float64) vec.V3 { return f.point(v(x, y, z)) }
	s.box(mConcrete, frame{o(0, 0.18, 0), f.x, f.y, f.z}, v(1.7, 0.18, 1.3), 0.04, 2)
	body := frame{o(0, 0.36, 0), f.x, f.y, f.z}
	s.lathe(mGreen, body, [][2]float64{{1.05, 0}, {1.1, 0.04}, {1.1, 0.04}, {1.1, 0.16}, {1.1, 0.16}, {1.05, 0.2}, {0.98, 0.24}, {1.18, 0.42}, {1.32, 0.66}, {1.36, 0.92}, {1.3, 1.18}, {1.14, 1.42}, {0.9, 1.58}, {0.66, 1.66}, {0.6, 1.7}, {0.6, 1.7}, {0.74, 1.72}, {0.78, 1.75}, {0.78, 1.84}, {0.74, 1.87}, {0.52, 1.88}, {0.52, 1.88}, {0.46, 2.2}, {0.46, 2.2}, {0.66, 2.22}, {0.7, 2.26}, {0.7, 2.26}, {0.7, 3.2}, {0.7, 3.2}, {0.66, 3.27}, {0.5, 3.32}, {0.3, 3.36}, {0.12, 3.38}, {0, 3.38}}, 72)
	for k := range 24 { // cooling ribs of the motor
		sn, cs := math.Sincos(2 * math.Pi * float64(k) / 24)
		s.box(mGreen, frame{body.point(v(0.74*cs, 2.74, 0.74*sn)), body.dir(v(cs, 0, sn)), f.y, body.dir(v(-sn, 0, cs))}, v(0.06, 0.42, 0.014), 0.01, 1)
	}
	for k := range 16 {
		sn, cs := math.Sincos(2 * math.Pi * (float64(k) + 0.5) / 16)
		c := body.point(v(0.7*cs, 1.7, 0.7*sn))
		s.rod(mSteel, c, c.Add(f.y.Scale(0.22)), 0.03, 8)
		c = body.point(v(1.04*cs, 0.14, 1.04*sn))
		s.rod(mSteel, c, c.Add(f.y.Scale(0.1)), 0.035, 8)
	}
	// Discharge: from the volute to the south, over and into the floor.
	path := []vec.V3{o(1.0, 1.2, 0.3), o(1.0, 1.2, 1.9), o(1.0, -0.1, 1.9)}
	s.tube(mBlue, bend(path, 0.7, 14), 0.4, 40)
	s.flange(mBlue, o(1.0, 1.2, 1.15), f.z, 0.4, 12)
	s.flange(mBlue, o(1.0, 0.12, 1.9), f.y, 0.4, 12)
	// Gauge on a stem, and its hand wheel.
	stem := []vec.V3{o(-0.9, 1.5, 0.75), o(-0.9, 1.95, 0.95), o(-0.9, 2.2, 0.95)}
	s.tube(mBrass, bend(stem, 0.1, 6), 0.02, 12)
	gauge(s, frame{o(-0.9, 2.3, 0.95), f.x, f.y, f.z}, 0.13)
	wheel := along(o(-0.2, 1.35, 1.42), f.z.Add(f.y.Scale(0.3)))
	torus(s, mRust, wheel, 0.3, 0.022, 40, 12)
	for k := range 5 {
		sn, cs := math.Sincos(2 * math.Pi * float64(k) / 5)
		s.rod(mRust, wheel.o, wheel.point(v(0.3*cs, 0, 0.3*sn)), 0.014, 8)
	}
	s.rod(mSteel, wheel.point(v(0, -0.4, 0)), wheel.point(v(0, 0.04, 0)), 0.03, 12)
}

func torus(s *shape, mat int, f frame, r, t float64, seg, ring int) {
	var path []vec.V3
	for k := 0; k <= seg; k++ {
		sn, cs := math.Sincos(2 * math.Pi * float64(k) / float64(seg))
		path = append(path, f.point(v(r*cs, 0, r*sn)))
	}
	s.tube(mat, path, t, ring)
}

// gauge is a round instrument that faces f's z.
func gauge(s *shape, f frame, r float64) {
	g := frame{f.o, f.x, f.z, f.y.Neg()} // lathe axis along z
	s.lathe(mBrass, g, [][2]float64{{0, -0.05}, {r * 0.9, -0.05}, {r, -0.04}, {r, -0.04}, {r, 0.025}, {r, 0.025}, {r * 0.96, 0.035}, {r * 0.9, 0.03}, {r * 0.88, 0.01}}, 40)
	p := s.part(mDial)
	c := put(p, f.point(v(0, 0, 0.012)), f.z, vec.V2{X: 0.5, Y: 0.5})
	const n = 40
	for k := range uint32(n + 1) {
		sn, cs := math.Sincos(2 * math.Pi * float64(k) / n)
		put(p, f.point(v(r*0.9*cs, r*0.9*sn, 0.012)), f.z, vec.V2{X: float32(0.5 + cs/2), Y: float32(0.5 - sn/2)})
		if k > 0 {
			p.Index = append(p.Index, c, c+k, c+k+1)
		}
	}
}

func railing(s *shape, path []vec.V3, posts float64) {
	for i := 1; i < len(path); i++ {
		a, b := path[i-1], path[i]
		n := max(int(math.Round(float64(b.Sub(a).Len())/posts)), 1)
		for k := 0; k <= n; k++ {
			p := vec.Lerp(a, b, float32(k)/float32(n))
			s.rod(mSteel, p, p.Add(v(0, 1.08, 0)), 0.022, 8)
		}
	}
	for _, y := range []float64{1.08, 0.72, 0.38} {
		var q []vec.V3
		for _, p := range path {
			q = append(q, p.Add(v(0, y, 0)))
		}
		s.tube(mSteel, bend(q, 0.08, 5), 0.02, 10)
	}
}

// stairs climb from a to b (both at the front edge of the first and last tread).
func stairs(s *shape, a, b vec.V3, width float64) {
	rise := float64(b.Y - a.Y)
	n := int(math.Round(rise / 0.19))
	run := b.Sub(a)
	run.Y = 0
	dir := run.Norm()
	side := dir.Cross(v(0, 1, 0))
	for k := 1; k <= n; k++ {
		t := (float32(k) - 0.5) / float32(n)
		o := a.Add(run.Scale(t)).Add(v(0, rise*float64(k)/float64(n)-0.02, 0))
		s.box(mSteel, frame{o, dir, v(0, 1, 0), side}, v(float64(run.Len())/float64(n)/2*1.06, 0.02, width/2), 0.008, 1)
	}
	for _, w := range []float64{-1, 1} {
		o := side.Scale(float32(w * width / 2))
		p, q := a.Add(o), b.Add(o)
		d := q.Sub(p).Norm()
		s.box(mSteel, frame{vec.Lerp(p, q, 0.5), d, side.Cross(d), side}, v(float64(q.Sub(p).Len())/2, 0.12, 0.02), 0.01, 1)
		railing(s, []vec.V3{p.Add(v(0, 0.1, 0)), q.Add(v(0, 0.1, 0))}, 1.1)
	}
}

func catwalk() gltf.ModelNode {
	s := newShape()
	z0, z1 := -hallZ+0.25, -hallZ+1.25
	for i := range 44 { // gratings: bars across
		x := -10.6 + float64(i)*0.42
		s.box(mSteel, at(v(x, catwalkY-0.03, (z0+z1)/2)), v(0.19, 0.025, (z1-z0)/2), 0.01, 1)
	}
	for _, z := range []float64{z0, z1} {
		s.box(mSteel, at(v(-1.6, catwalkY-0.1, z)), v(9.3, 0.09, 0.035), 0.012, 2)
	}
	for i := range 5 {
		x := -9.6 + 4.8*float64(i)
		if x > 7.5 {
			continue
		}
		s.rod(mSteel, v(x, catwalkY-0.15, z1), v(x, 1.4, -hallZ+0.05), 0.035, 10)
	}
	railing(s, []vec.V3{v(-9.6, catwalkY, z1), v(7.5, catwalkY, z1)}, 1.35)
	stairs(s, v(-11.4, 0, -hallZ+2.1), v(-10.7, catwalkY, -hallZ+0.75), 0.9)
	stairs(s, v(7.4, catwalkY, -hallZ+0.75), v(gaugeX+0.1, gaugeY, -hallZ+0.75), 0.9)
	return s.node("Catwalk")
}

func pipes() gltf.ModelNode {
	s := newShape()
	for k, y := range []float64{6.7, 6.25, 5.85} {
		r := []float64{0.16, 0.11, 0.08}[k]
		path := []vec.V3{v(-hallX+0.3, y, hallZ-0.45), v(8.2, y, hallZ-0.45)}
		s.tube([]int{mBlue, mRust, mBlue}[k], bend(path, 0.35, 12), r, 24)
		for i := range 6 {
			x := -10 + 3*float64(i)
			s.flange([]int{mBlue, mRust, mBlue}[k], v(x, y, hallZ-0.45), v(1, 0, 0), r, 8)
			if k == 0 {
				s.box(mSteel, at(v(x+1.4, 6.25, hallZ-0.3)), v(0.04, 0.75, 0.04), 0.01, 1)
			}
		}
	}
	return s.node("Wall pipes")
}

// lampShade is an enamel shade on a bracket or cord; its light sits just below
// the shade's rim.
func lampShade(s *shape, o vec.V3, cord float64) {
	f := at(o)
	s.lathe(mEnamel, f, [][2]float64{{0.235, 0}, {0.24, 0.006}, {0.235, 0.012}, {0.2, 0.05}, {0.13, 0.1}, {0.08, 0.13}, {0.06, 0.17}, {0.06, 0.17}, {0.05, 0.24}, {0, 0.25}}, 40)
	s.lathe(mEnamel, f, [][2]float64{{0, 0.235}, {0.05, 0.16}, {0.075, 0.12}, {0.125, 0.09}, {0.195, 0.042}, {0.235, 0}}, 40)
	s.rod(mSteel, f.point(v(0, 0.23, 0)), f.point(v(0, cord, 0)), 0.012, 8)
}

// PumpLamps are the places just below the shades in the hall.
var pumpLamps = []vec.V3{v(-6.4, 4.6, 0.6), v(-2.2, 4.6, 0.6), v(2.2, 4.6, 0.6), v(6.2, 4.6, 0.6)}

// culvertLamp hangs in the culvert.
var culvertLamp = v(culvertX, 1.52, 13.2)

func culvert() []gltf.ModelNode {
	s, w := newShape(), newShape()
	const seg, cells = 28, 14
	spring := 1.15
	z0, z1 := hallZ+thick-0.02, culvertEnd
	for i := range cells {
		za, zb := z0+(z1-z0)*float64(i)/cells, z0+(z1-z0)*float64(i+1)/cells
		for _, side := range []float64{-1, 1} {
			x := culvertX + side*culvertHalf
			s.quad(mBrick, v(x, culvertY, za), v(x, culvertY, zb), v(x, spring, zb), v(x, spring, za), v(-side, 0, 0), 3)
		}
		p := s.part(mBrick)
		base := uint32(len(p.Pos))
		for k := 0; k <= seg; k++ {
			sn, cs := math.Sincos(math.Pi * float64(k) / seg)
			for _, z := range []float64{za, zb} {
				q := v(culvertX-culvertHalf*cs, spring+culvertHalf*sn, z)
				put(p, q, v(cs, -sn, 0), vec.V2{X: float32(math.Pi * culvertHalf * float64(k) / seg), Y: float32(z)})
			}
		}
		for k := range uint32(seg) {
			a := base + 2*k
			p.Index = append(p.Index, a, a+1, a+3, a, a+3, a+2)
		}
		s.quad(mMud, v(culvertX-culvertHalf, culvertY, za), v(culvertX+culvertHalf, culvertY, za), v(culvertX+culvertHalf, culvertY, zb), v(culvertX-culvertHalf, culvertY, zb), v(0, 1, 0), 2)
		if i%3 == 1 { // ribs of stone
			for k := range 15 {
				a := math.Pi * (float64(k) + 0.5) / 15
				sn, cs := math.Sincos(a)
				g := frame{v(culvertX-(culvertHalf-0.06)*cs, spring+(culvertHalf-0.06)*sn, za), v(sn, cs, 0), v(-cs, sn, 0), v(0, 0, 1)}
				s.box(mBrick, g, v(0.135, 0.08, 0.16), 0.015, 1)
			}
			for _, side := range []float64{-1, 1} {
				for k := range 6 {
					s.box(mBrick, at(v(culvertX+side*(culvertHalf-0.06), culvertY+0.16+0.31*float64(k), za)), v(0.08, 0.15, 0.16), 0.015, 1)
				}
			}
		}
	}
	s.quad(mBrick, v(culvertX-culvertHalf, culvertY, z1), v(culvertX+culvertHalf, culvertY, z1), v(culvertX+culvertHalf, 2.6, z1), v(culvertX-culvertHalf, 2.6, z1), v(0, 0, -1), 6)
	// An iron grille before the far end.
	for k := range 9 {
		x := culvertX - 1.2 + 0.3*float64(k)
		s.rod(mRust, v(x, culvertY, z1-1.6), v(x, spring+math.Sqrt(max(culvertHalf*culvertHalf-math.Pow(x-culvertX, 2), 0.01)), z1-1.6), 0.025, 8)
	}
	s.rod(mRust, v(culvertX-1.3, 0.5, z1-1.6), v(culvertX+1.3, 0.5, z1-1.6), 0.03, 8)
	// A ledge to walk on, and a pipe.
	for i := range 9 {
		s.box(mConcrete, at(v(culvertX+culvertHalf-0.28, -0.42, 6.3+1.45*float64(i))), v(0.28, 0.26, 0.72), 0.03, 2)
	}
	s.tube(mRust, []vec.V3{v(culvertX-culvertHalf+0.16, 0.9, hallZ+0.3), v(culvertX-culvertHalf+0.16, 0.9, culvertEnd-0.1)}, 0.09, 20)
	for i := range 4 {
		s.flange(mRust, v(culvertX-culvertHalf+0.16, 0.9, 7.5+3*float64(i)), v(0, 0, 1), 0.09, 6)
	}
	lampShade(s, culvertLamp.Add(v(0, 0.03, 0)), 0.9)
	w.quad(mWater, v(culvertX-culvertHalf, waterY, hallZ), v(culvertX+culvertHalf, waterY, hallZ), v(culvertX+culvertHalf, waterY, z1), v(culvertX-culvertHalf, waterY, z1), v(0, 1, 0), 8)
	// Steps from the hall floor to the ledge.
	for k := range 3 {
		s.box(mConcrete, at(v(culvertX+0.75, -0.12-0.16*float64(k), hallZ+0.15+0.3*float64(k))), v(0.5, 0.09, 0.17), 0.02, 2)
	}
	return []gltf.ModelNode{s.node("Culvert"), w.node("Culvert water")}
}

func clump(s *shape, r *rand.Rand, x, y, z float64) {
	p := s.part(mReed)
	for range 4 + r.IntN(4) {
		bx, bz := x+0.16*r.NormFloat64(), z+0.16*r.NormFloat64()
		h := 1.5 + 0.9*r.Float64()
		lean, dir := 0.10+0.35*r.Float64(), r.Float64()*2*math.Pi
		sn, cs := math.Sincos(dir)
		w := 0.012 + 0.010*r.Float64()
		side := v(-sn, 0, cs)
		n := v(cs, 0.25, sn).Norm()
		base := uint32(len(p.Pos))
		const seg = 3
		for k := 0; k <= seg; k++ {
			t := float64(k) / seg
			b := lean * h * t * t
			c := v(bx+cs*b, y+h*t*(1-0.18*lean*t), bz+sn*b)
			o := side.Scale(float32(w * (1 - 0.85*t)))
			u := vec.V2{X: 0, Y: float32(2 * t)}
			put(p, c.Sub(o), n, u)
			put(p, c.Add(o), n, u)
			if k > 0 {
				q := base + uint32(2*k)
				p.Index = append(p.Index, q-2, q-1, q+1, q-2, q+1, q)
			}
		}
	}
	if r.Float64() < 0.3 {
		h := 1.9 + 0.7*r.Float64()
		s.rod(mReed, v(x, y, z), v(x+0.05, y+h, z), 0.006, 5)
		s.rod(mLeather, v(x+0.04, y+h-0.22, z), v(x+0.05, y+h-0.02, z), 0.016, 8)
	}
}

// droneAt is where the drone's round begins.
var droneAt = v(-1.2, 3.5, 2.4)

func drone() gltf.ModelNode {
	s := newShape()
	f := turned(droneAt, 25)
	body := func(p vec.V3) float64 {
		d := ellipsoid(p, v(0, 0, 0), 0.2, 0.075, 0.14)
		d = blend(0.05, d, ellipsoid(p, v(0.12, -0.05, 0), 0.07, 0.055, 0.07))
		for _, x := range []float64{-1, 1} {
			for _, z := range []float64{-1, 1} {
				d = blend(0.05, d, capsule(p, v(x*0.1, 0, z*0.08), v(x*0.3, 0.03, z*0.28), 0.03, 0.018))
				d = blend(0.02, d, capsule(p, v(x*0.3, 0.0, z*0.28), v(x*0.3, 0.07, z*0.28), 0.03, 0.026))
			}
		}
		return d
	}
	s.solid(mShell, f, body, v(-0.4, -0.16, -0.4), v(0.4, 0.16, 0.4), 0.012)
	for _, x := range []float64{-0.3, 0.3} {
		for _, z := range []float64{-0.28, 0.28} {
			c := frame{f.point(v(x, 0.1, z)), f.x, f.y, f.z}
			torus(s, mShell, c, 0.19, 0.008, 40, 8)
			for k := range 2 {
				a := 0.6 + math.Pi*float64(k)
				sn, cs := math.Sincos(a)
				s.box(mLeather, frame{c.point(v(0.09*cs, 0, 0.09*sn)), c.dir(v(cs, 0, sn)), c.y, c.dir(v(-sn, 0, cs))}, v(0.085, 0.003, 0.012), 0.002, 1)
			}
			s.rod(mSteel, c.point(v(0, -0.03, 0)), c.point(v(0, 0.02, 0)), 0.012, 10)
		}
	}
	eye := along(f.point(v(0.17, -0.06, 0)), f.x)
	s.lathe(mEye, eye, [][2]float64{{0.03, 0}, {0.03, 0.01}, {0.022, 0.022}, {0, 0.028}}, 24)
	return s.node("Survey drone")
}

func hallThings() []gltf.ModelNode {
	lamps, crates := newShape(), newShape()
	for _, l := range pumpLamps {
		lampShade(lamps, l.Add(v(0, 0.03, 0)), float64(eaves)-0.3-float64(l.Y))
	}
	r := rand.New(rand.NewPCG(4, 4))
	for _, c := range [][4]float64{{10.2, 2.9, 0.36, 14}, {9.35, 3.6, 0.3, -9}, {10.3, 2.95, 0.26, 31}, {-9.9, 3.7, 0.34, 20}, {-10.6, 3.1, 0.28, -15}} {
		y := c[2]
		if c[2] == 0.26 {
			y = 0.72 + 0.26
		}
		f := turned(v(c[0], y, c[1]), c[3])
		for _, k := range []float64{-0.66, 0, 0.66} {
			for _, z := range []float64{-1, 1} {
				crates.box(mWood, frame{f.point(v(0, k*c[2], z*c[2])), f.x, f.y, f.z}, v(c[2], c[2]*0.3, 0.012), 0.006, 1)
				crates.box(mWood, frame{f.point(v(z*c[2], k*c[2], 0)), f.z.Neg(), f.y, f.x}, v(c[2], c[2]*0.3, 0.012), 0.006, 1)
			}
			crates.box(mWood, frame{f.point(v(k*c[2], c[2], 0)), f.x, f.y, f.z}, v(c[2]*0.31, 0.012, c[2]), 0.006, 1)
		}
		for _, x := range []float64{-1, 1} {
			for _, z := range []float64{-1, 1} {
				crates.box(mWood, frame{f.point(v(x*c[2]*0.98, 0, z*c[2]*0.98)), f.x, f.y, f.z}, v(0.03, c[2], 0.03), 0.008, 1)
			}
		}
	}
	// A coil of rope and a few drums.
	for k := range 5 {
		torus(crates, mWood, at(v(8.7, 0.04+0.05*float64(k), 4.0)), 0.3-0.012*float64(k)+0.01*r.Float64(), 0.026, 48, 10)
	}
	for _, d := range [][2]float64{{-8.4, 4.1}, {-7.7, 4.35}, {11.2, -3.4}} {
		crates.lathe(mRust, at(v(d[0], 0, d[1])), [][2]float64{{0, 0.01}, {0.28, 0.01}, {0.29, 0.02}, {0.29, 0.3}, {0.3, 0.31}, {0.29, 0.32}, {0.29, 0.58}, {0.3, 0.59}, {0.29, 0.6}, {0.29, 0.87}, {0.28, 0.88}, {0.28, 0.88}, {0.27, 0.86}, {0, 0.86}}, 40)
	}
	return []gltf.ModelNode{lamps.node("Pump lamps"), crates.node("Stores")}
}

// Views of the place, by name.
func views() []scene.Camera {
	cam := func(name string, eye, at vec.V3, fovDeg float64) scene.Camera {
		return scene.Camera{Name: name, Eye: eye, Aim: at.Sub(eye).Norm(), Up: v(0, 1, 0), FovY: fovDeg * math.Pi / 180, Aspect: 16.0 / 9}
	}
	k := keeperAt
	// 24 mm of sensor height: a 35 mm lens sees 37.8 degrees, 28 mm 46.4, 85 mm 16.1.
	return []scene.Camera{
		cam("Boardwalk", v(-34, 1.7, -0.3), v(-12, 3.4, 4.5), 46.4),
		cam("Hall", v(8.2, 1.75, 4.1), v(-2.2, 2.55, -2.3), 46.4),
		cam("Keeper", k.Add(v(1.2, 1.5, 3.25)), k.Add(v(-0.1, 1.36, 0)), 16.1),
		cam("Culvert", v(culvertX+0.5, 0.95, 7.0), v(culvertX-0.1, 0.35, 15), 46.4),
		cam("Gauge room", v(gaugeX+1.35, gaugeY+1.62, 1.9), v(hallX-0.95, gaugeY+1.12, -2.6), 46.4),
	}
}

// Place returns the pump house as a GLB.
var Place = sync.OnceValues(func() ([]byte, error) {
	pumps := newShape()
	pump(pumps, turned(v(-4.3, 0, -0.9), 0))
	pump(pumps, turned(v(0.6, 0, -0.9), 0))
	m := &gltf.Model{Materials: materials(), Cameras: views()}
	hall := gltf.ModelNode{Name: "Pump hall", Children: append(append(shellOfHall(), pumps.node("Pumps"), catwalk(), pipes()), hallThings()...)}
	m.Nodes = []gltf.ModelNode{hall,
		{Name: "Gauge room", Children: gaugeRoom()}, {Name: "Culvert", Children: culvert()}, {Name: "Outside", Children: outside()},
		keeper(), drone(), {Name: "Arrival", Camera: &scene.Camera{Name: "Arrival", Eye: v(-34, 1.7, 0.2), Aim: v(1, 0.03, 0.02).Norm(), Up: v(0, 1, 0), FovY: 46.4 * math.Pi / 180, Aspect: 16.0 / 9}}}
	// The drone's round: past the pumps to the catwalk and back.
	m.Animations = []gltf.ModelAnimation{{Name: "Survey round", Node: "Survey drone", Times: []float32{0, 2, 4, 6, 8},
		Shifts: []vec.V3{{}, v(2.2, 0.5, -0.8), v(4.6, -0.4, 0.3), v(2.4, -0.9, 1.1), {}}},
		// Along the boardwalk, through the door and into the hall.
		{Name: "Arrival", Node: "Arrival", Times: []float32{0, 4.4, 5.6, 8}, Shifts: []vec.V3{{}, v(21, 0, 0.2), v(25.4, 0, 2.6), v(37, 0, 3.4)}}}
	return gltf.Write(m)
})
