package demo

import (
	"math"

	"willowherb/core/vec"
	"willowherb/format/gltf"
)

// keeperAt is where the keeper stands; the figure looks towards +Z, turned a
// little to the east.
var keeperAt = v(4.3, 0, 1.3)

const keeperTurn = 18

// The lantern hangs from the keeper's right hand; flame is its light's centre.
var flame = turned(keeperAt, keeperTurn).point(v(-0.40, 0.98, 0.40))

// face is the head without hair: skull, jaw, brow, nose, lips, ears, and hollows
// for the eyes. Local coordinates: metres above the ground, looking to +Z.
func face(p vec.V3) float64 {
	q := p
	q.X = abs(q.X) // the two halves are alike
	d := ellipsoid(p, v(0, 1.655, -0.012), 0.078, 0.098, 0.098)
	d = blend(0.05, d, ellipsoid(p, v(0, 1.588, 0.028), 0.054, 0.062, 0.062))                        // jaw
	d = blend(0.03, d, ellipsoid(p, v(0, 1.545, 0.066), 0.021, 0.017, 0.018))                        // chin
	d = blend(0.025, d, ellipsoid(q, v(0.043, 1.622, 0.052), 0.021, 0.018, 0.022))                   // cheek bones
	d = blend(0.022, d, capsule(q, v(0.012, 1.672, 0.084), v(0.044, 1.672, 0.066), 0.0105, 0.009))   // brow
	d = carve(0.018, d, ellipsoid(q, v(0.031, 1.652, 0.094), 0.019, 0.0125, 0.021))                  // sockets
	d = blend(0.012, d, capsule(p, v(0, 1.662, 0.084), v(0, 1.618, 0.108), 0.0075, 0.0115))          // nose
	d = blend(0.008, d, ellipsoid(q, v(0.0105, 1.613, 0.097), 0.0085, 0.0075, 0.0105))               // wings of the nose
	d = blend(0.006, d, ellipsoid(p, v(0, 1.5895, 0.0885), 0.0225, 0.0052, 0.0088))                  // lips
	d = blend(0.006, d, ellipsoid(p, v(0, 1.5795, 0.0865), 0.0185, 0.0062, 0.0092))                  //
	d = carve(0.004, d, capsule(q, v(0, 1.5848, 0.0985), v(0.0215, 1.5835, 0.0885), 0.0012, 0.0008)) // mouth
	d = blend(0.006, d, ellipsoid(q, v(0.031, 1.6525, 0.0755), 0.0155, 0.0088, 0.0118))              // upper lids
	d = blend(0.006, d, ellipsoid(q, v(0.031, 1.6405, 0.0735), 0.0140, 0.0065, 0.0105))              // lower lids
	d = blend(0.012, d, ellipsoid(q, v(0.08, 1.635, -0.008), 0.011, 0.031, 0.019))                   // ears
	d = blend(0.04, d, capsule(p, v(0, 1.56, -0.022), v(0, 1.40, -0.035), 0.052, 0.062))             // neck
	return d
}

func hair(p vec.V3) float64 {
	strand := 0.0022*math.Sin(90*math.Atan2(float64(p.X), float64(p.Z)+0.03)+14*float64(p.Y)) + 0.0018*math.Sin(240*float64(p.X)+30*float64(p.Y))
	d := ellipsoid(p, v(0, 1.668, -0.02), 0.087, 0.103, 0.105) - 0.003
	d = carve(0.022, d, ellipsoid(p, v(0, 1.60, 0.085), 0.078, 0.103, 0.078))
	d = blend(0.03, d, ellipsoid(p, v(0.02, 1.742, 0.045), 0.05, 0.02, 0.035))
	d = blend(0.03, d, ellipsoid(p, v(0, 1.60, -0.08), 0.062, 0.06, 0.036))
	return d + strand
}

// hands and forearms that leave the sleeves.
func hand(p, wrist, knuckles, grip vec.V3) float64 {
	d := capsule(p, wrist, knuckles, 0.028, 0.034)
	side := knuckles.Sub(wrist).Norm().Cross(v(0, 1, 0)).Norm()
	for k := range 4 {
		o := side.Scale(float32(0.018 * (float64(k) - 1.5)))
		a := knuckles.Add(o)
		b := grip.Add(o).Add(v(0, 0.012, 0))
		c := grip.Add(o.Scale(0.9)).Add(v(0, -0.022, -0.022))
		d = blend(0.008, d, min(capsule(p, a, b, 0.0115, 0.0105), capsule(p, b, c, 0.0105, 0.009)))
	}
	return blend(0.012, d, capsule(p, wrist.Add(side.Scale(-0.02)), grip.Add(side.Scale(-0.03)).Add(v(0, -0.01, -0.02)), 0.014, 0.010))
}

var (
	shoulderR, elbowR, wristR = v(-0.182, 1.405, -0.02), v(-0.30, 1.17, 0.06), v(-0.385, 1.255, 0.30)
	gripR                     = v(-0.40, 1.245, 0.40)
	shoulderL, elbowL, wristL = v(0.182, 1.405, -0.02), v(0.275, 1.13, -0.02), v(0.265, 0.90, 0.06)
	gripL                     = v(0.262, 0.80, 0.09)
)

// coat is a long oilcloth coat, open below the waist, its hood down on the back.
func coat(p vec.V3) float64 {
	y := float64(p.Y)
	x, z := float64(p.X), float64(p.Z)
	// Torso: chest, belly, shoulders.
	d := ellipsoid(p, v(0, 1.27, -0.005), 0.172, 0.205, 0.122)
	d = blend(0.1, d, ellipsoid(p, v(0, 1.06, 0), 0.15, 0.20, 0.115))
	d = blend(0.07, d, capsule(p, shoulderR.Add(v(0.05, 0.02, 0)), shoulderL.Add(v(-0.05, 0.02, 0)), 0.06, 0.06))
	// Skirt: a cone with folds that deepen downwards.
	if y < 1.12 {
		t := (1.12 - y) / 0.80
		a := math.Atan2(x, z)
		fold := (0.018*math.Sin(7*a+0.6) + 0.012*math.Sin(13*a+2.1+1.5*t)) * t
		rx, rz := 0.165+0.135*t+fold, 0.125+0.135*t+fold
		r := math.Hypot(x/rx, z/rz)
		skirt := (r - 1) * min(rx, rz) * 0.8
		inner := skirt + 0.02
		if y < 0.95 {
			skirt = max(skirt, -inner)
		}
		skirt = max(skirt, 0.32-y)
		// The front slit.
		slit := math.Abs(x-0.02) - (0.008 + 0.10*max(t-0.25, 0))
		if z > 0 {
			skirt = max(skirt, -slit)
		}
		d = blend(0.05, d, max(skirt, y-1.14))
	}
	wrinkle := func(a, b vec.V3, amp float64) float64 {
		s := float64(p.Sub(a).Dot(b.Sub(a).Norm()))
		return amp * math.Sin(70*s)
	}
	d = blend(0.045, d, capsule(p, shoulderR, elbowR, 0.062, 0.054)+wrinkle(shoulderR, elbowR, 0.004))
	d = blend(0.03, d, capsule(p, elbowR, wristR, 0.056, 0.046)+wrinkle(elbowR, wristR, 0.003))
	d = blend(0.045, d, capsule(p, shoulderL, elbowL, 0.062, 0.054)+wrinkle(shoulderL, elbowL, 0.004))
	d = blend(0.03, d, capsule(p, elbowL, wristL, 0.056, 0.046)+wrinkle(elbowL, wristL, 0.003))
	// Hood: a soft ring round the neck that hangs behind.
	ring := math.Hypot(math.Hypot(x/0.115, (z+0.045)/0.12)-1, (y-1.452-0.22*(z+0.045)*-0.6)/0.055*0.45)*0.105 - 0.042
	d = blend(0.03, d, ring)
	// A stand-up collar, open in front.
	collar := math.Abs(math.Hypot(x, (z+0.02)*1.05)-0.078-0.12*(y-1.47)) - 0.007
	collar = max(collar, math.Abs(y-1.475)-0.05)
	if z > 0.035 {
		collar = max(collar, 0.02+0.25*(y-1.44)-math.Abs(x))
	}
	d = blend(0.015, d, collar)
	d = blend(0.05, d, ellipsoid(p, v(0, 1.38, -0.15), 0.12, 0.12, 0.065))
	// Collar opening, belt.
	d = carve(0.015, d, ellipsoid(p, v(0, 1.475, 0.055), 0.058, 0.07, 0.06))
	belt := math.Abs(y-1.045) - 0.024
	d = blend(0.006, d, max(d-0.009, belt))
	return d
}

func boots(p vec.V3) float64 {
	q := p
	q.X = abs(q.X)
	d := capsule(q, v(0.095, 0.55, 0), v(0.1, 0.14, -0.02), 0.078, 0.058)
	d = blend(0.04, d, ellipsoid(q, v(0.105, 0.06, 0.065), 0.05, 0.055, 0.125))
	d = blend(0.02, d, ellipsoid(q, v(0.1, 0.07, -0.03), 0.052, 0.07, 0.06))
	top := max(math.Abs(float64(q.Y)-0.36)-0.02, capsule(q, v(0.095, 0.55, 0), v(0.1, 0.14, -0.02), 0.09, 0.07))
	d = blend(0.012, d, top)
	return max(d, 0.004-float64(p.Y))
}

func keeper() gltf.ModelNode {
	f := turned(keeperAt, keeperTurn)
	body, head, lamp := newShape(), newShape(), newShape()
	head.solid(mSkin, f, face, v(-0.12, 1.36, -0.13), v(0.12, 1.78, 0.14), 0.0050)
	head.solid(mHair, f, hair, v(-0.12, 1.52, -0.15), v(0.12, 1.80, 0.13), 0.0068)
	for _, x := range []float64{-0.031, 0.031} {
		c := f.point(v(x, 1.6465, 0.0735))
		eye := along(c, f.dir(v(0, -0.05, 1)))
		head.lathe(mEye, eye, [][2]float64{{0.0118, 0}, {0.0108, 0.005}, {0.0075, 0.0093}, {0.005, 0.0108}}, 20)
		head.lathe(mLeather, eye, [][2]float64{{0.0055, 0.0107}, {0.004, 0.0114}, {0, 0.0119}}, 16)
	}
	hands := func(p vec.V3) float64 {
		return min(hand(p, wristR, vec.Lerp(wristR, gripR, 0.72), gripR), hand(p, wristL, vec.Lerp(wristL, gripL, 0.8), gripL))
	}
	head.solid(mSkin, f, hands, v(-0.50, 0.72, -0.05), v(0.36, 1.35, 0.50), 0.0088)
	body.solid(mCoat, f, coat, v(-0.48, 0.30, -0.42), v(0.46, 1.56, 0.42), 0.0145)
	body.solid(mLeather, f, boots, v(-0.22, -0.01, -0.14), v(0.22, 0.66, 0.24), 0.014)
	lantern(lamp, flame, gripPoint(f))
	return gltf.ModelNode{Name: "Keeper", Children: []gltf.ModelNode{body.node("Keeper coat"), head.node("Keeper head and hands"), lamp.node("Lantern")}}
}

func gripPoint(f frame) vec.V3 { return f.point(gripR.Add(v(0, 0, -0.01))) }

// lantern is a storm lantern whose flame is at o, hung by a bail from grip.
func lantern(s *shape, o, grip vec.V3) {
	f := at(o)
	s.lathe(mBrass, f, [][2]float64{{0, -0.125}, {0.075, -0.125}, {0.08, -0.118}, {0.08, -0.118}, {0.08, -0.085}, {0.08, -0.085}, {0.066, -0.07}, {0.05, -0.06}, {0.02, -0.052}, {0.012, -0.035}, {0, -0.034}}, 44)
	s.lathe(mBrass, f, [][2]float64{{0.056, 0.085}, {0.07, 0.088}, {0.072, 0.094}, {0.05, 0.115}, {0.036, 0.125}, {0.036, 0.125}, {0.036, 0.145}, {0.046, 0.15}, {0.03, 0.165}, {0, 0.17}}, 44)
	for k := range 4 {
		sn, cs := math.Sincos(2*math.Pi*float64(k)/4 + math.Pi/4)
		s.rod(mBrass, f.point(v(0.066*cs, -0.08, 0.066*sn)), f.point(v(0.064*cs, 0.095, 0.064*sn)), 0.0035, 8)
	}
	for _, y := range []float64{-0.02, 0.03} {
		torus(s, mBrass, at(o.Add(v(0, y, 0))), 0.066, 0.0028, 44, 8)
	}
	s.lathe(mFlame, f, [][2]float64{{0, -0.02}, {0.006, -0.016}, {0.0095, -0.006}, {0.008, 0.006}, {0.003, 0.017}, {0, 0.021}}, 20)
	path := []vec.V3{o.Add(v(-0.068, 0.09, 0)), o.Add(v(-0.07, 0.17, 0)), grip.Add(v(-0.012, 0, 0)), grip.Add(v(0.012, 0, 0)), o.Add(v(0.07, 0.17, 0)), o.Add(v(0.068, 0.09, 0))}
	s.tube(mSteel, bend(path, 0.03, 6), 0.0028, 8)
}
