package light

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/sampling"
	"willowherb/core/vec"
)

// spotted is a dim dome with a small bright spot towards the east, 30 degrees high.
func spotted(w, h int) *Dome {
	rgb := make([]float32, 3*w*h)
	to := vec.New(math.Cos(math.Pi/6), 0.5, 0)
	for y := range h {
		for x := range w {
			lat, az := math.Pi*(0.5-(float64(y)+0.5)/float64(h)), 2*math.Pi*((float64(x)+0.5)/float64(w)-0.5)
			d := vec.New(math.Cos(lat)*math.Sin(az), math.Sin(lat), -math.Cos(lat)*math.Cos(az))
			v := float32(1)
			if d.Dot(to) > 0.9986 { // 3 degrees
				v = 5000
			}
			for k := range 3 {
				rgb[3*(y*w+x)+k] = v
			}
		}
	}
	return NewDome(w, h, rgb)
}

// integral is the illuminance of a surface under a light's dome, by evenly spaced directions.
func integral(l *Light, n vec.V3) (e float64) {
	const rows, cols = 700, 1400
	for j := range rows {
		up := 1 - 2*(float64(j)+0.5)/rows
		flat := math.Sqrt(1 - up*up)
		for i := range cols {
			sin, cos := math.Sincos(2 * math.Pi * (float64(i) + 0.5) / cols)
			d := vec.New(flat*sin, up, flat*cos)
			if c := d.Dot(n); c > 0 {
				e += float64(l.skyRadiance(d).Y*c) * 4 * math.Pi / (rows * cols)
			}
		}
	}
	return e
}

// What is sampled is the dome's integral, on a floor, on a wall, and turned; within
// four standard errors.
func TestADomeGivesItsIntegral(t *testing.T) {
	sin, cos := math.Sincos(100 * math.Pi / 180)
	for name, size := range map[string][2]int{"as fine as its cells": {256, 128}, "finer": {1200, 600}, "coarse": {16, 8}} {
		for _, turn := range [][2]float32{{}, {float32(sin), float32(cos)}} {
			if turn[0] != 0 && size[0] != 1200 {
				continue
			}
			l := Light{Kind: Sky, Dome: spotted(size[0], size[1]), Turn: turn}
			l.Prepare()
			for _, n := range []vec.V3{up, {X: 1}, {Z: 1}, {Y: -1}} {
				want := integral(&l, n)
				e, se := illuminance(&l, vec.V3{}, n, 1<<16)
				require.InDelta(t, want, e, max(4*se, 0.003*want), "%s, turned %v, facing %v", name, turn, n)
				require.Less(t, se, 0.006*want, "bright spots are looked for")
			}
		}
	}
	// The spot has gone from the east by a hundred degrees clockwise: to the south, past it.
	l := Light{Kind: Sky, Dome: spotted(256, 128), Turn: [2]float32{float32(sin), float32(cos)}}
	at := 190 * math.Pi / 180
	d := vec.New(math.Cos(math.Pi/6)*math.Sin(at), 0.5, -math.Cos(math.Pi/6)*math.Cos(at))
	require.Greater(t, l.skyRadiance(d).Y, float32(4000))
}

// Densities are those of the directions that come, and all of them together one.
func TestADomesDensity(t *testing.T) {
	for _, size := range [][2]int{{64, 32}, {600, 300}, {5, 3}} {
		m := spotted(size[0], size[1])
		var all float64
		const rows, cols = 800, 1600
		for j := range rows {
			up := 1 - 2*(float64(j)+0.5)/rows
			for i := range cols {
				s, c := math.Sincos(2 * math.Pi * (float64(i) + 0.5) / cols)
				f := math.Sqrt(1 - up*up)
				all += float64(m.pdf(vec.New(f*s, up, f*c))) * 4 * math.Pi / (rows * cols)
			}
		}
		require.InEpsilon(t, 1, all, 0.02)
		off := 0
		for k := range uint32(2000) {
			d, pdf := m.sample(sampling.New(1, 1, k).Pair(0))
			require.InDelta(t, 1, d.Len(), 1e-5)
			if math.Abs(float64(m.pdf(d)/pdf-1)) > 1e-3 {
				off++ // rounded into the next cell
			}
		}
		require.Less(t, off, 10)
	}
	// A black dome has directions too, and they are finite.
	black := NewDome(4, 2, make([]float32, 24))
	_, pdf := black.sample(vec.V2{X: 0.3, Y: 0.7})
	require.False(t, math.IsNaN(float64(pdf)) || math.IsInf(float64(pdf), 0))
}

func TestADomeIsRoundedAtItsSeam(t *testing.T) {
	m := NewDome(4, 2, []float32{1, 1, 1, 2, 2, 2, 3, 3, 3, 5, 5, 5, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0})
	a, b := m.Radiance(vec.New(1e-6, 0.8, 0.6)), m.Radiance(vec.New(-1e-6, 0.8, 0.6))
	require.InDelta(t, a.Y, b.Y, 1e-3, "south, from both sides")
}

func BenchmarkNewDome(b *testing.B) {
	rgb := make([]float32, 3*4096*2048)
	for i := range rgb {
		rgb[i] = float32(i%97) + 1
	}
	for b.Loop() {
		NewDome(4096, 2048, rgb)
	}
}

func BenchmarkDomeSample(b *testing.B) {
	l := Light{Kind: Sky, Dome: spotted(1024, 512)}
	l.Prepare()
	for i := 0; b.Loop(); i++ {
		l.Sample(vec.V3{}, up, sampling.New(1, 1, uint32(i)).Pair(0))
	}
}
