// Package device is a simulated device: it takes the work of frames and "measures" what
// each pass takes, as a real one does. Its coefficients are its own and hidden: they differ
// from those of the target that it stands for. Its clock slows down when it gets warm, its
// caches hold less when more is kept, its timers are noisy, and now and then something else
// runs. Same target and seed, same device; same camera too, same timings.
package device

import (
	"hash/fnv"
	"math"
	"math/rand/v2"

	"willowherb/core/target"
	"willowherb/core/work"
)

// Device is one simulated device.
type Device struct {
	t      *target.Target
	seed   uint64
	hidden [][]float64 // ns, of each pass and term
}

// strays is the deviation of the logarithm of what its coefficients differ by.
const strays = 0.3

// New makes the device that a seed names for a target.
func New(t *target.Target, seed uint64) *Device {
	d := &Device{t: t, seed: seed}
	for i := range t.Passes {
		var ns []float64
		for _, m := range t.Passes[i].Terms {
			r := d.chance(t.Passes[i].Name + " " + m.Count)
			ns = append(ns, m.Ns*math.Exp(max(min(strays*r.NormFloat64(), 2*strays), -2*strays)))
		}
		d.hidden = append(d.hidden, ns)
	}
	return d
}

func (d *Device) chance(name string) *rand.Rand {
	h := fnv.New64a()
	h.Write([]byte(name)) //nolint: a hash takes everything
	return rand.New(rand.NewPCG(d.seed, h.Sum64()))
}

// Hidden is what a piece of work costs the device in a pass, in nanoseconds: for tests of
// what is found out of its timings.
func (d *Device) Hidden(pass, term int) float64 { return d.hidden[pass][term] }

// Timing is what a pass took in one frame of a camera.
type Timing struct {
	Camera string
	Frame  int
	Pass   string
	Ms     float64
}

// tick is what the device's timers count in, in milliseconds.
const tick = 0.0005

// Capture measures so many frames of a camera.
func (d *Device) Capture(camera string, frames int, w *work.Done) (out []Timing) {
	counts := w.All()
	keeps := 0.0 // MB of shadow maps
	for i := range w.Lights {
		l := &w.Lights[i]
		keeps += float64(l.Maps*l.Side*l.Side) * d.t.Bytes.Texel / (1 << 20)
	}
	r := d.chance("frames of " + camera)
	slow := 0
	for f := range frames {
		clock := 1.0
		if f < 2 {
			clock = 1.12 // it wakes up
		}
		if slow == 0 && r.Float64() < 0.05 {
			slow = 2 + r.IntN(4)
		}
		if slow > 0 {
			slow--
			clock *= 1.18 // warm
		}
		for i := range d.t.Passes {
			p := &d.t.Passes[i]
			ms := 0.0
			for k, m := range p.Terms {
				c, _ := target.Named(m.Count)
				ms += counts[c] * d.hidden[i][k] * d.cache(c, keeps, w.Most) / 1e6
			}
			ms *= clock * math.Exp(0.015*r.NormFloat64())
			if r.Float64() < 0.01 {
				ms += 0.2 + r.Float64() // something else ran
			}
			out = append(out, Timing{camera, f, p.Name, math.Round(ms/tick) * tick})
		}
	}
	return out
}

// cache is by how much a piece of work takes longer where much else is kept.
func (d *Device) cache(c target.Count, mb float64, most int) float64 {
	switch c {
	case target.Taps, target.SunTaps, target.FogShadowed:
		return 1 + 0.05*mb/(mb+64)
	case target.Listed:
		return 1 + 0.03*min(float64(most)/16, 1)
	}
	return 1
}
