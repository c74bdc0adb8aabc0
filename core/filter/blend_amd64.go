//go:build goexperiment.simd && amd64

package filter

import (
	"simd/archsimd"
	"unsafe"
)

var vectorised = archsimd.X86.AVX2() && archsimd.X86.FMA()

// sum is sumScalar: a whole block at once.
func (k *weights) sum(src, dst []float32, from, step, w int) {
	if !vectorised || len(dst) < block {
		k.sumScalar(src, dst, from, step, w)
		return
	}
	base := unsafe.Pointer(unsafe.SliceData(src[from:]))
	load := func(p unsafe.Pointer, at int) archsimd.Float32x8 {
		return archsimd.LoadFloat32x8((*[8]float32)(unsafe.Add(p, 4*at)))
	}
	zero := archsimd.BroadcastFloat32x8(0)
	a, b, c, d := zero, zero, zero, zero
	for _, t := range k.live[:k.n] {
		p, q := unsafe.Add(base, 4*away(t, step, w)), unsafe.Pointer(&k.of[t])
		a = load(p, 0).MulAdd(load(q, 0), a)
		b = load(p, 8).MulAdd(load(q, 8), b)
		c = load(p, 16).MulAdd(load(q, 16), c)
		d = load(p, 24).MulAdd(load(q, 24), d)
	}
	out := (*[block]float32)(dst)
	a.Store((*[8]float32)(out[0:8]))
	b.Store((*[8]float32)(out[8:16]))
	c.Store((*[8]float32)(out[16:24]))
	d.Store((*[8]float32)(out[24:32]))
}

// weigh8 is weigh1 for eight pixels side by side, all of whose neighbours lie in
// the picture's rows.
func (f *Filter) weigh8(x, y, step, lane int, out *[kernelTaps][block]float32) {
	at := func(s []float32, i int) archsimd.Float32x8 {
		return archsimd.LoadFloat32x8((*[8]float32)(s[i : i+8]))
	}
	i := y*f.w + x
	var scales [8]float32
	for k := range scales {
		if f.depth[i+k] > 0 {
			scales[k] = f.plane(i+k, step)
		}
	}
	scale := archsimd.LoadFloat32x8(&scales)
	nx, ny, nz := at(f.normal[0], i), at(f.normal[1], i), at(f.normal[2], i)
	px, py, pz := at(f.pos[0], i), at(f.pos[1], i), at(f.pos[2], i)
	object := at(f.object, i)
	half, far, one := archsimd.BroadcastFloat32x8(0.5), archsimd.BroadcastFloat32x8(farOff), archsimd.BroadcastFloat32x8(1)
	t := -1
	for dy := -kernelRadius; dy <= kernelRadius; dy++ {
		yy := y + dy*step
		for dx := -kernelRadius; dx <= kernelRadius; dx++ {
			t++
			if yy < 0 || yy >= f.h {
				clear(out[t][lane : lane+8])
				continue
			}
			q := yy*f.w + x + dx*step
			c := nx.Mul(at(f.normal[0], q)).Add(ny.Mul(at(f.normal[1], q))).Add(nz.Mul(at(f.normal[2], q)))
			d := nx.Mul(at(f.pos[0], q).Sub(px)).Add(ny.Mul(at(f.pos[1], q).Sub(py))).Add(nz.Mul(at(f.pos[2], q).Sub(pz))).Mul(scale)
			d = d.Mul(d)
			ok := c.Greater(half).And(d.LessEqual(far)).And(object.Equal(at(f.source, q)))
			c = c.Mul(c)
			c = c.Mul(c)
			w := archsimd.BroadcastFloat32x8(kernel[max(dx, -dx)] * kernel[max(dy, -dy)]).Mul(c).Mul(c).Mul(c).Div(one.Add(d.Mul(d)))
			w.Masked(ok).Store((*[8]float32)(out[t][lane : lane+8]))
		}
	}
}
