//go:build goexperiment.simd && amd64

package filter

import (
	"simd/archsimd"
	"unsafe"
)

var vectorised = archsimd.X86.AVX2() && archsimd.X86.FMA()

// zeros are loaded: what is made of a constant 0 begins with scalar code.
var zeros [8]float32

func eight(p unsafe.Pointer, at int) archsimd.Float32x8 {
	return archsimd.LoadFloat32x8((*[8]float32)(unsafe.Add(p, 4*at)))
}

// sum is sumScalar: a whole block at once.
func (k *weights) sum(src, dst []float32, from int) {
	if !vectorised || len(dst) < block {
		k.sumScalar(src, dst, from)
		return
	}
	base, out := unsafe.Pointer(unsafe.SliceData(src[from:])), unsafe.Pointer(unsafe.SliceData(dst))
	zero := archsimd.LoadFloat32x8(&zeros)
	for i := 0; i < block; i += 32 {
		a, b, c, d := zero, zero, zero, zero
		for _, t := range k.live[:k.n] {
			p, q := unsafe.Add(base, 4*(k.away[t]+i)), unsafe.Pointer(&k.of[t][i])
			a = eight(p, 0).MulAdd(eight(q, 0), a)
			b = eight(p, 8).MulAdd(eight(q, 8), b)
			c = eight(p, 16).MulAdd(eight(q, 16), c)
			d = eight(p, 24).MulAdd(eight(q, 24), d)
		}
		to := unsafe.Add(out, 4*i)
		a.Store((*[8]float32)(to))
		b.Store((*[8]float32)(unsafe.Add(to, 4*8)))
		c.Store((*[8]float32)(unsafe.Add(to, 4*16)))
		d.Store((*[8]float32)(unsafe.Add(to, 4*24)))
	}
	archsimd.ClearAVXUpperBits()
}

// whole is wholeScalar.
func (k *weights) whole(many int) {
	if !vectorised || many < block {
		k.wholeScalar(many)
		return
	}
	var any [kernelTaps][8]float32
	zero, one := archsimd.LoadFloat32x8(&zeros), archsimd.BroadcastFloat32x8(1)
	for i := 0; i < block; i += 8 {
		sum := zero
		for t := range k.of {
			w := eight(unsafe.Pointer(&k.of[t][i]), 0)
			sum = sum.Add(w)
			eight(unsafe.Pointer(&any[t]), 0).Add(w).Store(&any[t])
		}
		none := sum.Equal(zero)
		per := one.Div(one.Merge(sum, none))
		for t := range k.of {
			to := (*[8]float32)(k.of[t][i : i+8])
			w := archsimd.LoadFloat32x8(to).Mul(per)
			if t == kernelTaps/2 {
				w = one.Merge(w, none)
			}
			w.Store(to)
		}
	}
	archsimd.ClearAVXUpperBits()
	k.n = 0
	for t := range any {
		if any[t] != [8]float32{} || t == kernelTaps/2 {
			k.live[k.n] = t
			k.n++
		}
	}
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
	none, half, far, one := archsimd.LoadFloat32x8(&zeros), archsimd.BroadcastFloat32x8(0.5), archsimd.BroadcastFloat32x8(farOff), archsimd.BroadcastFloat32x8(1)
	t := -1
	for dy := -kernelRadius; dy <= kernelRadius; dy++ {
		yy := y + dy*step
		for dx := -kernelRadius; dx <= kernelRadius; dx++ {
			t++
			if yy < 0 || yy >= f.h {
				none.Store((*[8]float32)(out[t][lane : lane+8]))
				continue
			}
			q := yy*f.w + x + dx*step
			c := nx.Mul(at(f.normal[0], q)).Add(ny.Mul(at(f.normal[1], q))).Add(nz.Mul(at(f.normal[2], q)))
			d := nx.Mul(at(f.pos[0], q).Sub(px)).Add(ny.Mul(at(f.pos[1], q).Sub(py))).Add(nz.Mul(at(f.pos[2], q).Sub(pz))).Mul(scale)
			d = d.Mul(d)
			ok := c.Greater(half).And(d.LessEqual(far)).And(object.Equal(at(f.source, q)))
			c = c.Mul(c)
			c = c.Mul(c)
			w := archsimd.BroadcastFloat32x8(taps[t]).Mul(c).Mul(c).Mul(c).Div(one.Add(d.Mul(d)))
			w.Masked(ok).Store((*[8]float32)(out[t][lane : lane+8]))
		}
	}
	archsimd.ClearAVXUpperBits()
}
