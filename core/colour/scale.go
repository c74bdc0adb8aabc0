package colour

// Scale is a scale of tones for measured values, 0 to 1, even to the eye and safe for
// colour-blind eyes (the viridis family, as a polynomial fit; web/src/picture/palette.ts has the
// same numbers): sRGB, 0 to 1.
func Scale(t float64) (c [3]float64) {
	t = min(max(t, 0), 1)
	for k := range 3 {
		v := scale[6][k]
		for i := 5; i >= 0; i-- {
			v = v*t + scale[i][k]
		}
		c[k] = min(max(v, 0), 1)
	}
	return c
}

var scale = [7][3]float64{
	{0.2777273, 0.0054073, 0.3340998},
	{0.105093, 1.4046135, 1.3845902},
	{-0.3308618, 0.2148476, 0.0950952},
	{-4.6342305, -5.799101, -19.332441},
	{6.2282699, 14.1799334, 56.6905526},
	{4.776385, -13.7451454, -65.3530326},
	{-5.4354559, 4.6458526, 26.3124352},
}
