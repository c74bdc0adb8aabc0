package colour

import "math"

// Lab is a CIE 1976 L*a*b* colour under D65.
type Lab struct{ L, A, B float64 }

// LabOf returns the L*a*b* colour of a linear Rec. 709 colour whose white is
// (1, 1, 1) (CIE 15:2004, section 8.2.1; white point D65).
func LabOf(c RGB) Lab {
	x := (0.4123908*c[0] + 0.3575843*c[1] + 0.1804808*c[2]) / 0.9504559
	y := 0.2126390*c[0] + 0.7151687*c[1] + 0.0721923*c[2]
	z := (0.0193308*c[0] + 0.1191948*c[1] + 0.9505322*c[2]) / 1.0890578
	f := func(t float64) float64 {
		const d = 6.0 / 29
		if t > d*d*d {
			return math.Cbrt(t)
		}
		return t/(3*d*d) + 4.0/29
	}
	fx, fy, fz := f(x), f(y), f(z)
	return Lab{116*fy - 16, 500 * (fx - fy), 200 * (fy - fz)}
}

// Difference is the CIEDE2000 colour difference with all weights 1 (Sharma, Wu
// and Dalal 2005, equations 2 to 22). About 1 is just seen side by side.
func Difference(p, q Lab) float64 {
	const rad = math.Pi / 180
	const half = 180 + 1e-9 // rounding must not decide between opposite hues
	seven := func(c float64) float64 {
		c7 := math.Pow(c, 7)
		return math.Sqrt(c7 / (c7 + 6103515625)) // 25^7
	}
	g := 0.5 * (1 - seven((math.Hypot(p.A, p.B)+math.Hypot(q.A, q.B))/2))
	a1, a2 := (1+g)*p.A, (1+g)*q.A
	c1, c2 := math.Hypot(a1, p.B), math.Hypot(a2, q.B)
	hue := func(a, b float64) float64 {
		if a == 0 && b == 0 {
			return 0
		}
		h := math.Atan2(b, a) / rad
		if h < 0 {
			h += 360
		}
		return h
	}
	h1, h2 := hue(a1, p.B), hue(a2, q.B)
	var dh, hm float64
	grey := c1*c2 == 0
	switch d := h2 - h1; {
	case grey:
		hm = h1 + h2
	case math.Abs(d) <= half:
		dh, hm = d, (h1+h2)/2
	case d > half:
		dh = d - 360
	default:
		dh = d + 360
	}
	if !grey && math.Abs(h2-h1) > half {
		if hm = (h1 + h2 + 360) / 2; h1+h2 >= 360 {
			hm = (h1 + h2 - 360) / 2
		}
	}
	dl, dc := q.L-p.L, c2-c1
	dH := 2 * math.Sqrt(c1*c2) * math.Sin(dh/2*rad)
	lm, cm := (p.L+q.L)/2, (c1+c2)/2
	t := 1 - 0.17*math.Cos((hm-30)*rad) + 0.24*math.Cos(2*hm*rad) + 0.32*math.Cos((3*hm+6)*rad) - 0.20*math.Cos((4*hm-63)*rad)
	l50 := (lm - 50) * (lm - 50)
	sl := 1 + 0.015*l50/math.Sqrt(20+l50)
	sc, sh := 1+0.045*cm, 1+0.015*cm*t
	rt := -2 * seven(cm) * math.Sin(2*30*math.Exp(-((hm-275)/25)*((hm-275)/25))*rad)
	x, y, z := dl/sl, dc/sc, dH/sh
	return math.Sqrt(x*x + y*y + z*z + rt*y*z)
}
