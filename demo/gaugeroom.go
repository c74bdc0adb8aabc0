package demo

import (
	"math"

	"willowherb/core/vec"
	"willowherb/format/gltf"
)

// gaugeRoom is the room over the hall from which the pumps are watched.
func gaugeRoom() []gltf.ModelNode {
	s, g := newShape(), newShape()
	for i := range 4 {
		x := gaugeX + 0.42 + 0.85*float64(i)
		for j := range 10 {
			s.box(mWood, at(v(x, gaugeY-0.03, -hallZ+0.5+float64(j))), v(0.42, 0.03, 0.497), 0.008, 1)
		}
	}
	s.box(mSteel, at(v(gaugeX+1.7, gaugeY-0.16, 0)), v(1.7, 0.09, hallZ), 0.02, 1)
	s.box(mSteel, at(v(gaugeX, gaugeY-0.16, 0)), v(0.1, 0.14, hallZ), 0.02, 2)
	for _, z := range []float64{-1.7, 1.7} {
		s.box(mSteel, at(v(gaugeX+0.1, gaugeY/2-0.1, z)), v(0.11, gaugeY/2-0.1, 0.11), 0.02, 2)
	}
	// Glass front in a timber frame: panelling below, panes above.
	s.box(mWood, at(v(gaugeX, gaugeY+0.45, 0.9)), v(0.04, 0.45, hallZ-0.9), 0.012, 1)
	s.box(mWood, at(v(gaugeX, gaugeY+2.75, 0)), v(0.06, 0.08, hallZ), 0.015, 2)
	s.box(mWood, at(v(gaugeX, gaugeY+0.93, 0.9)), v(0.07, 0.04, hallZ-0.9), 0.015, 2)
	for i := range 7 {
		z := -3.2 + 1.36*float64(i)
		s.box(mWood, at(v(gaugeX, gaugeY+1.8, z)), v(0.05, 0.92, 0.04), 0.012, 2)
		if i < 6 {
			g.quad(mGlass, v(gaugeX, gaugeY+0.95, z+0.04), v(gaugeX, gaugeY+0.95, z+1.32), v(gaugeX, gaugeY+2.7, z+1.32), v(gaugeX, gaugeY+2.7, z+0.04), v(-1, 0, 0), 2)
		}
	}
	s.quad(mPlaster, v(gaugeX, gaugeY+2.83, -hallZ), v(hallX, gaugeY+2.83, -hallZ), v(hallX, gaugeY+2.83, hallZ), v(gaugeX, gaugeY+2.83, hallZ), v(0, -1, 0), 6)
	// The desk with its board of gauges against the east wall.
	s.box(mWood, at(v(hallX-0.75, gaugeY+0.78, -1.6)), v(0.4, 0.03, 1.5), 0.012, 2)
	for _, z := range []float64{-2.9, -0.3} {
		s.box(mWood, at(v(hallX-0.75, gaugeY+0.38, z)), v(0.34, 0.38, 0.04), 0.01, 1)
	}
	s.box(mSteel, at(v(hallX-0.2, gaugeY+1.55, -1.6)), v(0.06, 0.5, 1.5), 0.02, 2)
	for i := range 5 {
		for j := range 2 {
			gauge(s, frame{v(hallX-0.28, gaugeY+1.78-0.46*float64(j), -2.7+0.55*float64(i)), v(0, 0, -1), v(0, 1, 0), v(-1, 0, 0)}, []float64{0.19, 0.15}[j])
		}
	}
	// A stool, a mug, a ledger.
	s.lathe(mWood, at(v(hallX-1.5, gaugeY, -1.5)), [][2]float64{{0, 0.44}, {0.02, 0.44}, {0.19, 0.44}, {0.2, 0.455}, {0.19, 0.48}, {0, 0.48}}, 28)
	for k := range 3 {
		sn, cs := math.Sincos(2*math.Pi*float64(k)/3 + 0.4)
		s.rod(mWood, v(hallX-1.5+0.19*cs, gaugeY, -1.5+0.19*sn), v(hallX-1.5+0.1*cs, gaugeY+0.45, -1.5+0.1*sn), 0.018, 8)
	}
	s.lathe(mEnamel, at(v(hallX-0.9, gaugeY+0.81, -0.6)), [][2]float64{{0, 0}, {0.04, 0}, {0.042, 0.003}, {0.042, 0.09}, {0.038, 0.09}, {0.037, 0.01}, {0, 0.008}}, 28)
	s.box(mLeather, turned(v(hallX-0.85, gaugeY+0.83, -1.6), 8), v(0.14, 0.02, 0.2), 0.008, 2)
	watch(s)
	return []gltf.ModelNode{s.node("Gauge room"), g.node("Gauge room glass")}
}

// deskLamp is where the lamp over the log hangs, and deskAim where it shines.
var (
	deskLamp = v(hallX-0.86, gaugeY+1.32, -0.86)
	deskAim  = v(-0.12, -1, -0.28).Norm()
)

// watch is what the watch has left: levers under the gauges, a tide table, an open log, papers,
// a coat on its hook, boards along the walls, pipes under the ceiling.
func watch(s *shape) {
	// A bank of levers, brass at the hand.
	s.box(mSteel, at(v(hallX-0.52, gaugeY+0.86, -1.6)), v(0.13, 0.05, 1.15), 0.015, 2)
	for i := range 7 {
		z := -2.5 + 0.3*float64(i)
		lean := []float64{-0.16, -0.16, 0.12, -0.16, 0.12, 0.12, -0.16}[i]
		foot, top := v(hallX-0.52, gaugeY+0.9, z), v(hallX-0.52+lean, gaugeY+1.2, z)
		s.rod(mSteel, foot, top, 0.011, 10)
		s.solid(mBrass, at(top), func(p vec.V3) float64 { return ellipsoid(p, v(0, 0, 0), 0.026, 0.04, 0.026) }, v(-0.05, -0.06, -0.05), v(0.05, 0.06, 0.05), 0.012)
	}
	// A lamp on a jointed arm over the log.
	foot := v(hallX-0.6, gaugeY+0.81, -0.42)
	s.lathe(mSteel, at(foot), [][2]float64{{0.1, 0}, {0.1, 0.015}, {0.03, 0.03}, {0.016, 0.05}, {0, 0.05}}, 28)
	s.tube(mBrass, bend([]vec.V3{foot, foot.Add(v(-0.02, 0.42, 0.03)), deskLamp.Add(v(0.05, 0.16, 0.03)), deskLamp.Add(v(0, 0.09, 0))}, 0.03, 5), 0.011, 10)
	s.lathe(mGreen, along(deskLamp, deskAim.Neg()), [][2]float64{{0.115, -0.02}, {0.12, -0.02}, {0.105, 0.05}, {0.06, 0.09}, {0.03, 0.12}, {0, 0.12}}, 36)
	s.lathe(mEnamel, along(deskLamp, deskAim.Neg()), [][2]float64{{0.113, -0.02}, {0.1, 0.045}, {0.055, 0.083}, {0, 0.09}}, 36)
	// The log lies open, a pencil across it; loose sheets.
	for _, side := range []float64{-1, 1} {
		s.box(mPaper, frame{v(hallX-0.98, gaugeY+0.825, -1.02+0.115*side), v(1, 0, 0), v(0, 1, -0.12*side).Norm(), v(0, 0.12*side, 1).Norm()}, v(0.15, 0.012, 0.11), 0.006, 1)
	}
	s.rod(mBrass, v(hallX-1.06, gaugeY+0.845, -1.1), v(hallX-0.94, gaugeY+0.845, -0.93), 0.005, 6)
	for i, z := range []float64{-2.2, -2.45, -2.05} {
		s.box(mPaper, turned(v(hallX-0.98+0.05*float64(i), gaugeY+0.812+0.003*float64(i), z), 11*float64(i)-14), v(0.1, 0.0015, 0.14), 0.001, 1)
	}
	// The tide table: enamel in a brass rim, with a hand.
	clock := frame{v(hallX-0.03, gaugeY+1.75, 0.42), v(0, 0, -1), v(0, 1, 0), v(-1, 0, 0)}
	face := frame{clock.o, clock.x, clock.z, clock.y.Neg()}
	s.lathe(mBrass, face, [][2]float64{{0.33, 0}, {0.35, 0.02}, {0.35, 0.05}, {0.32, 0.06}, {0.31, 0.03}}, 48)
	s.lathe(mEnamel, face, [][2]float64{{0.32, 0.02}, {0, 0.02}}, 48)
	for k := range 12 {
		sn, cs := math.Sincos(2 * math.Pi * float64(k) / 12)
		s.box(mHair, frame{clock.point(v(0.27*cs, 0.27*sn, 0.022)), clock.dir(v(-sn, cs, 0)), clock.dir(v(cs, sn, 0)), clock.z}, v(0.007, 0.028, 0.003), 0.001, 1)
	}
	for _, h := range []struct{ turn, long float64 }{{0.9, 0.2}, {2.6, 0.13}} {
		sn, cs := math.Sincos(h.turn)
		s.box(mHair, frame{clock.point(v(h.long/2*cs, h.long/2*sn, 0.03)), clock.dir(v(-sn, cs, 0)), clock.dir(v(cs, sn, 0)), clock.z}, v(0.009, h.long/2, 0.003), 0.001, 1)
	}
	// Boards along the end wall, a rail with hooks, and the watchman's coat and lamp.
	for i := range 12 {
		s.box(mWood, at(v(gaugeX+0.2+0.285*float64(i), gaugeY+0.55, -hallZ+0.04)), v(0.138, 0.55, 0.02), 0.006, 1)
	}
	s.box(mWood, at(v((gaugeX+hallX)/2, gaugeY+1.13, -hallZ+0.06)), v(1.7, 0.03, 0.05), 0.01, 1)
	s.box(mWood, at(v(gaugeX+1.7, gaugeY+1.75, -hallZ+0.05)), v(0.8, 0.05, 0.025), 0.01, 1)
	for i := range 4 {
		x := gaugeX + 1.1 + 0.4*float64(i)
		s.tube(mBrass, bend([]vec.V3{v(x, gaugeY+1.75, -hallZ+0.07), v(x, gaugeY+1.72, -hallZ+0.16), v(x, gaugeY+1.79, -hallZ+0.17)}, 0.02, 4), 0.008, 8)
	}
	coat := frame{v(gaugeX+1.5, gaugeY+1.22, -hallZ+0.17), v(1, 0, 0), v(0, 1, 0), v(0, 0, 1)}
	s.solid(mCoat, coat, func(p vec.V3) float64 {
		folds := 0.018 * math.Sin(26*float64(p.X)+3*float64(p.Y))
		return blend(0.08, capsule(p, v(0, 0.48, 0), v(0, -0.42, 0.02), 0.1, 0.2), capsule(p, v(-0.13, 0.4, 0), v(-0.24, -0.2, 0.02), 0.055, 0.05), capsule(p, v(0.13, 0.4, 0), v(0.22, -0.22, 0.02), 0.055, 0.05)) + folds
	}, v(-0.4, -0.7, -0.3), v(0.4, 0.65, 0.35), 0.04)
	// A drawing of the pumps, framed, and pipes under the ceiling.
	s.box(mWood, at(v(gaugeX+2.85, gaugeY+1.75, -hallZ+0.04)), v(0.36, 0.27, 0.02), 0.01, 1)
	s.quad(mPaper, v(gaugeX+2.53, gaugeY+1.52, -hallZ+0.062), v(gaugeX+3.17, gaugeY+1.52, -hallZ+0.062), v(gaugeX+3.17, gaugeY+1.98, -hallZ+0.062), v(gaugeX+2.53, gaugeY+1.98, -hallZ+0.062), v(0, 0, 1), 1)
	for k := range 2 {
		x := gaugeX + 2.7 + 0.32*float64(k)
		for q := range 24 {
			a, b := 2*math.Pi*float64(q)/24, 2*math.Pi*float64(q+1)/24
			s.rod(mHair, v(x+0.11*math.Cos(a), gaugeY+1.76+0.11*math.Sin(a), -hallZ+0.064), v(x+0.11*math.Cos(b), gaugeY+1.76+0.11*math.Sin(b), -hallZ+0.064), 0.003, 5)
		}
	}
	for i, z := range []float64{-2.7, -2.15, -1.6, -1.05, -0.5} {
		s.tube(mBrass, bend([]vec.V3{v(hallX-0.2, gaugeY+2.03, z), v(hallX-0.2, gaugeY+2.42+0.05*float64(i), z), v(hallX-0.2, gaugeY+2.42+0.05*float64(i), 1.0)}, 0.06, 5), 0.012, 8)
	}
	s.lathe(mBlue, frame{v(hallX-0.35, gaugeY+2.62, -hallZ+0.05), v(1, 0, 0), v(0, 0, 1), v(0, -1, 0)}, [][2]float64{{0.09, 0}, {0.09, 9.8}}, 20)
}
