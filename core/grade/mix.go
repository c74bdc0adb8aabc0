package grade

import "math"

// Mix is what lies between two grades (nil: none): share 0 is the first, 1 the second. Numbers
// go evenly, white in stops, a table or a curve that only one has by its share of it; what has
// no between changes in the middle.
func Mix(a, b *Grade, share float64) *Grade {
	switch {
	case share <= 0 || a == nil && b == nil:
		return a
	case share >= 1:
		return b
	}
	p, q := Neutral(), Neutral()
	if a != nil {
		p = *a
	}
	if b != nil {
		q = *b
	}
	even := func(x, y float64) float64 { return x + share*(y-x) }
	out := p
	out.White = mixWhite(p.White, q.White, share)
	out.Contrast, out.Saturation = even(p.Contrast, q.Contrast), even(p.Saturation, q.Saturation)
	for k := range 3 {
		out.Lift[k], out.Gamma[k], out.Gain[k] = even(p.Lift[k], q.Lift[k]), even(p.Gamma[k], q.Gamma[k]), even(p.Gain[k], q.Gain[k])
	}
	out.Vignette, out.Grain, out.Bloom = even(p.Vignette, q.Vignette), even(p.Grain, q.Grain), even(p.Bloom, q.Bloom)
	out.Corners = even(p.Corners, q.Corners)
	switch {
	case p.Corners == 0:
		out.CornerReach = q.CornerReach
	case q.Corners == 0:
		out.CornerReach = p.CornerReach
	default:
		out.CornerReach = even(p.cornerReach(), q.cornerReach())
	}
	switch {
	case p.Bloom == 0:
		out.BloomFrom = q.BloomFrom
	case q.Bloom == 0:
		out.BloomFrom = p.BloomFrom
	default:
		out.BloomFrom = even(p.BloomFrom, q.BloomFrom)
	}
	if p.Hues != nil || q.Hues != nil {
		out.Hues = &[6]Hue{}
		for i := range out.Hues {
			x, y := Hue{Saturation: 1}, Hue{Saturation: 1}
			if p.Hues != nil {
				x = p.Hues[i]
			}
			if q.Hues != nil {
				y = q.Hues[i]
			}
			out.Hues[i] = Hue{even(x.Turn, y.Turn), even(x.Saturation, y.Saturation)}
		}
	}
	if p.Curves != nil || q.Curves != nil {
		x, y := &Curves{}, &Curves{}
		if p.Curves != nil {
			x = p.Curves
		}
		if q.Curves != nil {
			y = q.Curves
		}
		out.Curves = &Curves{mixCurve(x.All, y.All, share), mixCurve(x.Red, y.Red, share), mixCurve(x.Green, y.Green, share), mixCurve(x.Blue, y.Blue, share)}
	}
	out.Table = mixTable(p.Table, q.Table, share)
	return &out
}

func mixWhite(a, b *[3]float64, share float64) *[3]float64 {
	if a == nil && b == nil {
		return nil
	}
	p, q := [3]float64{1, 1, 1}, [3]float64{1, 1, 1}
	if a != nil {
		p = *a
	}
	if b != nil {
		q = *b
	}
	for k := range p {
		p[k] = math.Exp2((1-share)*math.Log2(p[k]) + share*math.Log2(q[k]))
	}
	return &p
}

// mixCurve is a curve between two. Where only one is there, its points go towards the line
// that changes nothing; with as many points, each goes to the other; else it changes in the
// middle.
func mixCurve(a, b []Point, share float64) []Point {
	towards := func(from []Point, to func(i int) Point, share float64) []Point {
		out := make([]Point, len(from))
		for i, p := range from {
			q := to(i)
			out[i] = Point{p[0] + share*(q[0]-p[0]), p[1] + share*(q[1]-p[1])}
		}
		return out
	}
	switch {
	case len(a) == 0 && len(b) == 0:
		return nil
	case len(a) == 0:
		return towards(b, func(i int) Point { return Point{b[i][0], b[i][0]} }, 1-share)
	case len(b) == 0:
		return towards(a, func(i int) Point { return Point{a[i][0], a[i][0]} }, share)
	case len(a) == len(b):
		return towards(a, func(i int) Point { return b[i] }, share)
	case share < 0.5:
		return a
	}
	return b
}

func mixTable(a, b *Table, share float64) *Table {
	switch {
	case a == nil && b == nil:
		return nil
	case a == nil:
		return &Table{b.Blob, b.File, b.Amount * share}
	case b == nil:
		return &Table{a.Blob, a.File, a.Amount * (1 - share)}
	case a.Blob == b.Blob:
		return &Table{a.Blob, a.File, a.Amount + share*(b.Amount-a.Amount)}
	case share < 0.5:
		return a
	}
	return b
}
