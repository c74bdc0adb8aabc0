//go:build goexperiment.simd && amd64

package cache

import "simd/archsimd"

var vectorised = archsimd.X86.AVX2()

// sweep brings what links lead to from each point's now to the next.
func sweep(begin, now, next []block, links []link, from, to int) {
	if !vectorised {
		sweepScalar(begin, now, next, links, from, to)
		return
	}
	fan := len(links) / len(now)
	for p := from; p < to; p++ {
		b := &begin[p]
		ex, ey, ez := archsimd.LoadFloat32x8(&b[0]), archsimd.LoadFloat32x8(&b[1]), archsimd.LoadFloat32x8(&b[2])
		gx, gy, gz := archsimd.LoadFloat32x8(&b[3]), archsimd.LoadFloat32x8(&b[4]), archsimd.LoadFloat32x8(&b[5])
		for q := range links[p*fan : (p+1)*fan] {
			l := &links[p*fan+q]
			if l.to < 0 {
				continue
			}
			f := &now[l.to]
			k := archsimd.BroadcastFloat32x8(l.glance)
			// A product and a sum, not both in one: the same bits as without vectors.
			v := archsimd.BroadcastFloat32x8(l.even.X).Mul(archsimd.LoadFloat32x8(&f[0])).Add(archsimd.BroadcastFloat32x8(l.glancing.X).Mul(archsimd.LoadFloat32x8(&f[3])))
			ex, gx = ex.Add(v), gx.Add(v.Mul(k))
			v = archsimd.BroadcastFloat32x8(l.even.Y).Mul(archsimd.LoadFloat32x8(&f[1])).Add(archsimd.BroadcastFloat32x8(l.glancing.Y).Mul(archsimd.LoadFloat32x8(&f[4])))
			ey, gy = ey.Add(v), gy.Add(v.Mul(k))
			v = archsimd.BroadcastFloat32x8(l.even.Z).Mul(archsimd.LoadFloat32x8(&f[2])).Add(archsimd.BroadcastFloat32x8(l.glancing.Z).Mul(archsimd.LoadFloat32x8(&f[5])))
			ez, gz = ez.Add(v), gz.Add(v.Mul(k))
		}
		o := &next[p]
		ex.Store(&o[0])
		ey.Store(&o[1])
		ez.Store(&o[2])
		gx.Store(&o[3])
		gy.Store(&o[4])
		gz.Store(&o[5])
	}
	archsimd.ClearAVXUpperBits()
}
